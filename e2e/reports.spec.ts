// A planner tells others how the week went: opens a report, makes it their own, has it sent, and shares it.
import { readFile } from 'node:fs/promises';
import { expect, signIn, test } from './steps';

test('a manager reads the first sentence of the week and follows a figure to where it is explained', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/reports');
  await page.getByRole('link', { name: 'Week review' }).first().click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Week review: how did 16 – 22 Nov 2026 go?');
  const answer = page.getByText(/contacts were offered.*than forecast.*answered within their thresholds/).first();
  await expect(answer).toBeVisible();
  const offered = (await answer.textContent())?.match(/^[\d,]+/)?.[0] ?? '';
  // The sentence, the table of contact types and the table of days say the same.
  await expect(page.getByRole('table', { name: 'Service by contact type' }).getByRole('row', { name: /^All/ })).toContainText(offered);
  const days = page.getByRole('table', { name: 'Service by day' }).getByRole('row');
  await expect(days).toHaveCount(8);
  const cells = await days.locator('td:nth-of-type(1)').allTextContents();
  const sum = cells.map((cell) => Number(cell.replace(',', ''))).reduce((one, other) => one + other, 0);
  expect(sum.toLocaleString('en-GB')).toBe(offered);
  // A figure leads to the page that explains it.
  await page.getByRole('table', { name: 'Demand by contact type' }).getByRole('link', { name: 'Bookings' }).click();
  await expect(page).toHaveURL(/\/demand\/.*day=2026-11-16/);
});

test('a report is looked at over other days, printed, and taken as files', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/reports/week-review');
  await page.getByLabel('Period', { exact: true }).selectOption('the last 4 weeks');
  await page.getByLabel('By', { exact: true }).selectOption('weekday');
  await page.getByLabel('Compared with').selectOption('a year ago');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Week review: how did 26 Oct – 22 Nov 2026 go?');
  await expect(page.getByRole('table', { name: 'Demand by weekday' }).getByRole('row')).toHaveCount(8);
  await expect(page.getByText(/than a year ago/).first()).toBeVisible();
  for (const [name, ending, begins] of [['Excel', 'xlsx', 'PK'], ['CSV', 'csv', 'Week review'], ['JSON', 'json', '{']] as const) {
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name, exact: true }).click()]);
    expect(download.suggestedFilename()).toBe(`week-review-2026-10-26.${ending}`);
    expect((await readFile(await download.path())).toString('latin1').startsWith(begins)).toBe(true);
  }
  const [pdf] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'PDF', exact: true }).click()]);
  expect((await readFile(await pdf.path())).toString('latin1').startsWith('%PDF')).toBe(true);
  const [png] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Service level as PNG' }).click()]);
  expect((await readFile(await png.path())).subarray(1, 4).toString('latin1')).toBe('PNG');
  // The page that prints has its own style, which the browser lets through, and no links.
  await page.getByRole('link', { name: 'Print page' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Week review');
  await expect(page.locator('h1')).toHaveCSS('font-weight', '600');
  await expect(page.getByRole('link')).toHaveCount(0);
  // A period that ends before it begins is said.
  await page.goto('/reports/week-review?period=dates&first=2026-11-05&last=2026-11-01');
  await expect(page.getByRole('alert').filter({ hasText: 'ends on' })).toContainText('swap the two dates');
});

test('days to come are told as they are planned', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/reports/week-review');
  await page.getByLabel('Period', { exact: true }).selectOption('next week');
  await page.getByLabel('Compared with').selectOption('the plan');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByText(/contacts are forecast; as planned, [\d.]+ % will be answered/)).toBeVisible();
  await expect(page.getByRole('table', { name: 'Service by day, as planned' }).getByRole('row')).toHaveCount(8);
});

test('a new report shows its preview before it has a title, and asks for one when it is saved', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/reports/new');
  await expect(page.locator('.report-part').first()).toBeVisible();
  await page.getByRole('checkbox', { name: 'Agents' }).check();
  await expect(page.getByRole('heading', { level: 2, name: 'Agents' })).toBeVisible();
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Give the report a title.')).toBeVisible();
  // What was chosen stays.
  await expect(page.getByRole('checkbox', { name: 'Agents' })).toBeChecked();
});

test('a planner defines a report with its preview beside it, has it sent, and shares a link', async ({ page, browser }) => {
  await signIn(page, 'planner');
  await page.goto('/reports');
  await page.getByRole('link', { name: 'Save Week review as your own' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What should the report tell?');
  await expect(page.getByText(/contacts were offered/).first()).toBeVisible();
  await page.getByLabel('Title').fill('Harbour week');
  await page.getByRole('checkbox', { name: 'Handle time' }).uncheck();
  await page.getByRole('checkbox', { name: 'Forecast accuracy' }).check();
  await expect(page.getByText(/Daily forecasts were off by/)).toBeVisible();
  // Sections stand in the order in which they are put, in the preview and in the report.
  const headings = page.locator('.report-part h2');
  await expect(headings.first()).toHaveText('Service');
  await page.getByRole('button', { name: 'Demand: further up' }).click();
  await expect(headings.first()).toHaveText('Demand');
  await expect(page.getByRole('button', { name: 'Demand: further down' })).toBeVisible();
  // One queue of those that the live strategy has.
  await page.getByRole('checkbox', { name: 'Queues and hunt groups' }).check();
  await page.getByText('Contact types, teams, queues, campaigns').click();
  await page.getByRole('group', { name: 'Queues and hunt groups' }).getByRole('checkbox', { name: 'Bookings queue' }).check();
  await page.getByRole('button', { name: 'Save the report' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(/^Harbour week: how did/);
  await expect(headings.first()).toHaveText('Demand');
  await page.getByRole('link', { name: 'Schedule and history' }).click();
  // Nobody to send it to is said, and what was typed stays.
  await page.getByLabel('at', { exact: true }).fill('06:15');
  await page.getByRole('button', { name: 'Add the schedule' }).click();
  await expect(page.getByText('Say who gets it')).toBeVisible();
  await expect(page.getByLabel('at', { exact: true })).toHaveValue('06:15');
  await page.getByLabel('To', { exact: true }).fill('harbour@larkhaven.example');
  await page.getByRole('checkbox', { name: 'PDF' }).uncheck();
  await page.getByRole('checkbox', { name: 'CSV' }).check();
  await page.getByRole('button', { name: 'Add the schedule' }).click();
  await expect(page.getByRole('row', { name: /Monday to Friday at 06:15/ })).toContainText('harbour@larkhaven.example');
  await page.getByRole('button', { name: 'Send now' }).click();
  await expect(async () => {
    await page.reload();
    await expect(page.getByRole('row', { name: /sent to 1 person/ })).toBeVisible();
  }).toPass({ timeout: 60_000 });
  await page.goto('/watch/outbox');
  await expect(page.getByText(/^Harbour week, 16 – 22 Nov 2026$/).first()).toBeVisible();
  // What was made is opened and shared; a stranger reads it by its link and by nothing else.
  await page.goto('/reports');
  await page.getByRole('row', { name: /Harbour week/ }).getByRole('link', { name: /Monday to Friday/ }).click();
  await page.getByRole('row', { name: /sent to 1 person/ }).getByRole('link').click();
  await page.getByRole('button', { name: 'Share by link' }).click();
  const link = page.getByRole('link', { name: /reports\/shared/ });
  const address = (await link.getAttribute('href')) ?? '';
  const stranger = await (await browser.newContext()).newPage();
  await stranger.goto(new URL(address, page.url()).href);
  await expect(stranger.getByText(/contacts were offered/).first()).toBeVisible();
  await page.getByRole('button', { name: 'End all links' }).click();
  await stranger.reload();
  await expect(stranger.getByRole('heading', { name: 'Is this link still good?' })).toBeVisible();
  await stranger.context().close();
  // It goes away with everything that was made of it, after a question.
  await page.goto('/reports');
  await page.getByRole('link', { name: 'Harbour week' }).click();
  await page.getByRole('link', { name: 'Edit' }).click();
  page.once('dialog', (dialog) => void dialog.accept());
  await page.getByRole('button', { name: 'Remove the report' }).click();
  await expect(page.getByRole('link', { name: 'Harbour week' })).toHaveCount(0);
});
