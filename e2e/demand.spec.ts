// A planner makes a forecast fit to be counted on: cleans, enters days, lays over, freezes.
import { expect, press, signIn, test, toStage } from './steps';
import type { Page } from '@playwright/test';

async function open(page: Page, contactType: string, tab: string) {
  await page.goto('/demand?day=2026-11-23');
  await page.getByRole('link', { name: contactType, exact: true }).click();
  await page.getByRole('navigation', { name: `Demand of ${contactType}` }).getByRole('link', { name: tab }).click();
}

const weekly = (text: string | null) => Number(/About ([\d,]+) contacts/.exec(text ?? '')?.[1].replace(',', ''));

test('an outage is accepted, seen in the history, and taken back', async ({ page }) => {
  await signIn(page, 'planner');
  await open(page, 'Vehicles & freight', 'Cleaning');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Is the history clean?');
  const outage = page.getByRole('row', { name: /Outage 11 Mar 2026, 10:00 – 13:00/ });
  await outage.getByRole('button', { name: /Accept/ }).click();
  await expect(page.getByText('The forecast is made again with it.')).toBeVisible();
  const decided = page.getByRole('row', { name: /Outage 11 Mar 2026.*left out.*E\. Marlowe/ });
  await expect(decided).toBeVisible();
  await page.getByRole('link', { name: 'Forecast', exact: true }).click();
  // A worker makes the forecast, behind whatever was asked for before.
  await expect(page.getByText('Dashed: what the forecast takes instead.')).toBeVisible({ timeout: 60_000 });
  await page.getByRole('link', { name: 'Cleaning' }).click();
  await decided.getByRole('button', { name: /Undo/ }).click();
  await expect(page.getByRole('row', { name: /Outage 11 Mar 2026/ }).getByRole('button', { name: /Reject/ })).toBeVisible();
});

test('days dragged over on the chart are marked by hand, with a reason', async ({ page }) => {
  await signIn(page, 'planner');
  await open(page, 'Assisted travel', 'Cleaning');
  const chart = page.locator('[data-chart="cleaning"] .canvas');
  const box = await chart.boundingBox();
  if (!box) throw new Error('no chart');
  await page.mouse.move(box.x + box.width * 0.5, box.y + 80);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.55, box.y + 80, { steps: 5 });
  await page.mouse.up();
  await expect(page.getByLabel('From', { exact: true })).not.toHaveValue('');
  await page.getByRole('button', { name: 'Mark' }).click();
  // Without a reason nothing is marked, and what was dragged is still there.
  await page.getByLabel('Why').fill('Strike of the ferry crews');
  await page.getByRole('button', { name: 'Mark' }).click();
  const row = page.getByRole('row', { name: /Marked by hand.*Strike of the ferry crews/ });
  await expect(row).toBeVisible();
  await row.getByRole('button', { name: /Undo/ }).click();
  await expect(row).toHaveCount(0);
});

test('a promotion is laid over, reaches staffing, and is taken away again', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/demand?day=2026-11-23');
  await page.getByRole('link', { name: 'Web chat', exact: true }).click();
  const before = weekly(await page.locator('.answer').textContent());
  await page.getByRole('navigation', { name: 'Demand of Web chat' }).getByRole('link', { name: 'Overlays' }).click();
  await page.getByLabel('Name').fill('Loyalty mailing');
  await page.getByLabel('Last day').fill('2026-11-29');
  await page.getByLabel('Amount').fill('a lot');
  await page.getByRole('button', { name: 'Add' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'is not a number' })).toBeVisible();
  await expect(page.getByLabel('Name')).toHaveValue('Loyalty mailing');
  await page.getByLabel('Amount').fill('20');
  await page.getByRole('button', { name: 'Add' }).click();
  await expect(page.getByRole('row', { name: /Loyalty mailing.*\+20\.0 %/ })).toBeVisible();
  await page.getByRole('link', { name: 'Forecast', exact: true }).click();
  // A worker makes the forecast; the page shows it by itself.
  const answer = page.locator('.answer');
  await expect(answer).toContainText('Overlays make +', { timeout: 30_000 });
  expect(weekly(await answer.textContent()) / before).toBeCloseTo(1.2, 2);
  await page.getByRole('navigation', { name: 'Demand of Web chat' }).getByRole('link', { name: 'Overlays' }).click();
  await page.getByRole('button', { name: 'Remove Loyalty mailing' }).click();
  await expect(page.getByText('Nothing yet: the forecast is what history says.')).toBeVisible();
});

test('a day is dragged to what the planner knows better', async ({ page }) => {
  await signIn(page, 'planner');
  await open(page, 'E-mail', 'Overlays');
  const chart = page.locator('[data-chart="overlays"] .canvas');
  const box = await chart.boundingBox();
  if (!box) throw new Error('no chart');
  await page.mouse.move(box.x + 75, box.y + 120);
  await page.mouse.down();
  await page.mouse.move(box.x + 75, box.y + 60, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByLabel('Name')).toHaveValue('Mon 23 Nov set by hand');
  await expect(page.getByLabel('Change')).toHaveValue('day-total');
  await expect(page.getByLabel('Amount')).toHaveValue(/^\d+$/);
});

test('a number is taken apart by pressing it, and by key', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/demand?day=2026-11-23');
  await page.getByRole('link', { name: 'Groups', exact: true }).click();
  const panel = page.locator('#made-of');
  await expect(panel.getByRole('heading', { name: /What is .* made of\?/ })).toBeVisible();
  const first = await panel.getByRole('heading').textContent();
  await page.getByRole('group', { name: /Forecast per interval/ }).focus();
  await press(page, 'ArrowRight');
  await expect(panel.getByRole('heading')).not.toHaveText(first ?? '');
  await expect(panel.getByRole('row', { name: /Level/ })).toBeVisible();
  await expect(panel.getByRole('row', { name: /Contacts expected/ })).toBeVisible();
});

test('the record of every method is there, and one can be pinned', async ({ page }) => {
  await signIn(page, 'planner');
  await open(page, 'Groups', 'Accuracy');
  await expect(page.getByText(/less than “the same interval a week before”/)).toBeVisible();
  await expect(page.getByRole('row', { name: /80 % band/ })).toContainText('%');
  await page.getByLabel('Forecast with').selectOption({ label: 'Exponential smoothing' });
  await page.getByRole('button', { name: 'Use' }).click();
  await expect(page.getByRole('row', { name: /Exponential smoothing \(used\)/ })).toBeVisible();
  await expect(page.getByText(/Used: exponential smoothing, pinned/)).toBeVisible();
  await page.getByLabel('Forecast with').selectOption({ label: 'The best on held-out weeks' });
  await page.getByRole('button', { name: 'Use' }).click();
  await expect(page.getByText(/the best on held-out weeks\./)).toBeVisible();
});

test('a forecast is frozen and compared with what is said later', async ({ page }) => {
  await signIn(page, 'planner');
  await open(page, 'Bookings', 'Frozen');
  // The demo froze its forecast before the winter sale was laid over it.
  await expect(page.getByText(/“Published 23 Nov” has [\d,]+ contacts and “The forecast now”/)).toBeVisible();
  await expect(page.getByRole('row', { name: /Sat 5 Dec .*\+12\.0 %/ })).toBeVisible();
  await page.getByLabel('Name').fill('With the sale');
  await page.getByRole('button', { name: 'Freeze' }).click();
  await expect(page.getByText('It stays as it is')).toBeVisible();
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Discard With the sale' }).click();
  await expect(page.getByRole('button', { name: 'Discard With the sale' })).toHaveCount(0);
});

test('a special day is entered, felt, and taken out', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/demand/special-days?day=2026-11-23');
  await expect(page.getByRole('row', { name: /School holidays.*19 Dec 2026/ })).toBeVisible();
  await page.getByLabel('Name').fill('Harbour regatta');
  await page.getByLabel('Class', { exact: true }).fill('Regatta');
  await page.getByLabel('Day, or first day').fill('2026-12-12');
  await page.getByLabel(/% of an ordinary day/).fill('150');
  await page.getByRole('button', { name: 'Add' }).click();
  const row = page.getByRole('row', { name: /Harbour regatta.*\+50\.0 %/ });
  await expect(row).toBeVisible();
  page.once('dialog', (dialog) => dialog.accept());
  await row.getByRole('button', { name: /Remove/ }).click();
  await expect(row).toHaveCount(0);
});

test('a switch’s own report is asked about once', async ({ page }) => {
  await signIn(page, 'planner');
  await toStage(page, 'Demand');
  await page.getByRole('link', { name: 'Import history' }).click();
  const report = ['Warteschlange;Zeitpunkt;Anrufe;Dauer (min)'];
  for (let half = 16; half < 40; half += 1) report.push(`Fundbüro;22.11.2026 ${Math.floor(half / 2)}:${half % 2 ? '30' : '00'};${half};3,5`);
  const file = { name: 'bericht.csv', mimeType: 'text/csv', buffer: Buffer.from(report.join('\n')) };
  await page.getByLabel('CSV file').setInputFiles(file);
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What do the columns of bericht.csv hold?');
  await page.getByLabel('What Warteschlange holds').selectOption('contact type');
  await page.getByLabel('What Zeitpunkt holds').selectOption('date and time');
  await page.getByLabel('What Anrufe holds').selectOption('offered');
  await page.getByLabel('What Dauer (min) holds').selectOption('handle time');
  await page.getByLabel('Decimals are written').selectOption('182,5');
  await page.getByLabel('are in', { exact: true }).selectOption('minutes');
  await page.getByRole('button', { name: 'Read with these columns' }).click();
  await expect(page.getByText('All 24 rows can be used.')).toBeVisible();
  await page.getByRole('button', { name: /Save 24 rows/ }).click();
  await page.goto('/demand/import');
  await page.getByLabel('CSV file').setInputFiles(file);
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByRole('row', { name: /Fundbüro/ })).toContainText('24');
  await page.getByRole('button', { name: 'Discard' }).click();
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Undo it' }).click();
  await expect(page.getByText('This import was undone; the history is as it was before it.')).toBeVisible();
  await page.goto('/demand');
  await expect(page.getByRole('link', { name: 'Fundbüro' })).toHaveCount(0);
});

test('a contact type that is not used any more is archived, restored, and removed by an administrator', async ({ page }) => {
  await signIn(page, 'admin');
  await page.goto('/demand?day=2026-11-23');
  await page.getByText('Add a contact type modelled on another').click();
  await page.getByLabel('Name').fill('Island bus');
  await page.getByLabel('% of the contacts').fill('5');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('navigation', { name: 'Demand of Island bus' })).toBeVisible();
  await page.getByText('Archive Island bus').first().click();
  await page.getByRole('button', { name: 'Archive Island bus' }).click();
  await page.getByRole('button', { name: 'Restore Island bus' }).click();
  await expect(page.getByRole('navigation', { name: 'Demand of Island bus' })).toBeVisible();
  // Its forecast is worked out again meanwhile, and the page loads once more when it is there: what was opened just then is closed.
  await expect(async () => {
    await page.getByText('Archive Island bus').first().click();
    await page.getByRole('button', { name: 'Archive Island bus' }).click({ timeout: 3000 });
  }).toPass();
  const archived = page.getByRole('row', { name: /Island bus.*Asha Lindqvist/ });
  page.once('dialog', (dialog) => dialog.accept());
  await archived.getByRole('button', { name: 'Remove Island bus for good' }).click();
  await expect(page.getByText('Island bus')).toHaveCount(0);
});
