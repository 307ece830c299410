// A planner searches instead of guessing: candidates on the same customers, a setting swept, a
// simulated day watched, the engine's record.
import { expect, signIn, test, whenPlayed } from './steps';

test('one person more is better on the same customers, and a sweep shows from where on it holds', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/?day=2026-11-23');
  await page.getByRole('link', { name: 'Try a fix' }).click();
  await page.getByRole('link', { name: 'Compare or sweep' }).click();
  await expect(page.getByText(/Candidates for Sailing changes/)).toBeVisible();
  await page.getByRole('button', { name: 'Compare them' }).click();
  await whenPlayed(page.getByText(/1 more” has the best service level: .* with 95 % confidence/));
  await expect(page.getByRole('row', { name: /1 more/ })).toContainText('points');
  await page.getByRole('link', { name: 'Compare others' }).click();
  await page.getByLabel('from').first().fill('-6');
  await page.getByLabel('to', { exact: true }).first().fill('2');
  await page.getByLabel('values').first().fill('5');
  await page.getByRole('button', { name: 'Sweep it' }).click();
  await whenPlayed(page.getByText(/Headcount change, Sailing changes team: (every target holds|at no value)/));
  await expect(page.locator('[data-chart="sweep"] svg')).toBeVisible();
});

test('a simulated day is played, paused and stepped', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-28');
  await page.getByRole('row', { name: /holds|breaks|marginal/ }).first().getByRole('link').first().click();
  await page.getByRole('link', { name: 'Watch a day' }).click();
  const clock = page.getByRole('timer');
  await page.getByRole('button', { name: 'Back to the start' }).click();
  const opening = await clock.textContent();
  await page.getByRole('button', { name: 'Next event' }).click();
  await page.getByRole('button', { name: 'Play' }).click();
  await expect(page.getByRole('button', { name: 'Pause' })).toBeVisible();
  await expect(clock).not.toHaveText(opening ?? '');
  await page.getByRole('button', { name: 'Pause' }).click();
  const paused = await clock.textContent();
  await page.getByRole('button', { name: 'Next event' }).click();
  await expect(page.locator('[data-part="last"] li').first()).toContainText(/contact|arrives|signs out/i);
  expect(paused).not.toBe(opening);
});

test('the record says how right the engine has been', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/trials/record');
  await whenPlayed(page.getByText(/of 21 days went as the engine expects/));
});
