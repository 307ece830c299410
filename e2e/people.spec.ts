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
  await expect(page.getByText('Use 12 to 200 characters.')).toBeVisible();
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
  // Single agents are a right of their own, which an administrator takes and gives.
  await nell.goto('/watch/teams/bookings-team');
  await expect(nell.getByRole('columnheader', { name: 'Answered today' })).toBeVisible();
  await page.getByRole('button', { name: 'Hide single agents from Nell Quay' }).click();
  await expect(page.getByText('Who sees single agents is changed.')).toBeVisible();
  await nell.reload();
  await expect(nell.getByText(/Single agents are shown to those who have this right/)).toBeVisible();
  await page.getByRole('button', { name: 'Show single agents to Nell Quay' }).click();
  await expect(page.getByRole('button', { name: 'Hide single agents from Nell Quay' })).toBeVisible();
  // With an authenticator the password alone is not enough; whoever lost it is let in again.
  await nell.goto('/people/me/second-factor');
  await expect(nell.getByRole('img', { name: 'The key as a picture for an authenticator' })).toBeVisible();
  await nell.getByLabel('Code').fill('000000');
  await nell.getByRole('button', { name: 'Set it up' }).click();
  await expect(nell.getByText('This is not the code that the authenticator shows now')).toBeVisible();
  // Whoever has left cannot sign in any more, and their sessions are over.
  page.once('dialog', (dialog) => void dialog.accept());
  await page.getByRole('button', { name: 'Keep Nell Quay from signing in' }).click();
  await expect(page.getByText('Who may sign in is changed.')).toBeVisible();
  await nell.goto('/people');
  await expect(nell).toHaveURL(/sign-in/);
  await page.getByRole('button', { name: 'Let Nell Quay sign in again' }).click();
  await expect(page.getByRole('button', { name: 'Keep Nell Quay from signing in' })).toBeVisible();
  await context.close();
  // All of that is written down.
  await page.getByRole('link', { name: 'Who did what' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Who did what?');
  await page.getByLabel('Find').fill('Nell');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByRole('row', { name: /added a person Nell Quay, nell@larkhaven.example/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /changed who sees single agents Nell Quay sees them hidden/ })).toBeVisible();
  await page.getByLabel('Deed').selectOption('changed a password');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByRole('row')).toHaveCount(2);
});

test('a table is sorted and saved as it is shown', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/demand');
  await page.getByRole('button', { name: /Actual, last 28 days/ }).click();
  await expect(page.getByRole('columnheader', { name: /Actual, last 28 days/ })).toHaveAttribute('aria-sort', 'ascending');
  const first = await page.getByRole('rowheader').first().textContent();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Table as CSV' }).click()]);
  const lines = Buffer.concat(await (await download.createReadStream()).toArray()).toString().trim().split('\r\n');
  expect(lines[1].split(',')[0]).toBe(first);
  expect(lines.slice(1).map((line) => Number(line.split(',')[2]))).toEqual(lines.slice(1).map((line) => Number(line.split(',')[2])).toSorted((a, b) => a - b));
});

test('a viewer sees everything and changes nothing', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/staffing?day=2026-11-25');
  await expect(page.getByRole('button', { name: 'Save targets' })).toHaveCount(0);
  await expect(page.getByLabel('Service level, %')).toBeDisabled();
  await page.goto('/trials');
  await expect(page.getByRole('button', { name: 'Try it' })).toHaveCount(0);
  const refused = await page.goto('/demand/import');
  expect(refused?.status()).toBe(403);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('May I do this?');
  // Enforced on the server, not only hidden.
  const posted = await page.request.post('/trials', { form: { day: '2026-11-25' } });
  expect(posted.status()).toBe(403);
});
