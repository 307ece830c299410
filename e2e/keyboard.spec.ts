// Everything can be reached without the mouse.
import { expect, signIn, test } from './steps';

test('stages, periods and help by key', async ({ page }) => {
  await signIn(page, 'planner');
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keyboard' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog', { name: 'Keyboard' })).toBeHidden();
  await page.keyboard.press('g');
  await page.keyboard.press('s');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('How many people does that take?');
  await page.keyboard.press('.');
  await expect(page).toHaveURL(/day=2026-11-24/);
  await page.keyboard.press(']');
  await expect(page).toHaveURL(/day=2026-12-01/);
  await page.keyboard.press('g');
  await page.keyboard.press('t');
  await expect(page).toHaveURL(/trials.*day=2026-12-01/);
  await expect(page.getByRole('link', { name: '30 Nov – 6 Dec' })).toBeVisible();
});

test('the pressure strip is read with the arrow keys', async ({ page }) => {
  await signIn(page, 'planner');
  const reading = page.locator('#reading').getByRole('heading');
  const before = await reading.textContent();
  await page.getByRole('group', { name: /Pressure strip/ }).focus();
  await page.keyboard.press('ArrowRight');
  await expect(reading).not.toHaveText(before ?? '');
  const next = await reading.textContent();
  await page.keyboard.press('ArrowDown');
  await expect(reading).not.toHaveText(next ?? '');
  await page.keyboard.press('Home');
  await expect(reading).toContainText('Monday 23 November');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(reading).toContainText('Tuesday 24 November');
});

test('a trial is asked for with the keyboard alone', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-27');
  await page.getByLabel('Simulated days').focus();
  await page.keyboard.press('Control+A');
  await page.keyboard.type('60');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(/Will Friday 27 November hold for (the whole centre|.* more)/);
  await expect(page.getByText(/It (holds|is marginal|breaks)/)).toBeVisible();
});

test('a day is staffed without the mouse: strip, reason, targets', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  const reason = page.locator('#why').getByRole('heading');
  await page.getByRole('group', { name: /Pressure strip of the day/ }).focus();
  await page.keyboard.press('Home');
  await expect(reason).toContainText('at 07:00?');
  await page.keyboard.press('ArrowRight');
  await expect(reason).toContainText('at 07:30?');
  await page.keyboard.press('End');
  await expect(reason).toContainText('at 20:30?');
  const first = page.getByRole('button', { name: /^Why \d+ at 07:00/ });
  await first.focus();
  await page.keyboard.press('Enter');
  await expect(reason).toContainText('at 07:00?');
  await page.getByLabel('Service level, %').focus();
  await page.keyboard.press('Control+A');
  await page.keyboard.type('0');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Must be above 0 and at most 99.9 %')).toBeVisible();
});

test('a week beyond the forecast says how far it reaches and leads back', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/?day=2027-03-01');
  await expect(page.getByText('There is no forecast for this week yet.')).toBeVisible();
  await page.getByRole('link', { name: /The forecast reaches from/ }).first().click();
  await expect(page).toHaveURL(/day=2026-11-23/);
  await page.goto('/demand?day=2027-03-01');
  await page.getByRole('link', { name: 'Bookings' }).click();
  await page.getByRole('link', { name: 'To its first week' }).click();
  await expect(page.getByText(/About [\d,]+ contacts for Bookings/)).toBeVisible();
});
