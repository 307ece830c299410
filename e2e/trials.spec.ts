// A planner tries days, cancels, and repeats a trial to the last digit.
import { expect, signIn, test, toStage, whenPlayed } from './steps';

test('the hole in Saturday morning shows in a trial, and the need closes it', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/?day=2026-11-23');
  await expect(page.getByText(/Sailing changes breaks on/)).toBeVisible();
  await page.getByRole('link', { name: 'Try a fix' }).click();
  await expect(page.getByRole('heading', { name: 'Try Sailing changes' })).toBeVisible();
  await page.getByRole('button', { name: 'Try it' }).click();
  await whenPlayed(page.getByText(/It breaks:/));
  await page.getByRole('link', { name: 'Try another' }).click();
  await page.getByLabel('Cover', { exact: true }).selectOption('need');
  await page.getByText('Headcount change by team').click();
  await page.getByLabel('Sailing changes team').fill('1');
  await page.getByLabel('Forecast uncertainty').selectOption('none: the forecast is exact');
  await page.getByRole('button', { name: 'Try it' }).click();
  await whenPlayed(page.getByText(/It holds:/));
  await expect(page.getByText(/the need, Sailing changes team 1 more, 200 simulated days/)).toBeVisible();
  // What meets the forecast's mean is not enough for days as far off it as days have been.
  await page.getByRole('link', { name: 'Try another' }).click();
  await expect(page.getByLabel('Cover', { exact: true })).toHaveValue('need');
  await expect(page.getByLabel('Sailing changes team')).toHaveValue('1');
  await page.getByLabel('Forecast uncertainty').selectOption('as measured');
  await page.getByRole('button', { name: 'Try it' }).click();
  await whenPlayed(page.getByText(/It (is marginal|breaks):/));
  await expect(page.getByText(/as far off the forecast as days have been/)).toBeVisible();
  // The days one by one: on how many it holds, and that contacts are what decides.
  const deciding = page.getByRole('region', { name: 'What decides whether it holds?' });
  await expect(deciding.getByText(/hold on .* \(\d+ of 200 simulated\)\. .* fails most often, on \d+/)).toBeVisible();
  await expect(deciding.getByRole('row', { name: /Contacts.* to [\d,]+ .* from [\d,]+/ }).first()).toBeVisible();
  await expect(page.getByRole('link', { name: 'Days as CSV' })).toBeVisible();
  // What happened there, and one contact of it in slow motion.
  await page.getByRole('link', { name: 'Sailing changes queue' }).first().click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What happened at Sailing changes queue?');
  await expect(page.locator('.answer')).toContainText(/contacts a day reached it\. Most of them/);
  await expect(page.getByRole('row', { name: /gives up/ }).first()).toBeVisible();
  await page.getByRole('row', { name: /gives up/ }).first().getByRole('link', { name: 'Walk it through' }).click();
  await expect(page.locator('.answer')).toContainText('A contact of Sailing changes that arrives at');
  await page.goBack();
  await page.getByRole('link', { name: 'See it on the map' }).click();
  await page.goto(page.url().replace(/&part=[^&]*/, ''));
  await expect(page.locator('.answer')).toContainText('Most contacts are lost at “Sailing changes queue”');
});

test('the same inputs give the same numbers', async ({ page }) => {
  await signIn(page, 'planner');
  const levels: string[] = [];
  for (let run = 0; run < 2; run += 1) {
    // The first version of the strategy stays what it is, whatever is saved meanwhile.
    await page.goto('/trials?day=2026-11-25');
    await page.getByRole('link', { name: 'Bookings, Wed 25 Nov' }).last().click();
    await page.getByRole('link', { name: 'Try another' }).click();
    await page.getByLabel('Seed').fill('77');
    await page.getByRole('button', { name: 'Try it' }).click();
    await whenPlayed(page.getByText(/It (holds|is marginal|breaks)/));
    levels.push((await page.getByRole('row', { name: /Service level in .*±/ }).textContent()) ?? '');
  }
  expect(levels[0]).toContain('±');
  expect(levels[1]).toBe(levels[0]);
});

test('the whole centre is tried on a typical, the fullest and a storm day', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await expect(page.getByRole('heading', { name: /Try (the whole centre|.* more)/ })).toBeVisible();
  await page.getByLabel('Days', { exact: true }).selectOption('a typical, the fullest and a storm day');
  await page.getByLabel('Simulated days').fill('60');
  await page.getByRole('button', { name: 'Try it' }).click();
  await whenPlayed(page.getByText(/breaks on the storm day/));
  const storm = page.getByRole('row', { name: /Storm day/ });
  await expect(storm).toContainText('breaks');
  await page.getByRole('link', { name: /Storm day/ }).click();
  await expect(page.getByText(/It breaks for/)).toBeVisible();
  await page.getByRole('link', { name: 'Web chat', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Web chat, with 95 % confidence' })).toBeVisible();
  await page.getByRole('link', { name: 'The other days' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(/Which days does .* survive/);
});

test('a long trial shows its progress and can be cancelled', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await page.getByLabel('Simulated days').fill('20000');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('progressbar')).toBeVisible();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByText(/Cancelled after [\d,]+ of 20,000 days/)).toBeVisible();
  await toStage(page, 'Trials');
  await expect(page.getByRole('row').filter({ hasText: 'cancelled' }).first()).toBeVisible();
});

test('a refused trial keeps what was typed and says what would do', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/trials?day=2026-11-25');
  await page.getByLabel('Simulated days').fill('1');
  await page.getByLabel('Cover', { exact: true }).selectOption('fixed');
  await page.getByLabel('Same headcount').fill('a few');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Must be a whole number from 2 to 20000.')).toBeVisible();
  await expect(page.getByText('Must be a whole number from 0 to 20000.')).toBeVisible();
  await expect(page.getByLabel('Same headcount')).toHaveValue('a few');
});

