// A planner asks for the cheapest people with which a day holds, looks at what is found, and tries it.
import { expect, signIn, test, whenPlayed } from './steps';

test('the cheapest people for a day are searched from a trial and hold on new customers', async ({ page }) => {
  test.setTimeout(900_000);
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await page.getByRole('link', { name: 'Bookings, Wed 25 Nov' }).last().click();
  await page.getByRole('link', { name: 'Find the cheapest people' }).click();
  await expect(page.getByRole('heading', { name: 'What may change, and what must hold?' })).toBeVisible();
  // A bound that cannot be meant is said, and what was typed stays.
  const fewest = page.getByLabel('Fewest people of Bookings team');
  await fewest.fill('999');
  await page.getByRole('button', { name: 'Find the cheapest design' }).click();
  await expect(page.getByText(/Most people of bookings-team must be 999 to 20000/)).toBeVisible();
  await expect(fewest).toHaveValue('999');
  await fewest.fill('1');
  await page.getByLabel('A team keeps its people for').selectOption('480 min');
  await page.getByLabel('Simulated days for each design').fill('20');
  // Another kind of day needs a name; what was typed stays. This search does without one.
  const contacts = page.getByLabel('Contacts of kind of day 1, %');
  await contacts.fill('120');
  await page.getByRole('button', { name: 'Find the cheapest design' }).click();
  await expect(page.getByText('Give each kind of day a name.')).toBeVisible();
  await expect(contacts).toHaveValue('120');
  await contacts.fill('');
  await page.getByRole('button', { name: 'Find the cheapest design' }).click();
  await expect(page.getByRole('heading', { name: 'What does it take to hold every target on Wednesday 25 November for Bookings?' })).toBeVisible();
  // Thousands of days are simulated, on a machine that may be busy with something else.
  await expect(page.getByText(/agent-hours.*every target on average.*days.* The trial's/)).toBeVisible({ timeout: 480_000 });
  await expect(page.getByRole('region', { name: 'People by team and hour' })).toContainText('Bookings team');
  await expect(page.getByRole('img', { name: /designs tried; from cheap to safe/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /Bookings service level/ })).toContainText('≥ 80 %');
  await page.getByRole('button', { name: 'Try it on new customers' }).click();
  await whenPlayed(page.getByText(/It (holds|is marginal|breaks):/));
  await page.goto('/trials?day=2026-11-25');
  await expect(page.getByRole('heading', { name: 'Latest searches' })).toBeVisible();
});
