// An administrator lets a colleague in; tables leave as they are shown.
import { expect, people, signIn, test } from './steps';

test('a new colleague is added, signs in and changes the first password', async ({ page, browser }) => {
  await signIn(page, 'admin');
  await page.getByRole('link', { name: people.admin.name }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Who may do what?');
  await page.getByLabel('Name', { exact: true }).fill('Nell Quay');
  await page.getByLabel('E-mail address').fill('nell@larkhaven.example');
  await page.getByLabel('Role', { exact: true }).selectOption('planner');
  await page.getByLabel('First password').fill('short');
  await page.getByRole('button', { name: 'Add' }).click();
  await expect(page.getByText('Use at least 10 characters.')).toBeVisible();
  await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Nell Quay');
  await page.getByLabel('First password').fill('the first tide');
  await page.getByRole('button', { name: 'Add' }).click();
  await expect(page.getByRole('row', { name: /Nell Quay/ })).toBeVisible();

  const context = await browser.newContext();
  const nell = await context.newPage();
  await nell.goto('/sign-in?next=/people');
  await nell.getByLabel('E-mail address').fill('nell@larkhaven.example');
  await nell.getByLabel('Password').fill('the first tide');
  await nell.getByRole('button', { name: 'Sign in' }).click();
  await nell.getByLabel('Current password').fill('the first tide');
  await nell.getByLabel('New password').fill('the second tide');
  await nell.getByRole('button', { name: 'Change' }).click();
  await expect(nell.getByText('The password is changed')).toBeVisible();
  await context.close();
});

test('a table is sorted and saved as it is shown', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/demand');
  await page.getByRole('button', { name: /Came, last 28 days/ }).click();
  await expect(page.getByRole('columnheader', { name: /Came, last 28 days/ })).toHaveAttribute('aria-sort', 'ascending');
  const first = await page.getByRole('rowheader').first().textContent();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Table as CSV' }).click()]);
  const lines = Buffer.concat(await (await download.createReadStream()).toArray()).toString().trim().split('\r\n');
  expect(lines[1].split(',')[0]).toBe(first);
  expect(lines.slice(1).map((line) => Number(line.split(',')[2]))).toEqual(lines.slice(1).map((line) => Number(line.split(',')[2])).toSorted((a, b) => a - b));
});
