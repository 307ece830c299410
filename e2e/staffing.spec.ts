// A planner asks how many people a day takes, why, and changes targets and cover.
import { chooseContactType, expect, signIn, test } from './steps';

test('a need explains itself with one person fewer and one more', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-28');
  await chooseContactType(page, 'Sailing changes');
  await expect(page.getByText(/Sailing changes on Saturday 28 November needs \d+ people/)).toBeVisible();
  const why = page.getByRole('button', { name: /^Why \d+ at 09:30/ });
  const need = Number(await why.textContent());
  await why.click();
  const panel = page.locator('#why');
  await expect(panel.getByRole('heading')).toHaveText(`Why ${need} at 09:30?`);
  for (const people of [need - 1, need, need + 1]) {
    await expect(panel.getByRole('columnheader', { name: String(people), exact: true })).toBeVisible();
  }
  await expect(panel.getByRole('row', { name: /Every target/ })).toHaveText(/missed\s*met\s*met/);
  await expect(panel.getByText(/Erlangs; patience 240 s/)).toBeVisible();
});

test('a higher target needs more people, and a wrong one is said at its field', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  await chooseContactType(page, 'Vehicles & freight');
  const needs = async () => (await page.getByRole('button', { name: /^Why \d+ at/ }).allTextContents()).map(Number);
  const before = await needs();
  await page.getByLabel('Service level, %').fill('180');
  await page.getByLabel('Shrinkage, %').fill('lots');
  await page.getByRole('button', { name: 'Save targets' }).click();
  await expect(page.getByText('Must be above 0 and at most 99.9 %')).toBeVisible();
  await expect(page.getByText('“lots” is not a number')).toBeVisible();
  await expect(page.getByLabel('Service level, %')).toHaveValue('180');

  await page.getByLabel('Service level, %').fill('97');
  await page.getByLabel('Shrinkage, %').fill('30');
  await page.getByRole('button', { name: 'Save targets' }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.reload();
  const after = await needs();
  expect(after.length).toBe(before.length);
  expect(after.reduce((a, b) => a + b)).toBeGreaterThan(before.reduce((a, b) => a + b));
  await page.getByLabel('Service level, %').fill('80');
  await page.getByRole('button', { name: 'Save targets' }).click();
  expect(await needs()).toEqual(before);
});

test('cover is planned between two times, and the week leaves as CSV', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-12-02');
  await chooseContactType(page, 'Groups');
  await page.getByLabel('From', { exact: true }).fill('10:00');
  await page.getByLabel('To', { exact: true }).fill('09:00');
  await page.getByLabel('People on the phones').fill('17');
  await page.getByRole('button', { name: 'Plan' }).click();
  await expect(page.getByText('To must be later than from.')).toBeVisible();
  await expect(page.getByLabel('People on the phones')).toHaveValue('17');
  await page.getByLabel('To', { exact: true }).fill('11:00');
  await page.getByRole('button', { name: 'Plan' }).click();
  const row = page.getByRole('row', { name: /^10:30/ });
  await expect(row.getByRole('cell', { name: '17', exact: true })).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Week as CSV' }).click()]);
  const text = await (await download.createReadStream()).toArray();
  const lines = Buffer.concat(text).toString().trim().split('\n');
  expect(lines[0]).toContain('need_agents');
  expect(lines.filter((line) => line.includes('2026-12-02T10:30:00+00:00'))[0].split(',')[6]).toBe('17');
});
