// Everything can be reached without the mouse.
import { expect, press, signIn, test } from './steps';

test('stages, periods and help by key', async ({ page }) => {
  await signIn(page, 'planner');
  await press(page, '?');
  await expect(page.getByRole('dialog', { name: 'Keyboard' })).toBeVisible();
  await press(page, 'Escape');
  await expect(page.getByRole('dialog', { name: 'Keyboard' })).toBeHidden();
  await press(page, 'g');
  await press(page, 's');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('How many people does that take?');
  await press(page, '.');
  await expect(page).toHaveURL(/day=2026-11-24/);
  await press(page, ']');
  await expect(page).toHaveURL(/day=2026-12-01/);
  await press(page, 'g');
  await press(page, 't');
  await expect(page).toHaveURL(/trials.*day=2026-12-01/);
  await expect(page.getByRole('link', { name: '30 Nov – 6 Dec' })).toBeVisible();
});

test('the pressure strip is read with the arrow keys', async ({ page }) => {
  await signIn(page, 'planner');
  const reading = page.locator('#reading').getByRole('heading');
  const before = await reading.textContent();
  await page.getByRole('group', { name: /Pressure strip/ }).focus();
  await press(page, 'ArrowRight');
  await expect(reading).not.toHaveText(before ?? '');
  const next = await reading.textContent();
  await press(page, 'ArrowDown');
  await expect(reading).not.toHaveText(next ?? '');
  await press(page, 'Home');
  await expect(reading).toContainText('Monday 23 November');
  await press(page, 'Shift+ArrowRight');
  await expect(reading).toContainText('Tuesday 24 November');
});

test('a trial is asked for with the keyboard alone', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-27');
  await page.getByLabel('Simulated days').focus();
  await press(page, 'Control+A');
  await page.keyboard.type('60');
  await press(page, 'Enter');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(/Will Friday 27 November hold for (the whole centre|.* more)/);
  await expect(page.getByText(/It (holds|is marginal|breaks)/)).toBeVisible();
});

test('a day is staffed without the mouse: strip, reason, targets', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  const reason = page.locator('#why').getByRole('heading');
  await page.getByRole('group', { name: /Pressure strip of the day/ }).focus();
  await press(page, 'Home');
  await expect(reason).toContainText('at 07:00?');
  await press(page, 'ArrowRight');
  await expect(reason).toContainText('at 07:30?');
  await press(page, 'End');
  await expect(reason).toContainText('at 20:30?');
  const first = page.getByRole('button', { name: /^Why \d+ at 07:00/ });
  await first.focus();
  await press(page, 'Enter');
  await expect(reason).toContainText('at 07:00?');
  await page.getByLabel('Service level, %').focus();
  await press(page, 'Control+A');
  await page.keyboard.type('0');
  await press(page, 'Enter');
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
