// A planner tries days, cancels, and repeats a trial to the last digit.
import { expect, signIn, test, toStage } from './steps';

test('the hole in Saturday morning shows in a trial, and the need closes it', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/?day=2026-11-23');
  await expect(page.getByText(/Sailing changes breaks on/)).toBeVisible();
  await page.getByRole('link', { name: 'Try a fix' }).click();
  await expect(page.getByRole('heading', { name: /Try a day of Sailing changes/ })).toBeVisible();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText(/It breaks:/)).toBeVisible();
  await page.getByRole('link', { name: 'Try another' }).click();
  await page.getByLabel('Cover', { exact: true }).selectOption('need');
  await page.getByLabel('More or fewer people').fill('1');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText(/It holds:/)).toBeVisible();
  await expect(page.getByText(/the need, 1 more, 200 simulated days/)).toBeVisible();
});

test('the same inputs give the same numbers', async ({ page }) => {
  await signIn(page, 'planner');
  const levels: string[] = [];
  for (let run = 0; run < 2; run += 1) {
    await page.goto('/trials?day=2026-11-25');
    await page.getByLabel('Seed').fill('77');
    await page.getByRole('button', { name: 'Try it' }).click();
    await expect(page.getByText(/It (holds|is marginal|breaks):/)).toBeVisible();
    levels.push((await page.getByRole('row', { name: /Service level in/ }).textContent()) ?? '');
  }
  expect(levels[0]).toContain('±');
  expect(levels[1]).toBe(levels[0]);
});

test('a long trial shows its progress and can be cancelled', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await page.getByLabel('Simulated days').fill('20000');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('progressbar')).toBeVisible();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByText(/Cancelled after [\d]+ of 20000 days/)).toBeVisible();
  await toStage(page, 'Trials');
  await expect(page.getByRole('row').filter({ hasText: 'cancelled' }).first()).toBeVisible();
});

test('a refused trial keeps what was typed and says what would do', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await page.getByLabel('Simulated days').fill('1');
  await page.getByLabel('Cover', { exact: true }).selectOption('fixed');
  await page.getByLabel('People, if').fill('a few');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Must be a whole number from 2 to 20000.')).toBeVisible();
  await expect(page.getByText('Must be a whole number from 0 to 100000.')).toBeVisible();
  await expect(page.getByLabel('People, if')).toHaveValue('a few');
});
