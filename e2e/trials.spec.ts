// A planner tries days, cancels, and repeats a trial to the last digit.
import { expect, signIn, test, toStage } from './steps';

test('the hole in Saturday morning shows in a trial, and the need closes it', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/?day=2026-11-23');
  await expect(page.getByText(/Sailing changes breaks on/)).toBeVisible();
  await page.getByRole('link', { name: 'Try a fix' }).click();
  await expect(page.getByRole('heading', { name: /Try a day of Sailing changes/ })).toBeVisible();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText(/It breaks:/)).toBeVisible();
  await page.getByRole('link', { name: 'Try another' }).click();
  await page.getByLabel('Cover', { exact: true }).selectOption('need');
  await page.getByLabel('More or fewer people').fill('1');
  await page.getByLabel('The forecast is').selectOption('taken as exact');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText(/It holds:/)).toBeVisible();
  await expect(page.getByText(/the need, 1 more, 200 simulated days/)).toBeVisible();
  // What meets the forecast's mean is not enough for days as far off it as days have been.
  await page.getByRole('link', { name: 'Try another' }).click();
  await page.getByLabel('Cover', { exact: true }).selectOption('need');
  await page.getByLabel('More or fewer people').fill('1');
  await page.getByLabel('The forecast is').selectOption('as uncertain as it has been');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText(/It (is marginal|breaks):/)).toBeVisible();
  await expect(page.getByText(/as far off the forecast as days have been/)).toBeVisible();
});

test('the same inputs give the same numbers', async ({ page }) => {
  await signIn(page, 'planner');
  const levels: string[] = [];
  for (let run = 0; run < 2; run += 1) {
    await page.goto('/trials?day=2026-11-25');
    await page.getByLabel('Seed').fill('77');
    await page.getByRole('button', { name: 'Try it' }).click();
    await expect(page.getByText(/It (holds|is marginal|breaks):/)).toBeVisible();
    levels.push((await page.getByRole('row', { name: /Service level in/ }).textContent()) ?? '');
  }
  expect(levels[0]).toContain('±');
  expect(levels[1]).toBe(levels[0]);
});

test('a long trial shows its progress and can be cancelled', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await page.getByLabel('Simulated days').fill('20000');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('progressbar')).toBeVisible();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByText(/Cancelled after [\d]+ of 20000 days/)).toBeVisible();
  await toStage(page, 'Trials');
  await expect(page.getByRole('row').filter({ hasText: 'cancelled' }).first()).toBeVisible();
});

test('a refused trial keeps what was typed and says what would do', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await page.getByLabel('Simulated days').fill('1');
  await page.getByLabel('Cover', { exact: true }).selectOption('fixed');
  await page.getByLabel('People, if').fill('a few');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Must be a whole number from 2 to 20000.')).toBeVisible();
  await expect(page.getByText('Must be a whole number from 0 to 100000.')).toBeVisible();
  await expect(page.getByLabel('People, if')).toHaveValue('a few');
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
  await page.getByRole('button', { name: 'Look at it' }).click();
  await page.getByRole('button', { name: /^Save 1120 rows/ }).click();
  await expect(page.getByText('About 16,800 contacts for Even line')).toBeVisible();
  await toStage(page, 'Trials');
  await page.getByRole('link', { name: 'To the strategy of Even line' }).click();
  await page.getByRole('button', { name: 'Save as new version' }).first().click();
  await page.getByRole('link', { name: 'Try it' }).click();
  await page.getByLabel('Cover', { exact: true }).selectOption('fixed');
  await page.getByLabel('People, if').fill('22');
  await page.getByLabel('Simulated days').fill('1000');
  await page.getByLabel('The forecast is').selectOption('taken as exact');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText(/It (holds|is marginal|breaks):/)).toBeVisible({ timeout: 30_000 });
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
  await page.getByText('Remove Even line').first().click();
  await page.getByRole('button', { name: 'Remove Even line' }).click();
  await expect(page.getByRole('link', { name: 'Even line' })).toHaveCount(0);
});
