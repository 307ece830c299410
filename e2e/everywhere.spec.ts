// What holds for every page: readable, accessible, light on the wire, safe, and honest when lost.
import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect, signIn, test } from './steps';

const TABS = ['', '/accuracy', '/cleaning', '/overlays', '/frozen'];
const PAGES = ['/', '/demand', '/demand/special-days', '/demand/import', '/strategy', '/strategy?draft=1&part=step.main-menu', '/strategy/people', '/strategy/numbers', '/strategy/campaigns', '/strategy/lists', '/strategy/walk', '/strategy/rules', '/trials', '/trials/record', '/comparisons', '/go-live', '/go-live/sheets/1', '/go-live/new?version=2', '/watch', '/watch/boards/new', '/watch/alarms', '/watch/outbox', '/watch/account', '/watch/weeks', '/watch/help', '/watch/queues/bookings-queue', '/watch/teams/bookings-team', '/reports', '/reports/week-review', '/reports/new?ready=morning-brief', '/people', '/people/me/second-factor', '/methods/erlang', '/methods/interface'];

// With the demand and the staffing pages of one contact type.
async function pages(page: Page) {
  await page.goto('/staffing');
  const { pathname, search } = new URL(page.url());
  const staffing = ['', '/what-if', '/roster', '/roster/day', '/customers', '/lines'].map((tab) => pathname + tab + search);
  await page.goto('/demand');
  const address = await page.getByRole('link', { name: 'Bookings', exact: true }).getAttribute('href');
  const groups = await page.getByRole('link', { name: 'Groups', exact: true }).getAttribute('href');
  const rostered = `/staffing/${(groups ?? '').split(/[/?]/)[2]}/roster/day?day=2026-11-28`;
  return [...PAGES, ...staffing, rostered, `${staffing[0]}&span=week`, ...TABS.map((tab) => (address ?? '').replace('?', `${tab}?`))];
}

for (const theme of ['light', 'dark'] as const) {
  test(`every page is accessible in the ${theme} theme`, async ({ page }) => {
    // Every page in turn.
    test.setTimeout(900_000);
    await page.emulateMedia({ colorScheme: theme });
    await signIn(page, 'planner');
    // The dark theme changes colours and nothing else.
    const axe = () => (theme === 'light' ? new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']) : new AxeBuilder({ page }).withRules(['color-contrast']));
    const found: string[] = [];
    for (const path of await pages(page)) {
      await page.goto(path);
      const { violations } = await axe().analyze();
      found.push(...violations.flatMap((each) => each.nodes.map((node) => `${path} ${each.id}: ${node.target} ${node.failureSummary}`)));
    }
    expect(found).toEqual([]);
  });
}

test('no page needs to scroll sideways, and each has one question for a title', async ({ page }) => {
  await signIn(page, 'planner');
  for (const path of await pages(page)) {
    await page.goto(path);
    await expect(page.getByRole('heading', { level: 1 })).toHaveText(/\?$/);
    const overflow = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
    expect(overflow, path).toBeLessThanOrEqual(0);
  }
});

test('on a phone the bar wraps and the outlook fits', async ({ page }) => {
  await page.setViewportSize({ width: 420, height: 800 });
  await signIn(page, 'planner');
  await expect(page.getByRole('button', { name: 'Sign out' })).toBeInViewport({ ratio: 1 });
  await expect(page.getByRole('link', { name: 'Watch', exact: true })).toBeInViewport({ ratio: 1 });
  const overflow = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
  expect(overflow).toBeLessThanOrEqual(0);
});

test('a first visit loads under 600 kB', async ({ page }) => {
  await signIn(page, 'planner');
  for (const path of ['/', '/staffing']) {
    const client = await page.context().newCDPSession(page);
    await client.send('Network.enable');
    await client.send('Network.setCacheDisabled', { cacheDisabled: true });
    let bytes = 0;
    client.on('Network.loadingFinished', (event) => (bytes += event.encodedDataLength));
    await page.goto(path, { waitUntil: 'networkidle' });
    expect(bytes, path).toBeLessThan(600_000);
    expect(bytes, path).toBeGreaterThan(20_000);
    await client.detach();
  }
});

test('the theme is chosen once and stays', async ({ page }) => {
  await signIn(page, 'planner');
  await page.getByRole('button', { name: 'Light or dark' }).click();
  await expect(page.locator('html')).toHaveAttribute('data-bs-theme', 'dark');
  await page.goto('/watch');
  await expect(page.locator('html')).toHaveAttribute('data-bs-theme', 'dark');
});

test('lost and signed-out visitors are told where they are', async ({ page }) => {
  await page.goto('/staffing?day=2026-11-25');
  await expect(page).toHaveURL(/sign-in\?next=/);
  await page.getByLabel('E-mail address').fill('planner@larkhaven.example');
  await page.getByLabel('Password').fill('not this one');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByText('do not belong together')).toBeVisible();
  await expect(page.getByLabel('E-mail address')).toHaveValue('planner@larkhaven.example');
  await page.getByLabel('Password').fill('plan-the-tide');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page).toHaveURL(/staffing\/.*day=2026-11-25/);
  const lost = await page.goto('/no/such/page');
  expect(lost?.status()).toBe(404);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Where did it go?');
  await page.getByRole('link', { name: 'To the outlook' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Will this week hold?');
  await page.getByRole('button', { name: 'Sign out' }).click();
  await expect(page).toHaveURL(/sign-in/);
});

test('a change that comes from another site is refused', async ({ page }) => {
  await signIn(page, 'planner');
  const answer = await page.request.post('/sign-out', { headers: { 'Sec-Fetch-Site': 'cross-site', Origin: 'http://elsewhere.example' } });
  expect(answer.status()).toBe(403);
  await page.goto('/');
  await expect(page.getByRole('navigation', { name: 'Stages' })).toBeVisible();
});
