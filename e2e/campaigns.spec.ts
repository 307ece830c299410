// A planner asks how fast the centre may call people, and finds out before anybody is called.
import type { Page } from '@playwright/test';
import { expect, signIn, test, whenPlayed } from './steps';

const bar = (page: Page) => page.getByRole('region', { name: 'What is open' });
const map = (page: Page) => page.getByRole('region', { name: 'Journey map' });

test('the live campaign: how fast is safe, who may be called when, what a goal needs', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-25');

  // The campaign stands on the map beside the entries, and leads to its page.
  await expect(map(page).getByRole('link', { name: /^campaign Sailing news, predictive/ })).toBeVisible();
  await page.getByRole('link', { name: 'How fast may they dial?' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('How fast may “Sailing news” dial?');
  await expect(page.locator('.answer')).toContainText(/With \d+ agents? free for it at 15:00 it may ring up to [\d.]+ lines for each free one/);
  await expect(page.getByRole('img', { name: /lines keep the ceiling/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /^Predictive, in its trial/ })).toContainText('adapts');

  await expect(page.getByText('Abandoned over 30 days, with this day')).toBeVisible();

  // Conversations and lines by the hour, as its trial counted them.
  const hours = page.getByRole('table').filter({ hasText: 'Lines for 1 % blocked' });
  await expect(hours.getByRole('row', { name: /^11:00/ })).toContainText('%');
  await expect(hours.getByRole('row', { name: /^19:00/ })).toHaveCount(0);

  // Both clocks: people in New York are called later.
  await expect(page.getByRole('row', { name: /New York/ })).toContainText('13–19 here is 08–14 there');

  await page.getByLabel('To reach').fill('400');
  await page.getByLabel('people in').fill('2');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByText(/^\d+ agents? for 16\.0 hours at .* The list must have/)).toBeVisible();
  await page.getByLabel('To reach').fill('many');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByRole('alert')).toHaveText('Give both as numbers above 0, such as 500 in 5 days.');
  await expect(page.getByLabel('To reach')).toHaveValue('many');
});

test('a campaign is added to a draft, and preflight leaves agents to inbound contacts with one press', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-25');
  await page.getByText('Begin a draft').click();
  await page.getByLabel('What it is for').fill('Calls to groups');
  await page.getByRole('button', { name: 'Begin it' }).click();
  await expect(bar(page)).toContainText('Draft “Calls to groups”: no edit yet');
  await page.getByLabel('What to add').selectOption('campaign');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  const panel = page.locator('#part');
  await expect(panel.getByRole('heading', { level: 2 })).toContainText('Campaign “Campaign 2”');

  // One line each takes everybody who becomes free.
  await expect(panel).toContainText('Agents who never take an inbound contact');
  await panel.getByRole('button', { name: /Leave two free agents/ }).click();
  await expect(panel).not.toContainText('Agents who never take an inbound contact');
  await expect(map(page).getByRole('link', { name: /^campaign Campaign 2, progressive/ })).toBeVisible();
});

test('a campaign that dials over the ceiling says by how much, and which pace would hold', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy/campaigns?draft=3&campaign=autumn-offers&day=2026-11-25');
  await expect(page.locator('.answer')).toContainText('It is set to 3.5, which abandons');
  await expect(page.getByText('Dialling too fast for the ceiling')).toBeVisible();
  await expect(page.getByRole('row', { name: /^Steady, as it is set/ })).toContainText('over');
  await page.getByRole('link', { name: 'Change it' }).click();
  await expect(page.locator('#part')).toContainText('lines would hold');
  await expect(page.locator('#part').getByRole('button', { name: /Dial [\d.]+ lines for each free agent/ })).toBeVisible();
});

test('past calls say who answers when; a wrong file changes nothing, a right one is taken into a draft', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy/campaigns?draft=3&campaign=autumn-offers&day=2026-11-25');
  const send = async (text: string) => {
    await page.getByLabel(/^Other past calls as CSV/).setInputFiles({ name: 'calls.csv', mimeType: 'text/csv', buffer: Buffer.from(text) });
    await page.getByRole('button', { name: 'See what they say' }).click();
  };
  await send('dialled_at,outcome\nyesterday,person\n');
  await expect(page.getByRole('alert')).toContainText('Row 2, dialled_at: “yesterday” is no moment');
  await page.getByRole('link', { name: 'Back to the campaign' }).click();

  const calls = Array.from({ length: 200 }, (_, nth) => `2026-11-20 14:0${nth % 10}:00,${nth % 2 ? 'person' : 'no answer'},9,100,20`);
  await send(`dialled_at,outcome,ring_secs,talk_secs,wrap_up_secs\n${calls.join('\n')}\n`);
  await expect(page.locator('.answer')).toHaveText('200 calls, of which people answered 50.0 %. Most people answer at 14:00: 50.0 %.');
  await expect(page.getByRole('row', { name: /^14:00/ })).toContainText('43.1 % to 56.9 %');
  await page.getByRole('button', { name: 'Take this into the draft' }).click();
  await expect(bar(page)).toContainText('two edits since v1');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(bar(page)).toContainText('one edit since v1');

  // Files that were read are kept: the demo has the calls of October, which name zones.
  await page.goto('/strategy/campaigns?draft=3&campaign=autumn-offers&day=2026-11-25');
  await page.getByLabel('Past calls that say who answers when').selectOption({ label: 'calls-october.csv: 3,600 calls' });
  await page.getByRole('button', { name: 'See what these say' }).click();
  await expect(page.locator('.answer')).toContainText('3,600 calls, of which people answered');
  await expect(page.getByRole('row', { name: /^Europe\/Paris/ })).toContainText(/0\.[789]\d/);
  await page.getByRole('link', { name: 'Back to the campaign' }).click();
  await page.getByLabel('Past calls that say who answers when').selectOption({ label: 'calls.csv: 200 calls' });
  await page.getByRole('button', { name: 'See what these say' }).click();
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Remove them' }).click();
  await expect(page.getByLabel('Past calls that say who answers when')).not.toContainText('calls.csv: 200');
  await expect(page.locator('h1')).toContainText('How fast may “Autumn offers” dial?');
});

test('a list is looked at, saved, and called by a draft without those who must not be called', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy/lists');
  await expect(page.getByRole('row', { name: /^Winter passengers/ })).toContainText('1,400');
  const name = `Harbour festival ${Date.now()}`;
  const people = Array.from({ length: 60 }, (_, nth) => `0161 496 00${String(nth).padStart(2, '0')},${nth < 10 ? 'America/New_York' : ''}`);
  await page.getByLabel(/^Name of a new list/).fill(name);
  await page.getByLabel(/^CSV file or workbook/).setInputFiles({
    name: 'festival.csv', mimeType: 'text/csv', buffer: Buffer.from(`Mobile,Time zone\n${people.join('\n')}\n0161 496 0000,\n`),
  });
  await page.getByRole('button', { name: 'Preview the list' }).click();
  await expect(page.locator('.answer')).toHaveText('60 people may be called. One row is refused. Nothing is saved until you confirm.');
  await expect(page.getByRole('row', { name: /^62/ })).toContainText('stands in row 2 too; one row is enough');
  await expect(page.getByRole('row', { name: /New York/ })).toContainText('13:00–24:00');

  // Read again in another way, and back.
  await page.getByRole('link', { name: 'Change columns' }).click();
  await page.getByLabel('What Time zone holds').selectOption('row');
  await page.getByRole('button', { name: 'Read with these columns' }).click();
  await expect(page.getByRole('row', { name: /New York/ })).toHaveCount(0);
  await page.getByRole('button', { name: 'Save 60 people, leave out one row' }).click();
  await expect(page.locator('.answer')).toHaveText('60 people may be called. One row is refused.');

  // One of them has asked not to be called.
  await page.getByRole('link', { name: 'All lists' }).click();
  await page.getByLabel('Number', { exact: true }).fill('0161 496 0007');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('row', { name: name })).toContainText(/60\s*1/);

  await page.goto('/strategy/campaigns?draft=3&campaign=autumn-offers&day=2026-11-25');
  await page.getByLabel(/^Who is called:/).selectOption({ label: `${name}: 59 people` });
  await page.getByRole('button', { name: 'Call these people' }).click();
  await expect(bar(page)).toContainText('edits since v1');
  await page.goto('/strategy/campaigns?draft=3&campaign=autumn-offers&day=2026-11-25');
  await expect(page.getByText(`Who is called: 59 people of the list “${name}”.`)).toBeVisible();
  await page.goto('/strategy?draft=3&day=2026-11-25');
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.goto('/strategy/campaigns?draft=3&campaign=autumn-offers&day=2026-11-25');
  await expect(page.getByText('Who is called: 12,000 made-up people.')).toBeVisible();
});

test('one call of a campaign is walked through and kept as an expectation', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy/campaigns?day=2026-11-25');
  await page.getByRole('link', { name: 'Walk a call through' }).click();
  await expect(page.locator('.answer')).toContainText('who is next on the list of Sailing news at 15:00 talks to an agent');
  // Over there it is early.
  await page.getByLabel('The person’s time zone').fill('America/New_York');
  await page.getByLabel('Next on the list at').fill('12:30');
  await page.getByRole('button', { name: 'Walk it through' }).click();
  await expect(page.locator('.answer')).toContainText('is not called');
  const happens = page.getByRole('region', { name: 'What happens, step by step' });
  await expect(happens).toContainText('It is Wednesday 07:30 where the person lives, who may be called 08:00 to 21:00.');
  await expect(happens).toContainText('Called at 13:00, with the same people: answered after');
  await happens.getByText('Keep as an expectation').click();
  const name = `Nobody is woken ${Date.now()}`;
  await page.getByLabel('Name', { exact: true }).fill(name);
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByText(name)).toBeVisible();
  // A contact that comes in is one press away.
  await page.goBack();
  await page.getByRole('link', { name: 'Comes in' }).click();
  await expect(page.locator('.answer')).toContainText('A contact of Bookings that arrives at');
});

test('what a campaign does to the inbound day is compared in one press', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy/campaigns?day=2026-11-25');
  await page.getByRole('button', { name: 'Compare the day with and without it' }).click();
  await expect(page.getByText('v1 without and with “Sailing news”')).toBeVisible();
  await whenPlayed(page.getByRole('row', { name: /^v1 with “Sailing news”/ }));
  await expect(page.getByRole('row', { name: /^v1 without “Sailing news”/ })).toBeVisible();
});

test('a trial counts what its campaigns do', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/strategy/campaigns');
  // An hour of anybody costs 22.50 here: so much for each conversation of it.
  const figure = async (term: string) => Number(await page.locator('dl.listed div').filter({ hasText: term }).locator('dd').first().textContent());
  const [cost, conversations] = [await figure('Cost of these hours for each conversation'), await figure('Conversations for each agent hour')];
  expect(cost * conversations).toBeGreaterThan(0.97 * 22.5);
  expect(cost * conversations).toBeLessThan(1.03 * 22.5);
  await page.getByRole('link', { name: 'the whole centre' }).click();
  const row = page.getByRole('row', { name: /^Sailing news/ });
  // Safe: hardly a day is over the ceiling of 3 %.
  await expect(row.getByRole('cell').nth(2)).toHaveText(/^[0-2]\.\d/);
  await expect(row.getByRole('cell').nth(4)).toHaveText(/^[0-4] %$/);
  // One of its days, with what the pacing reckons with at three o'clock.
  await page.getByRole('link', { name: 'Watch a day' }).click();
  await expect(page.getByRole('heading', { name: 'How “Sailing news” paces itself (predictive)' })).toBeVisible();
  const figures = page.locator('.replay-pacing dl');
  await expect(figures).toContainText('It has not begun to dial');
  await page.getByLabel('Time of the day').fill('28800');
  await expect(page.getByRole('timer')).toHaveText('15:00:00');
  await expect(figures).toContainText(/Expects of lines to be answered[2-5]\d\.\d %/);
  await expect(figures).toContainText(/Abandoned of answered today\d+ of \d{2,} \([0-2]\.\d %\)/);
  // A press into its picture goes there.
  const picture = page.getByRole('img', { name: /the share of lines that the pacing expects/ });
  await picture.click({ position: { x: 44, y: 120 } });
  await expect(page.getByRole('timer')).toHaveText(/^11:00/);
});
