// A draft is tried by a planner and let live by an approver; a viewer only looks.
import { chooseContactType, expect, signIn, test, toStage } from './steps';

test('a tried draft goes live with a reason, and can be taken back', async ({ page, browser }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-25');
  await chooseContactType(page, 'Assisted travel');
  await page.getByLabel('Longest wait (s)').fill('420');
  await page.getByRole('button', { name: 'Save as new version' }).first().click();
  await expect(page.getByText(/for up to 420 s, then to “Voicemail”/)).toBeVisible();
  await toStage(page, 'Go-live');
  const sheet = page.locator('section').filter({ hasText: 'Assisted travel: v2' });
  await expect(sheet.getByRole('row', { name: /Longest wait/ })).toContainText('no limit');
  await expect(sheet.getByText('Nobody has tried this version yet.')).toBeVisible();
  await sheet.getByRole('link', { name: 'Try it' }).click();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText(/It (holds|is marginal|breaks):/)).toBeVisible();

  const context = await browser.newContext();
  const approver = await context.newPage();
  await signIn(approver, 'approver');
  await toStage(approver, 'Go-live');
  const theirs = approver.locator('section').filter({ hasText: 'Assisted travel: v2' });
  await theirs.getByLabel('Why it goes live').fill('Nobody should wait over seven minutes');
  approver.once('dialog', (dialog) => dialog.accept());
  await theirs.getByRole('button', { name: 'Let it go live' }).click();
  await expect(approver.getByText('It is live.')).toBeVisible();
  await expect(approver.getByRole('row', { name: /Assisted travel v2/ })).toContainText('Ines Okafor');
  await approver.getByLabel('Version').selectOption({ label: 'Assisted travel: v1 (live is v2)' });
  await approver.getByLabel('Why', { exact: true }).fill('Too many voicemails');
  approver.once('dialog', (dialog) => dialog.accept());
  await approver.getByRole('button', { name: 'Go back' }).click();
  await expect(approver.getByRole('row', { name: /Assisted travel v1/ }).first()).toContainText('Too many voicemails');
  await context.close();
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
