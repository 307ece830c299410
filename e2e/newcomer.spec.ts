// A newcomer brings in calls of their own and gets from history to a verdict.
import { chooseContactType, expect, signIn, test, toStage } from './steps';

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
  await page.getByRole('button', { name: 'Look at it' }).click();

  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What would helpline.csv change?');
  const line = page.getByRole('row', { name: /Help line \(new\)/ });
  // 70 days of 48 halves, two more on the day the clocks go back, four missing.
  await expect(line).toContainText('3,358');
  const refusals = page.getByRole('row').filter({ hasText: 'keep one of them' });
  await expect(refusals).toHaveCount(1);
  await expect(page.getByRole('row').filter({ hasText: '“many” is not a whole number' })).toContainText('offered');

  await page.getByRole('button', { name: /Save \d+ rows, leave out 2/ }).click();
  await expect(page.getByText(/About [\d,]+ contacts for Help line/)).toBeVisible();
  await expect(page.getByRole('heading', { name: 'How far to trust it' })).toBeVisible();
  await expect(page.getByText(/Such forecasts were off by [\d.]+ % per interval/)).toBeVisible();
  await expect(page.getByRole('heading', { name: /What is .* made of/ })).toBeVisible();

  await toStage(page, 'Staffing');
  await expect(page.getByText(/Help line on .* needs \d+ people at its peak/)).toBeVisible();
  await page.getByRole('navigation', { name: /^Staffing of/ }).getByRole('link', { name: 'Cover' }).click();
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Week as needed' }).click();
  await expect(page.getByText(/: 0 more than needed where it is over, 0 missing where it is short/)).toBeVisible();

  await toStage(page, 'Strategy');
  await page.getByLabel('Places', { exact: true }).fill('25');
  await page.getByRole('button', { name: 'Save as new version' }).first().click();
  await expect(page.getByText('Saved as a new version.')).toBeVisible();
  await expect(page.getByText(/waits in a queue of 25 places/)).toBeVisible();

  await page.getByRole('link', { name: 'Try it' }).click();
  await page.getByLabel('Day', { exact: true }).selectOption({ label: 'Saturday 28 November' });
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Will Saturday 28 November hold for Help line?');
  await expect(page.getByText(/It (holds|is marginal|breaks):/)).toBeVisible();
  await expect(page.getByRole('row', { name: /Service level in 20 s/ })).toContainText('±');
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
    await page.getByRole('button', { name: 'Look at it' }).click();
  };
  await send('');
  await expect(page.getByRole('alert').filter({ hasText: 'The file is empty' })).toBeVisible();
  await send('contact_type;offered\nA;1');
  await expect(page.getByText(/no heading says when an interval starts/)).toBeVisible();
  await page.getByRole('button', { name: 'Read it so' }).click();
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
