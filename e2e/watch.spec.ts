// The circle on the day itself: the board, a storm on the switch, what would help, done, and a change that reaches the
// switch. The switch stand-in stands at its moment until a test moves it on.
import { expect, signIn, test, toStage } from './steps';

test('a storm is seen on the board, help is found and planned, and people come', async ({ page }) => {
  await signIn(page, 'planner');
  await toStage(page, 'Watch');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('How is today going?');
  const sailing = page.getByRole('row', { name: /Sailing changes/ }).first();
  await expect(sailing).toContainText('80 % in 20 s');
  await expect(page.getByText(/Heard from the switch [0-5] s ago/)).toBeVisible();
  // On to the storm of the afternoon.
  await page.getByText('The stand-in: its clock, and what goes wrong').click();
  await page.getByLabel('Ahead by, minutes').fill('260');
  await page.getByRole('button', { name: 'Move the clock on' }).click();
  await expect(page.getByText('The switch has been told.')).toBeVisible();
  await expect(page.locator('.answer')).toContainText(/15:[34]\d/, { timeout: 30_000 });
  await expect(page.locator('.answer')).toContainText(/Sailing changes/, { timeout: 30_000 });
  await page.getByRole('link', { name: 'What would help now' }).click();
  await expect(page.locator('.answer')).toContainText('will more likely miss by tonight', { timeout: 60_000 });
  // People who come besides: nobody else's day is changed by it.
  const help = page.getByRole('row', { name: /Call in \d people for Sailing changes team/ }).first();
  const words = (await help.getByRole('rowheader').textContent())?.replace('enough', '').trim() ?? '';
  // It can be asked for, before it is planned.
  await help.getByRole('link', { name: 'Message' }).click();
  await expect(page.getByLabel('Message')).toHaveValue(/Please do this now: Call in \d people/);
  await page.getByRole('textbox', { name: 'To' }).fill('floor.lead@larkhaven.example');
  await page.getByRole('button', { name: 'Send the message' }).click();
  await expect(page.getByText('The message is on its way.')).toBeVisible();
  await expect(page.getByRole('listitem').filter({ hasText: `Asked by message: ${words}` })).toBeVisible();
  await page.goto('/watch/outbox');
  await expect(page.getByRole('row', { name: /floor\.lead@larkhaven\.example/ }).first()).toContainText(words);
  await page.goto('/watch/help');
  await help.getByRole('button', { name: 'Plan it' }).click({ timeout: 60_000 });
  await expect(page.getByText('Done: the cover of today is another one')).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole('listitem').filter({ hasText: words }).first()).toContainText('by tonight');
  // Why the day until now is not as planned.
  await page.getByRole('link', { name: 'Plan against actual' }).click();
  await page.getByRole('button', { name: 'Today until now' }).click();
  await expect(page.locator('.answer')).toContainText(/until 1\d:[03]0: .* planned/, { timeout: 90_000 });
  await expect(page.getByRole('img', { name: /Service level: Planned .* Volume .* Actual/ })).toBeVisible();
  await expect(page.getByText(words).first()).toBeVisible();
  await expect(page.getByRole('columnheader', { name: 'Adherence' })).toBeVisible();
});

test('one queue and one team are looked into, by those who may', async ({ page, browser }) => {
  await signIn(page, 'planner');
  await page.goto('/watch');
  await page.getByRole('link', { name: 'Bookings team' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What does everybody of Bookings team do?');
  await expect(page.getByRole('row').nth(1)).toContainText(/talks|free|writes up|calls back/);
  await page.goBack();
  await page.getByRole('link', { name: 'Bookings queue' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Who is in Bookings queue?');
  const viewer = await (await browser.newContext()).newPage();
  await signIn(viewer, 'viewer');
  await viewer.goto('/watch');
  await expect(viewer.getByText('The stand-in: its clock, and what goes wrong')).toHaveCount(0);
  await viewer.goto('/watch/teams/bookings-team');
  await expect(viewer.getByText(/Single agents are shown to those who have this right/)).toBeVisible();
});

test('a planner arranges a board of tiles, and it goes on by itself on the wall', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/watch');
  await page.getByRole('link', { name: 'Arrange a board' }).click();
  await page.getByLabel('Name').fill('Phones');
  const add = async (figure: string, of: string) => {
    await page.getByLabel('Figure').selectOption({ label: figure });
    if (of) await page.getByLabel('Applies to').selectOption({ label: of });
    await page.getByRole('button', { name: 'Add the tile' }).click();
  };
  const order = page.locator('.tile-order li');
  await add('Lines in use', 'Bookings');
  await expect(page.getByRole('alert')).toHaveText('This is a figure of campaigns: choose one of them.');
  await add('Service level since opening', 'Bookings');
  await expect(order).toHaveCount(1);
  await add('On shift, of planned', 'Bookings team');
  await expect(order).toHaveCount(2);
  await page.getByLabel('twice as wide').check();
  await add('Pressure, opening to close', 'Sailing changes');
  await expect(order).toHaveCount(3);
  await page.getByRole('button', { name: /Sailing changes: pressure.*further up/ }).click();
  await expect(page.locator('.tiles .tile').nth(1)).toContainText('Sailing changes');
  await page.getByRole('button', { name: 'Save the board' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Phones');
  await expect(page.locator('.tile').first()).toContainText(/\d+ %.*service level since opening · target 80\s% in 20 s/s);
  await expect(page.locator('.tile').last()).toContainText(/\d+ of \d+/);
  await page.getByRole('link', { name: 'For the wall' }).click();
  await expect(page.getByRole('navigation', { name: 'Stages' })).toHaveCount(0);
  const clock = page.locator('.answer strong').first();
  const before = await clock.textContent();
  await expect(clock).not.toHaveText(before ?? '', { timeout: 20_000 });
  await page.getByRole('link', { name: 'Back' }).click();
  await page.getByRole('link', { name: 'Arrange it' }).click();
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Remove the board' }).click();
  await expect(page.getByRole('link', { name: 'Phones' })).toHaveCount(0);
});

test('the wall shows the board alone, and it goes on by itself', async ({ page }) => {
  await page.setViewportSize({ width: 1920, height: 1080 });
  await signIn(page, 'viewer');
  await page.goto('/watch');
  await page.getByRole('link', { name: 'For the wall' }).click();
  await expect(page.getByRole('navigation', { name: 'Stages' })).toHaveCount(0);
  const clock = page.locator('.answer strong').first();
  const before = await clock.textContent();
  await expect(clock).not.toHaveText(before ?? '', { timeout: 20_000 });
});

test('an alarm is added, changed in its form and removed', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/watch/alarms');
  await page.getByLabel('Measure').selectOption('Contacts waiting, contacts');
  await page.getByLabel('Contact type').selectOption('Groups');
  await page.getByLabel('Rings beyond').fill('40');
  // A double press adds one.
  await page.getByRole('button', { name: 'Add it' }).dblclick();
  await expect(page.getByRole('row', { name: /Groups: contacts waiting over 40/ })).toHaveCount(1);
  await page.getByRole('link', { name: 'Change: Groups: contacts waiting over 40' }).click();
  await expect(page.getByRole('heading', { name: 'Change an alarm' })).toBeVisible();
  await expect(page.getByLabel('Rings beyond')).toHaveValue('40');
  await page.getByLabel('Rings beyond').fill('fifty');
  await page.getByRole('button', { name: 'Change it' }).click();
  await expect(page.getByText('“fifty” is not a number')).toBeVisible();
  await page.getByLabel('Rings beyond').fill('50');
  await page.getByRole('button', { name: 'Change it' }).click();
  const row = page.getByRole('row', { name: /Groups: contacts waiting over 50/ });
  await expect(row).toBeVisible();
  page.once('dialog', (dialog) => void dialog.accept());
  await row.getByRole('button', { name: 'Remove' }).click();
  await expect(row).toHaveCount(0);
});
