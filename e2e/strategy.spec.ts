// Journeys that change the centre's one strategy. They stand in one file, so that they go one after the
// other: what goes live in one is what the next begins from.
import type { Page } from '@playwright/test';
import { expect, press, signIn, test, toStage, whenPlayed } from './steps';

async function keepDraft(page: Page, label?: string) {
  await page.getByText('Keep as a version').click();
  if (label) await page.getByLabel('What this version is called').fill(label);
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByText('Kept as a version, which never changes.')).toBeVisible();
}

test('a fault is seen on the map, repaired with one press, and undone', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-27');
  await expect(page.locator('.answer')).toContainText('Most contacts are lost at “Sailing changes queue”');
  const map = page.getByRole('region', { name: 'Journey map' });
  await map.getByLabel('Whose ways').selectOption('Groups');
  await expect(page.locator('.answer')).toContainText('Most contacts of Groups are lost at “Groups queue”');
  await expect(map.getByRole('link', { name: /^entry General line, 1[678]\d a day/ })).toBeVisible();
  await expect(map.getByRole('link', { name: /^entry Freight line, 0 a day/ })).toBeVisible();
  await map.getByLabel('Whose ways').selectOption('all contacts');
  await map.getByRole('link', { name: /^hunt group Harbour offices/ }).click();
  const panel = page.locator('#part');
  await expect(panel.getByRole('heading', { name: '“Harbour offices”, a hunt group' })).toBeVisible();
  await expect(panel.getByRole('img', { name: /Ada Quill rings 0.0 s to 10.0 s/ })).toBeVisible();
  await panel.getByLabel('Group limit (s)').fill('60');
  await panel.getByRole('button', { name: 'Change it in a draft' }).click();
  await expect(page.getByText('A draft has begun with this change.')).toBeVisible();
  await expect(panel.getByText('Time is over before everybody has rung')).toBeVisible();
  await expect(map.getByRole('link', { name: /^hunt group Harbour offices.*1 finding/ })).toBeVisible();
  // Other journeys change lines and cover meanwhile, which preflight may warn of as well.
  await expect(page.locator('.answer')).toContainText('Preflight finds one serious fault');
  const fault = panel.getByText('Time is over before everybody has rung');
  // What it would do is simulated before anybody does it.
  await panel.getByRole('button', { name: 'Time is over before everybody has rung: what would the repair do?' }).click();
  await whenPlayed(panel.getByText(/^On Friday 27 November.*the same 40 simulated days with and without it/));
  await panel.getByRole('button', { name: /^Set the group limit to \d+ s/ }).click();
  await expect(page.getByText('Kept in the draft.')).toBeVisible();
  await expect(fault).toBeHidden();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.locator('.answer')).toContainText('Preflight finds one serious fault');
  await press(page, 'Control+Shift+Z');
  await expect(page.getByText('Redone.')).toBeVisible();
  await expect(fault).toBeHidden();
  // The live version is as it was.
  await page.goto('/strategy?day=2026-11-27');
  await expect(page.getByRole('region', { name: 'What is open' })).toContainText('the live one');
});

test('the map is travelled by key, and one contact is walked through', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-27');
  const map = page.getByRole('region', { name: 'Journey map' });
  await map.getByRole('link', { name: /^entry General line/ }).focus();
  await press(page, 'ArrowRight');
  await expect(map.getByRole('link', { name: /^hours gate Opening hours/ })).toBeFocused();
  await press(page, 'ArrowLeft');
  await expect(map.getByRole('link', { name: /^entry General line/ })).toBeFocused();
  await press(page, 'ArrowDown');
  await expect(map.getByRole('link', { name: /^entry Freight line/ })).toBeFocused();
  await map.getByLabel('Find a step by name').fill('harbour');
  await press(page, 'Enter');
  await expect(map.getByRole('link', { name: /^hunt group Harbour offices/ })).toBeFocused();
  await press(page, 'Enter');
  await expect(page.getByRole('heading', { name: '“Harbour offices”, a hunt group' })).toBeVisible();

  await page.getByRole('link', { name: 'Walk a contact through' }).click();
  await page.getByLabel('Contact type').selectOption('Groups');
  await page.getByLabel('Arrives at').fill('19:30');
  await page.getByLabel('Menu choices, in order').fill('English; Groups of ten and more');
  for (const team of ['Groups team', 'Evening team']) {
    await page.getByLabel(`${team}, on shift`).fill('0');
    await page.getByLabel(`${team}, busy`).fill('0');
  }
  await page.getByRole('button', { name: 'Walk it through' }).click();
  await expect(page.locator('.answer')).toContainText('leaves a message at “Voicemail”');
  await expect(page.getByText('“Opening hours” is open at 19:30: on to “Two languages”.')).toBeVisible();
  await expect(page.getByText(/One person more, and free, in “Evening team”/)).toBeVisible();
  await page.getByText('Keep as an expectation').click();
  await page.getByLabel('Name', { exact: true }).fill('Groups in the evening');
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByRole('row', { name: /Groups in the evening/ })).toContainText('met leaves a message');
  await expect(page.getByRole('row', { name: /Christmas Day is closed/ })).toContainText('met');
  await page.goBack();
  await page.getByRole('button', { name: 'next ›' }).click();
  await expect(page.locator('.moments .now')).toHaveText(/Groups arrives at “General line”/);
});

test('the way of an entry is folded, and the rest of the map stays', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-27');
  const map = page.getByRole('region', { name: 'Journey map' });
  const queue = map.getByRole('link', { name: /^queue Vehicles & freight queue/ });
  await expect(queue).toBeVisible();
  await map.getByRole('link', { name: /^hunt group Harbour offices/ }).click();
  await expect(page.getByRole('heading', { name: '“Harbour offices”, a hunt group' })).toBeVisible();
  // With the key on the entry: focus, panel and the other ways stay.
  await map.getByRole('link', { name: /^entry Freight line/ }).focus();
  await press(page, '-');
  await expect(map.getByRole('link', { name: /^entry Freight line, .* folded/ })).toBeVisible();
  await expect(queue).toBeHidden();
  await expect(map.getByRole('link', { name: /^entry Freight line/ })).toBeFocused();
  await expect(map.getByRole('link', { name: /^hunt group Harbour offices/ })).toBeVisible();
  await expect(page.getByRole('heading', { name: '“Harbour offices”, a hunt group' })).toBeVisible();
  // At another moment it is still folded; by mouse it is unfolded.
  await page.getByLabel('Moment').selectOption('14:00');
  await expect(page.locator('h1')).toContainText('at 14:00');
  await expect(page.getByRole('heading', { name: '“Harbour offices”, a hunt group' })).toBeVisible();
  await map.getByRole('link', { name: /^Unfold the way of Freight line/ }).click();
  await expect(queue).toBeVisible();
  await map.getByRole('link', { name: 'Fold all ways', exact: true }).click();
  await expect(map.getByRole('link', { name: 'Unfold all ways' })).toBeVisible();
  await expect(queue).toBeHidden();
});

test('a hunt group is added, changed in its form and tried', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-25');
  await page.getByLabel('What to add').selectOption('hunt group');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByText('A draft has begun with this change.')).toBeVisible();
  // What is chosen or typed is kept at once.
  await page.getByLabel('Offer order').selectOption('round robin that keeps its place');
  await expect(page.getByRole('region', { name: 'What is open' })).toContainText('two edits since v1');
  await page.getByLabel('Ring window (s)').fill('15');
  await press(page, 'Tab');
  await expect(page.getByRole('region', { name: 'What is open' })).toContainText('three edits since v1');
  await expect(page.getByLabel('Gap (s)')).toBeFocused();
  await page.getByRole('button', { name: 'Add to waves (s)' }).click();
  await expect(page.getByLabel('Waves (s) 1', { exact: true })).toBeVisible();
  await expect(page.getByLabel('Ring window (s)')).toHaveValue('15');
  await page.getByLabel('Waves (s) 1', { exact: true }).fill('twenty');
  await press(page, 'Tab');
  await expect(page.getByText('“twenty” is not a number.')).toBeVisible();
  await page.getByLabel('Waves (s) 1', { exact: true }).fill('20');
  await press(page, 'Tab');
  await expect(page.getByRole('region', { name: 'What is open' })).toContainText('four edits since v1');
  await expect(page.getByText('“twenty” is not a number.')).toBeHidden();
  await expect(page.getByRole('region', { name: 'Parts of the strategy' }).getByText('hunt group, round robin that keeps its place', { exact: true })).toBeVisible();
});

test('a tried draft goes live by its change sheet, approved by another person, and is rolled back', async ({ page, browser }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-25');
  await page.getByRole('region', { name: 'Parts of the strategy' }).getByRole('link', { name: 'Assisted travel queue', exact: true }).click();
  await page.getByLabel('Longest wait (s)').fill('420');
  await page.getByRole('button', { name: 'Change it in a draft' }).click();
  await expect(page.getByText('queue, 30 places, up to 420 s')).toBeVisible();
  await keepDraft(page, 'A limit for assisted travel');
  await page.goto('/trials?day=2026-11-25#new');
  await page.getByRole('button', { name: 'Try it' }).click();
  await whenPlayed(page.getByText(/It (holds|is marginal|breaks)/));

  await toStage(page, 'Go-live');
  const version = page.getByRole('listitem').filter({ hasText: 'A limit for assisted travel' });
  await version.getByRole('link', { name: 'Draw up its sheet' }).click();
  await expect(page.locator('.answer')).toContainText('one finished trial or comparison');
  await page.getByLabel('Why it is wanted').fill('Nobody should wait over seven minutes');
  await page.getByLabel(/^Way back/).fill('Roll back if more than one in ten reaches voicemail');
  await page.getByRole('button', { name: 'Save the sheet' }).click();
  await expect(page.getByRole('row', { name: /“Assisted travel queue”: Longest wait/ })).toContainText('no limit');
  await page.getByRole('button', { name: 'Propose it' }).click();
  await expect(page.locator('.answer')).toContainText('waits for an approver; E. Marlowe proposed it');
  await expect(page.getByText('Only an approver can do this.')).toBeVisible();
  const sheet = new URL(page.url()).pathname;

  const context = await browser.newContext();
  const approver = await context.newPage();
  await signIn(approver, 'approver');
  await toStage(approver, 'Go-live');
  await approver.getByRole('link', { name: 'A limit for assisted travel' }).click();
  await approver.getByLabel('Reason to send it back').fill('What happens in the evening?');
  await approver.getByRole('button', { name: 'Send back' }).click();
  await expect(approver.locator('.answer')).toContainText('was sent back by Ines Okafor');

  await page.goto(sheet);
  await expect(page.getByText('What happens in the evening?')).toBeVisible();
  await page.getByRole('link', { name: 'Edit', exact: true }).click();
  await page.getByLabel('Conditions, if there are any').fill('Not after 18:00');
  await page.getByRole('button', { name: 'Save the sheet' }).click();
  await page.getByRole('button', { name: 'Propose it' }).click();

  await approver.reload();
  await expect(approver.getByText('Not after 18:00')).toBeVisible();
  await approver.getByRole('button', { name: 'Approve and publish' }).click();
  await expect(approver.locator('.answer')).toContainText('is live since');
  await toStage(approver, 'Go-live');
  await expect(approver.getByRole('row', { name: /A limit for assisted travel/ }).last()).toContainText('Ines Okafor');
  await approver.goto(sheet);
  await approver.getByLabel('Reason to roll back').fill('Too many voicemails');
  await approver.getByRole('button', { name: 'Roll back' }).click();
  await expect(approver.locator('.answer')).toContainText('was rolled back by Ines Okafor');
  await toStage(approver, 'Go-live');
  await expect(approver.locator('.answer')).toContainText('v1 Larkhaven Ferries is live.');
  await context.close();

  const viewing = await browser.newContext();
  const viewer = await viewing.newPage();
  await signIn(viewer, 'viewer');
  await viewer.goto(sheet);
  await expect(viewer.getByText('Too many voicemails')).toBeVisible();
  await expect(viewer.getByRole('button', { name: /Roll back|Propose|Approve/ })).toHaveCount(0);
  await viewing.close();
});

// Ten weeks of half-hours of a made-up help line that end on the demo's yesterday, with what real
// exports have: a gap, a repeated row, a bad number, and the day on which the clocks go back.
function messyHistory(name: string): string {
  const rows = ['contact_type,interval_start,offered,answered,abandoned,handle_secs'];
  const first = Date.UTC(2026, 8, 14);
  for (let day = 0; day < 70; day += 1) {
    const date = new Date(first + day * 86_400_000);
    const iso = date.toISOString().slice(0, 10);
    const weekday = date.getUTCDay();
    for (let half = 0; half < 48; half += 1) {
      const hour = Math.floor(half / 2);
      if (iso === '2026-10-07' && hour >= 13 && hour < 15) continue;
      const offered = Math.round((weekday === 0 ? 3 : 9) * (1.2 + Math.sin((hour - 5) / 3)) + ((day * 7 + half) % 4));
      const abandoned = offered > 10 ? 1 : 0;
      const minute = half % 2 === 0 ? '00' : '30';
      const row = `${name},${iso}T${String(hour).padStart(2, '0')}:${minute},${offered},${offered - abandoned},${abandoned},${190 + (half % 5)}`;
      rows.push(row);
      // The clocks go back on 25 October: 01:00 and 01:30 come twice.
      if (iso === '2026-10-25' && hour === 1) rows.push(row);
      if (iso === '2026-10-08' && half === 20) rows.push(row);
    }
  }
  rows.push(`${name},2026-11-20T10:00,many,1,0,200`);
  return rows.join('\n');
}

test('history in, forecast, need, a strategy tried, a verdict', async ({ page }) => {
  await signIn(page, 'planner');
  await toStage(page, 'Demand');
  await page.getByRole('link', { name: 'Import history' }).click();
  await page.getByLabel('CSV file').setInputFiles({ name: 'helpline.csv', mimeType: 'text/csv', buffer: Buffer.from(messyHistory('Help line')) });
  await page.getByRole('button', { name: 'Preview' }).click();

  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What would helpline.csv change?');
  const line = page.getByRole('row', { name: /Help line \(new\)/ });
  // 70 days of 48 halves, two more on the day the clocks go back, four missing.
  await expect(line).toContainText('3,358');
  const refusals = page.getByRole('row').filter({ hasText: 'keep one of them' });
  await expect(refusals).toHaveCount(1);
  await expect(page.getByRole('row').filter({ hasText: '“many” is not a whole number' })).toContainText('offered');

  await page.getByRole('button', { name: /Save \d+ rows, leave out 2/ }).click();
  await whenPlayed(page.getByText(/About [\d,]+ contacts for Help line/));
  await expect(page.getByRole('heading', { name: 'How far to trust it' })).toBeVisible();
  await expect(page.getByText(/Such forecasts were off by [\d.]+ % per interval/)).toBeVisible();
  await expect(page.getByRole('heading', { name: /What is .* made of/ })).toBeVisible();

  await toStage(page, 'Staffing');
  await expect(page.getByText(/Help line on .* needs \d+ people at its peak/)).toBeVisible();
  await page.getByRole('navigation', { name: /^Staffing of/ }).getByRole('link', { name: 'Cover' }).click();
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Week as needed' }).click();
  await expect(page.getByText(/: 0 more than needed where it is over, 0 missing where it is short/)).toBeVisible();

  const staffed = page.url();
  await toStage(page, 'Strategy');
  const missing = page.locator('.notice').filter({ hasText: 'No entry receives Help line.' });
  await missing.getByRole('button', { name: 'Give it an entry, a queue and a team' }).click();
  await page.getByRole('region', { name: 'Parts of the strategy' }).getByRole('link', { name: 'Help line queue', exact: true }).click();
  await page.getByLabel('Places', { exact: true }).fill('25');
  await press(page, 'Tab');
  await expect(page.getByText('queue, 25 places')).toBeVisible();
  await keepDraft(page);

  await page.goto(staffed.replace(/staffing\/([^/?]+)[^?]*/, 'trials').replace('?', `?contact_type=${/staffing\/([^/?]+)/.exec(staffed)?.[1]}&`));
  await page.getByLabel('Days', { exact: true }).selectOption({ label: 'Saturday 28 November' });
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Will Saturday 28 November hold for Help line?');
  await whenPlayed(page.getByText(/It (holds|is marginal|breaks):/));
  await expect(page.getByRole('row', { name: /Service level in 20 s .*±/ })).toContainText('±');
  await expect(page.getByText(/Erlang A takes each interval as settled/)).toBeVisible();

  // Kept, not only shown: the outlook and the list know it.
  await toStage(page, 'Outlook');
  await expect(page.getByRole('link', { name: 'Help line, Sat 28 Nov' })).toBeVisible();
});

test('a file that is no history says what is missing, and nothing is saved', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/demand/import');
  const send = async (text: string) => {
    await page.getByLabel('CSV file').setInputFiles({ name: 'x.csv', mimeType: 'text/csv', buffer: Buffer.from(text) });
    await page.getByRole('button', { name: 'Preview' }).click();
  };
  await send('');
  await expect(page.getByRole('alert').filter({ hasText: 'The file is empty' })).toBeVisible();
  await send('contact_type;offered\nA;1');
  await expect(page.getByText(/no heading says when an interval starts/)).toBeVisible();
  await page.getByRole('button', { name: 'Read with these columns' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Choose the column with date and time' })).toBeVisible();
  await page.getByRole('button', { name: 'Discard' }).click();
  await page.getByLabel('Contact type, if').fill('Ticket desk');
  await send('start;offered\n2026-03-29 01:30;5\n2026-03-29 02:30;6');
  await expect(page.getByText('1 of 2 rows can be used; 1 is refused.')).toBeVisible();
  await expect(page.getByText(/does not exist in Europe\/London/)).toBeVisible();
  await page.getByRole('button', { name: 'Discard' }).click();
  await page.goto('/demand');
  await expect(page.getByRole('link', { name: 'Ticket desk' })).toHaveCount(0);
});

// The exact solution of this day (Kolmogorov equations): 4 calls a minute of 5 minutes for 600 minutes
// from an empty start, 22 agents, patience of 3 minutes, then the line is served empty.
const EXACT = { answered: 2263.995, abandoned: 136.005, answered_in_time: 1895.407, wait_secs: 60 * 408.015 };

test('a day whose exact solution is known comes out within its own confidence', async ({ page }) => {
  await signIn(page, 'planner');
  const rows = ['contact_type,interval_start,offered,answered,abandoned,handle_secs'];
  for (let day = 0; day < 56; day += 1) {
    const date = new Date(Date.UTC(2026, 8, 28) + day * 86_400_000).toISOString().slice(0, 10);
    for (let half = 16; half < 36; half += 1) {
      rows.push(`Even line,${date}T${String(Math.floor(half / 2)).padStart(2, '0')}:${half % 2 ? '30' : '00'},120,120,0,300`);
    }
  }
  await page.goto('/demand/import');
  await page.getByLabel('CSV file').setInputFiles({ name: 'even.csv', mimeType: 'text/csv', buffer: Buffer.from(rows.join('\n')) });
  await page.getByRole('button', { name: 'Preview' }).click();
  await page.getByRole('button', { name: /^Save 1120 rows/ }).click();
  await whenPlayed(page.getByText('About 16,800 contacts for Even line'));
  await toStage(page, 'Trials');
  await expect(page.getByRole('heading', { name: 'Try Even line' })).toBeVisible();
  const trials = page.url();
  await page.getByLabel('Cover', { exact: true }).selectOption('fixed');
  await page.getByLabel('Same headcount').fill('22');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('No entry of this strategy receives Even line.')).toBeVisible();
  await toStage(page, 'Strategy');
  const missing = page.locator('.notice').filter({ hasText: 'No entry receives Even line.' });
  await missing.getByRole('button', { name: 'Give it an entry, a queue and a team' }).click();
  await expect(page.getByText('A draft has begun with this change.')).toBeVisible();
  await keepDraft(page);
  await page.goto(trials);
  await page.getByLabel('Cover', { exact: true }).selectOption('fixed');
  await page.getByLabel('Same headcount').fill('22');
  await page.getByLabel('Simulated days').fill('1000');
  await page.getByLabel('Forecast uncertainty').selectOption('none: the forecast is exact');
  await page.getByRole('button', { name: 'Try it' }).click();
  await whenPlayed(page.getByText(/It (holds|is marginal|breaks):/));
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Trial as JSON' }).click()]);
  const { result } = JSON.parse(Buffer.concat(await (await download.createReadStream()).toArray()).toString());
  for (const [measure, exact] of Object.entries(EXACT)) {
    const { mean, half_width } = result.day[measure];
    // 2.3 half-widths of 95 % are 4.5 standard errors.
    expect(Math.abs(mean - exact), `${measure}: ${mean} ± ${half_width} against ${exact}`).toBeLessThan(2.3 * half_width);
    expect(half_width / exact, measure).toBeLessThan(0.03);
  }
  page.once('dialog', (dialog) => dialog.accept());
  await page.goto('/demand');
  await page.getByRole('link', { name: 'Even line' }).click();
  await page.getByText('Archive Even line').first().click();
  await page.getByRole('button', { name: 'Archive Even line' }).click();
  await expect(page.getByRole('button', { name: 'Restore Even line' })).toBeVisible();
});
