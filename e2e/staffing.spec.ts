// A planner asks how many people a day takes, why, what if, and who is there.
import { chooseContactType, expect, signIn, test, whenPlayed } from './steps';
import type { Page } from '@playwright/test';

const needs = async (page: Page) => (await page.getByRole('button', { name: /^Why \d+ at/ }).allTextContents()).map(Number);
const sum = (numbers: number[]) => numbers.reduce((a, b) => a + b, 0);

async function staffingTab(page: Page, tab: string) {
  await page.getByRole('navigation', { name: /^Staffing of/ }).getByRole('link', { name: tab }).click();
}

test('a need explains itself with two people fewer and two more', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-28');
  await chooseContactType(page, 'Sailing changes');
  await expect(page.getByText(/Sailing changes on Saturday 28 November needs \d+ people/)).toBeVisible();
  const why = page.getByRole('button', { name: /^Why \d+ at 09:30/ });
  const need = Number(await why.textContent());
  await why.click();
  const panel = page.locator('#why');
  await expect(panel.getByRole('heading')).toHaveText(`Why ${need} at 09:30?`);
  for (const people of [need - 2, need - 1, need, need + 1, need + 2]) {
    await expect(panel.getByRole('columnheader', { name: String(people), exact: true })).toBeVisible();
  }
  await expect(panel.getByRole('row', { name: /Every target/ })).toHaveText(/missed\s*missed\s*met\s*met\s*met/);
  await expect(panel.getByText(/Erlangs; patience 240 s/)).toBeVisible();
  await expect(panel.getByText(/Erlang C\s+\d+\s+\(nobody loses patience/)).toBeVisible();
  await expect(panel.getByText(/The forecast is not certain: .* chance of 90 % it takes \d+\./)).toBeVisible();
  await expect(panel.getByText('binds').first()).toBeVisible();
});

test('targets are tried while they are typed, stepped back, saved and undone', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  await chooseContactType(page, 'Vehicles & freight');
  const before = await needs(page);
  const level = page.getByLabel('Service level, %');
  await level.fill('180');
  await expect(page.getByText('Must be above 0 and at most 99.9 %')).toBeVisible();
  expect(await needs(page)).toEqual(before);
  await level.fill('97');
  await level.blur();
  await expect(page.getByText(/Not saved: service level 80 % → 97 %/)).toBeVisible();
  await expect(page.getByText('Must be above 0 and at most 99.9 %')).toBeHidden();
  expect(sum(await needs(page))).toBeGreaterThan(sum(before));

  // The reason is that of the targets that are tried.
  await page.getByRole('button', { name: /^Why \d+ at 09:30/ }).click();
  await expect(page.locator('#why').getByRole('cell', { name: '≥ 97 %' })).toBeVisible();

  await page.getByText('Shrinkage and cost').click();
  await page.getByLabel('Breaks, %').fill('lots');
  await page.getByLabel('Breaks, %').blur();
  await expect(page.getByText('“lots” is not a number')).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(page.getByLabel('Breaks, %')).not.toHaveValue('lots');
  await expect(page.getByText('“lots” is not a number')).toBeHidden();
  await expect(level).toHaveValue('97');
  await page.getByRole('button', { name: 'Back to saved' }).click();
  await expect(level).toHaveValue('80');
  await expect(page.getByText('Not saved:')).toBeHidden();

  await level.fill('97');
  await page.getByRole('button', { name: 'Save targets' }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
  expect(sum(await needs(page))).toBeGreaterThan(sum(before));
  await page.getByRole('status').filter({ hasText: 'Saved.' }).getByRole('button', { name: 'Undo' }).click();
  await expect(level).toHaveValue('80');
  expect(await needs(page)).toEqual(before);
});

test('targets that exclude each other are said with the nearest that works', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  await chooseContactType(page, 'Groups');
  await page.getByLabel('Service level, %').fill('99');
  await page.getByLabel('within, s').fill('0');
  await page.getByLabel('Occupancy ≤ %').fill('');
  await page.getByLabel('Occupancy ≥ %').fill('95');
  await expect(page.getByText(/Cannot be reached with the other targets: people are busiest on .* Use at most [\d.]+ %/)).toBeVisible();
  await page.getByRole('button', { name: 'Save targets' }).click();
  await expect(page.getByText(/Cannot be reached with the other targets/)).toBeVisible();
  await expect(page.getByLabel('Occupancy ≥ %')).toHaveValue('95');
});

test('a week, a typical day and a pool are sized like a day', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  await chooseContactType(page, 'Assisted travel');
  await page.getByRole('navigation', { name: 'Period' }).getByRole('link', { name: 'Week' }).click();
  await expect(page.getByText(/in the week 23 – 29 Nov needs/)).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Day by day' })).toBeVisible();
  await page.getByRole('navigation', { name: 'Period' }).getByRole('link', { name: 'Typical Wed' }).click();
  await expect(page.getByText(/on a typical Wednesday needs/)).toBeVisible();
  const alone = sum(await needs(page));
  await page.getByLabel('Pooled with').selectOption({ label: 'pooled with Groups' });
  await expect(page).toHaveURL(/pool=/);
  expect(sum(await needs(page))).toBeGreaterThan(alone);
});

test('what if more come, and what holding every interval takes', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  await chooseContactType(page, 'Groups');
  await staffingTab(page, 'What if');
  await page.getByLabel(/^Contacts/).fill('20');
  await expect(page.getByText(/would need \d+ people at its peak instead of \d+/)).toBeVisible();
  await expect(page.getByText('+20 %')).toBeVisible();
  await page.getByRole('button', { name: 'As it is' }).click();
  await expect(page.getByText(/would need/)).toBeHidden();
  await expect(page.getByRole('row', { name: /75 % target/ })).toBeVisible();
  await page.getByRole('button', { name: 'Work out the exact day' }).click();
  await whenPlayed(page.getByText(/Holding every target in every interval takes [\d,]+ agent-hours/));
  await expect(page.locator('[data-chart="held"] svg').first()).toBeVisible();
});

test('shifts are fitted to a week, become its cover and leave as a calendar', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-12-09');
  await chooseContactType(page, 'Groups');
  await staffingTab(page, 'Cover');
  await page.getByLabel('Latest start of kind 1').fill('06:00');
  await page.getByRole('button', { name: 'Fit shifts to this week' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'last start: must be a time of day not before the earliest start' })).toBeVisible();
  await expect(page.getByLabel('Latest start of kind 1')).toHaveValue('06:00');
  await page.getByLabel('Latest start of kind 1').fill('13:00');
  await page.getByLabel('within').fill('4');
  await page.getByRole('button', { name: 'Fit shifts to this week' }).click();
  await whenPlayed(page.getByText(/\d+ people with [\d,]+ paid hours a week/));
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Use as cover' }).click();
  await expect(page.getByText('The shifts are the cover now.')).toBeVisible();
  await expect(page.getByText(/, 0 missing where it is short/)).toBeVisible();
  await expect(page.getByRole('row', { name: /Ada Quill.*3[5-9]\.\d/ })).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'iCalendar' }).click()]);
  const text = Buffer.concat(await (await download.createReadStream()).toArray()).toString();
  expect(text).toContain('SUMMARY:Ada Quill');
});

test('a roster is refused row by row, then taken', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-12-16');
  await chooseContactType(page, 'Assisted travel');
  await staffingTab(page, 'Cover');
  page.on('dialog', (dialog) => dialog.accept());
  const take = async (rows: string) => {
    await page.getByLabel('Roster file').setInputFiles({ name: 'roster.csv', mimeType: 'text/csv', buffer: Buffer.from(rows) });
    await page.getByRole('button', { name: 'Take as cover' }).click();
  };
  await take('agent,start,end\nHal Pemberlay,2026-12-16 09:00,soon\n');
  await expect(page.getByText('Row 2, column end: “soon” is no time')).toBeVisible();
  await take('agent,start,end\nHal Pemberlay,2026-12-16 09:00,17:00\nIda Fernsby,2026-12-16 09:00,13:00\n');
  await expect(page.getByText('The roster is the cover now.')).toBeVisible();
  await expect(page.getByRole('row', { name: /Ida Fernsby.*4\.0/ })).toBeVisible();
  await page.getByLabel('Who is away').selectOption({ label: 'Ida Fernsby' });
  await page.getByLabel('First day').fill('2026-12-17');
  await page.getByLabel('Why', { exact: true }).fill('Leave');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByText(/Ida Fernsby[\s\S]*Leave/).first()).toBeVisible();
});

test('cover is planned between two times, and the week leaves as CSV', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-12-02');
  await chooseContactType(page, 'Groups');
  await staffingTab(page, 'Cover');
  await page.getByLabel('From', { exact: true }).fill('10:00');
  await page.getByLabel('To', { exact: true }).fill('09:00');
  await page.getByLabel('People on the phones').fill('17');
  await page.getByRole('button', { name: 'Plan' }).click();
  await expect(page.getByText('To must be later than from.')).toBeVisible();
  await expect(page.getByLabel('People on the phones')).toHaveValue('17');
  await page.getByLabel('To', { exact: true }).fill('11:00');
  await page.getByRole('button', { name: 'Plan' }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'CSV' }).last().click()]);
  const lines = Buffer.concat(await (await download.createReadStream()).toArray()).toString().trim().split('\n');
  expect(lines[0]).toContain('need_agents');
  expect(lines.filter((line) => line.includes('2026-12-02T10:30:00+00:00'))[0].split(',')[7]).toBe('17');
});

test('lines are sized and those that are there checked', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  await staffingTab(page, 'Lines and ports');
  await expect(page.getByText(/need \d+ lines to block no more than 1 %/)).toBeVisible();
  // What the week's campaign takes: its list of 900 in 56 hours.
  await expect(page.getByRole('row', { name: /^Sailing news/ })).toHaveText(/Sailing news\s*900\s*8\d\d\s*56\.0\s*80 %\s*2\s*\d/);
  await page.getByLabel('Calls blocked, at most %').fill('0');
  await page.getByLabel('Lines installed').fill('60');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('0 % would need endless lines')).toBeVisible();
  await page.getByLabel('Calls blocked, at most %').fill('1');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText(/The 60 there are refuse [\d.]+ % of the calls: too few/)).toBeVisible();
});

test('two planners change the lines at once: the second is told who was first, keeps what was typed, and may insist', async ({ page, browser }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing');
  await page.getByRole('navigation', { name: /Staffing/ }).getByRole('link', { name: 'Lines and ports' }).click();
  const other = await (await browser.newContext()).newPage();
  await signIn(other, 'approver');
  await other.goto(page.url());
  const ring = 'Rings before answered, s';
  const before = await page.getByLabel(ring).inputValue();
  await other.getByLabel(ring).fill('7');
  await other.getByRole('button', { name: 'Save' }).click();
  await expect(other.getByRole('status')).toHaveText('Saved.');
  await page.getByLabel(ring).fill('9');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('alert')).toContainText(/saved this on .* after you had opened it\. Yours is not saved yet/);
  await expect(page.getByLabel(ring)).toHaveValue('9');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('status')).toHaveText('Saved.');
  await page.getByLabel(ring).fill(before);
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('status')).toHaveText('Saved.');
  await other.context().close();
});

// Who waits: every third is answered at once, the others after 5 to 200 s unless they hang up before, at 10 to 240 s.
function singleContacts(): string {
  const rows = ['arrived_at,queue,waited_secs,outcome,handled_secs,customer'];
  for (let nth = 0; nth < 900; nth += 1) {
    const [offered, patience] = [nth % 3 === 0 ? 0 : 5 + ((nth * 37) % 196), 10 + ((nth * 53) % 231)];
    const at = new Date(Date.UTC(2026, 10, 2, 9) + nth * 600_000).toISOString().slice(0, 19);
    const queue = nth % 2 ? 'Assisted travel queue' : 'Evening desk';
    const gaveUp = patience < offered;
    rows.push(`${at},${queue},${gaveUp ? patience : offered},${gaveUp ? 'abandoned' : 'answered'},${gaveUp ? '' : 120 + ((nth * 31) % 400)},C-${Math.floor(nth / 2)}`);
  }
  return rows.join('\n');
}

test('single contacts say how long customers wait, and one press takes it', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-25');
  await chooseContactType(page, 'Assisted travel');
  await staffingTab(page, 'Customers');
  await expect(page.getByText('Nothing was measured')).toBeVisible();
  const send = async (text: string) => {
    await page.getByLabel(/^Single contacts as CSV/).setInputFiles({ name: 'contacts.csv', mimeType: 'text/csv', buffer: Buffer.from(text) });
    await page.getByRole('button', { name: 'See what they say' }).click();
  };
  await send('arrived_at,waited_secs,outcome\n2026-11-20 10:00,long,answered\n');
  await expect(page.getByRole('alert')).toContainText('Row 2, waited_secs: “long” is no number of seconds');
  await page.getByRole('link', { name: 'Back to the customers' }).click();

  await send(singleContacts());
  await expect(page.locator('.answer')).toContainText(/900 contacts of Assisted travel waited or could have, \d+ abandoned: they wait 1[0-4]\d s on average/);
  await expect(page.getByRole('img', { name: /^Share of customers who would still wait/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /^Evening desk/ })).toContainText(/1\d\d s/);
  await expect(page.getByRole('row', { name: /^Call again after abandoning/ })).toContainText('nobody');
  await page.getByLabel('Who calls again').uncheck();
  await page.getByRole('button', { name: 'Take these' }).click();
  await expect(page.getByText(/^Saved\. Trials/)).toBeVisible();
  await expect(page.getByText(/Measured: patience as Weibull, shape \d\.\d\d, handle times as/)).toBeVisible();
  await expect(page.locator('.answer')).toContainText('Nobody calls again');
  await expect(page.getByText(/They wait 1[0-4]\d s on average before they abandon/)).toBeVisible();
  // The form beside it keeps what was measured.
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText(/Measured: patience as Weibull/)).toBeVisible();
});

test('a day is sized for nine of ten such days, and planned with one press', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-29');
  await chooseContactType(page, 'Vehicles & freight');
  const answer = page.locator('.day-need summary');
  const ask = page.getByRole('button', { name: 'How surely does the day as a whole hold?' });
  await ask.click();
  await expect(answer).toHaveText(/With the planned cover the day as a whole holds on .* Sundays; to hold on 9 of 10 takes \d+ agent-hours\./, { timeout: 180_000 });
  await answer.click();
  const row = page.getByRole('row', { name: /^To hold on 9 of 10/ });
  await expect(row).toContainText('holds');
  const hours = await row.getByRole('cell').first().textContent();
  page.once('dialog', (dialog) => dialog.accept());
  await row.getByRole('button', { name: 'Plan these' }).click();
  await expect(page.getByRole('status')).toContainText('Saved.');
  // The cover that was planned is the one that was sized.
  await page.goto('/staffing?day=2026-11-29');
  await chooseContactType(page, 'Vehicles & freight');
  await ask.click();
  await expect(answer).toBeVisible({ timeout: 180_000 });
  await answer.click();
  await expect(page.getByRole('row', { name: /^Planned cover/ }).getByRole('cell').first()).toHaveText(hours!);
});
