// Takes a picture of each main view of the demo, 1280 x 800, for docs/screenshots and for looking.
//
//   BAROMETER_URL=http://127.0.0.1:4180 node screenshots.mjs [FOLDER [NAME ...]]
//
// Run it against a fresh demo: a trial is asked for where a view needs one.
import { chromium } from '@playwright/test';
import { mkdirSync } from 'node:fs';

const base = process.env.BAROMETER_URL ?? 'http://127.0.0.1:4180';
const [folder = '../docs/screenshots', ...wanted] = process.argv.slice(2);
mkdirSync(folder, { recursive: true });

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
});
const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, baseURL: base, colorScheme: 'light', timezoneId: 'Europe/London' });
const page = await context.newPage();

async function chosen(stage, day, contactType) {
  await page.goto(`/${stage}?day=${day}`);
  const chooser = page.getByLabel('Contact type', { exact: true });
  const address = await chooser.locator('option', { hasText: contactType }).getAttribute('value');
  await page.goto(address);
}

async function staffingTab(day, contactType, path) {
  await chosen('staffing', day, contactType);
  const here = new URL(page.url());
  await page.goto(here.pathname + path + here.search);
}

async function demandTab(tab) {
  await page.goto('/demand');
  await page.getByRole('link', { name: 'Bookings' }).click();
  await page.getByRole('navigation', { name: /Demand of/ }).getByRole('link', { name: tab }).click();
  await shoot();
}

async function dark(visit) {
  await page.evaluate(() => localStorage.setItem('theme', 'dark'));
  await visit();
  await shoot();
  await page.evaluate(() => localStorage.setItem('theme', 'light'));
}

let name = '';
async function shoot() {
  // A board holds a connection open for as long as it is looked at.
  await page.waitForLoadState(page.url().includes('/watch') ? 'load' : 'networkidle');
  await page.evaluate(() => document.fonts.ready);
  await page.screenshot({ path: `${folder}/${name}.png` });
}

const VIEWS = {
  'sign-in': async () => {
    await context.clearCookies();
    await page.goto('/sign-in');
    await shoot();
    await signIn('planner');
  },
  outlook: async () => {
    await page.goto('/');
    await page.getByRole('button', { name: 'Simulate these days' }).click();
    await page.getByText('Least sure is').waitFor({ timeout: 300_000 });
    await shoot();
  },
  'outlook-dark': () => dark(() => page.goto('/')),
  demand: async () => {
    await page.goto('/demand');
    await shoot();
  },
  'demand-contact-type': async () => {
    await page.goto('/demand');
    await page.getByRole('link', { name: 'Sailing changes' }).click();
    await page.getByRole('heading', { name: /made of/ }).waitFor();
    await shoot();
  },
  'demand-accuracy': () => demandTab('Accuracy'),
  'demand-cleaning': () => demandTab('Cleaning'),
  'demand-overlays': () => demandTab('Overlays'),
  'demand-frozen': () => demandTab('Frozen'),
  'import-columns': async () => {
    await page.goto('/demand/import');
    const rows = ['Service;Datum;Von;Anrufe;Verloren;Gespräch (min)'];
    for (let half = 14; half < 42; half += 1) rows.push(`Island bus;22.11.2026;${Math.floor(half / 2)}:${half % 2 ? '30' : '00'};${half};1;3,5`);
    await page.getByLabel('CSV file').setInputFiles({ name: 'switch-report.csv', mimeType: 'text/csv', buffer: Buffer.from(rows.join('\n')) });
    await page.getByRole('button', { name: 'Preview' }).click();
    await page.getByRole('button', { name: 'Read with these columns' }).waitFor();
    await shoot();
    await page.getByRole('button', { name: 'Discard' }).click();
  },
  'import-preview': async () => {
    await page.goto('/demand/import');
    const rows = ['contact_type,interval_start,offered,answered,abandoned,handle_secs'];
    for (let half = 14; half < 42; half += 1) {
      const time = `${String(Math.floor(half / 2)).padStart(2, '0')}:${half % 2 ? '30' : '00'}`;
      rows.push(`Bookings,2026-11-22T${time},${20 + half},${19 + half},1,338.5`, `Island bus,2026-11-22T${time},${half},${half},0,95`);
    }
    rows.push('Bookings,2026-11-22T09:30,41,40,1,330', 'Bookings,2026-11-22T21:10,3,3,0,300', 'Bookings,2026-11-22T21:30,many,,,', 'Bookings,2026-03-29T01:30,3,3,0,300');
    await page.getByLabel('CSV file').setInputFiles({ name: 'sunday.csv', mimeType: 'text/csv', buffer: Buffer.from(rows.join('\n')) });
    await page.getByRole('button', { name: 'Preview' }).click();
    await page.getByRole('button', { name: 'Discard' }).waitFor();
    await shoot();
    await page.getByRole('button', { name: 'Discard' }).click();
  },
  report: async () => {
    await page.goto('/reports/week-review');
    await shoot();
  },
  search: async () => {
    await page.goto('/trials?day=2026-11-25');
    await page.getByRole('link', { name: 'Bookings, Wed 25 Nov' }).last().click();
    await page.getByRole('link', { name: 'Find the cheapest people' }).click();
    await page.getByLabel('A team keeps its people for').selectOption('120 min');
    await page.getByLabel('Simulated days for each design').fill('60');
    await page.getByRole('button', { name: 'Find the cheapest design' }).click();
    await page.getByText(/agent-hours.*every target/).waitFor({ timeout: 300_000 });
    await shoot();
  },
  staffing: async () => {
    await chosen('staffing', '2026-11-28', 'Sailing changes');
    await page.getByRole('button', { name: 'How surely does the day as a whole hold?' }).click();
    await page.locator('.day-need').waitFor({ timeout: 300_000 });
    await shoot();
  },
  'staffing-what-if': async () => {
    await staffingTab('2026-11-25', 'Bookings', '/what-if');
    await page.getByLabel(/^Contacts/).fill('12');
    await page.getByText(/would need/).waitFor();
    await shoot();
  },
  'staffing-cover': async () => {
    await staffingTab('2026-11-25', 'Assisted travel', '/roster');
    await page.getByLabel('within').fill('5');
    await page.getByRole('button', { name: 'Fit shifts to this week' }).click();
    await page.getByRole('button', { name: 'Use as cover' }).waitFor();
    await shoot();
  },
  'staffing-roster': async () => {
    await staffingTab('2026-11-28', 'Assisted travel', '/roster/day');
    await page.getByRole('button', { name: /^Lotte Brandvold, / }).focus();
    await page.keyboard.press('ArrowRight');
    await page.waitForLoadState('networkidle');
    await shoot();
  },
  strategy: async () => {
    await page.goto('/strategy?day=2026-11-27&part=step.harbour-offices');
    await shoot();
  },
  'strategy-walk': async () => {
    await page.goto('/strategy/walk?day=2026-11-27&contact_type=Groups&at=19:30&keys=English; Groups of ten and more');
    await shoot();
  },
  trial: async () => {
    await page.goto('/trials?day=2026-11-27');
    await page.getByRole('button', { name: 'Try it' }).click();
    await page.getByText(/It (holds|is marginal|breaks)/).waitFor();
    await shoot();
  },
  'trial-kinds': async () => {
    await page.goto('/trials?day=2026-11-27');
    await page.getByLabel('Days', { exact: true }).selectOption('kinds');
    await page.getByRole('button', { name: 'Try it' }).click();
    await page.getByText(/breaks on the storm day/).waitFor();
    await page.locator('#set[hx-get]').waitFor({ state: 'detached' });
    await shoot();
  },
  trials: async () => {
    await page.goto('/trials?day=2026-11-28');
    await shoot();
  },
  'trial-day': async () => {
    await page.goto('/trials?day=2026-11-28');
    await page.getByRole('row', { name: /holds|breaks|marginal/ }).first().getByRole('link').first().click();
    await page.getByRole('link', { name: 'Watch a day' }).click();
    await page.getByText(/most wait at/).waitFor();
    await shoot();
  },
  comparison: async () => {
    await page.goto('/comparisons?day=2026-11-28');
    await page.getByRole('button', { name: 'Compare them' }).click();
    await page.getByText(/best service level|differ by less/).waitFor();
    await shoot();
  },
  'go-live': async () => {
    await page.goto('/go-live/sheets/1');
    await shoot();
  },
  campaigns: async () => {
    await page.goto('/strategy/campaigns?draft=3&campaign=autumn-offers&at=14:00&day=2026-11-27');
    await shoot();
  },
  watch: async () => {
    // An hour into the storm of the afternoon.
    await page.goto('/watch');
    await page.getByText('The stand-in: its clock, and what goes wrong').click();
    await page.getByLabel('Ahead by, minutes').fill('250');
    await page.getByRole('button', { name: 'Move the clock on' }).click();
    await page.locator('.answer').filter({ hasText: /15:[23]/ }).waitFor({ timeout: 60_000 });
    await page.locator('.rings').waitFor({ timeout: 60_000 });
    await page.goto('/watch');
    await shoot();
  },
  'watch-account': async () => {
    await page.goto('/watch/account');
    await page.getByRole('button', { name: 'Today until now' }).click();
    await page.locator('svg.bridge').waitFor({ timeout: 120_000 });
    await shoot();
  },
  'watch-help': async () => {
    await page.goto('/watch/help');
    await page.getByRole('row', { name: /^As it is/ }).waitFor({ timeout: 60_000 });
    await shoot();
  },
  people: async () => {
    await signIn('admin');
    await page.goto('/people');
    await shoot();
    await signIn('planner');
  },
  keys: async () => {
    await page.goto('/');
    await page.keyboard.press('?');
    await shoot();
  },
  'not-found': async () => {
    await page.goto('/no/such/page');
    await shoot();
  },
};

async function signIn(who) {
  const password = { planner: 'plan-the-tide', approver: 'approve-the-tide', viewer: 'watch-the-tide', admin: 'mind-the-tide' }[who];
  await page.goto('/sign-in');
  await page.getByLabel('E-mail address').fill(`${who}@larkhaven.example`);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Stages' }).waitFor();
}

await signIn('planner');
for (const each of wanted.length ? wanted : Object.keys(VIEWS)) {
  name = each;
  await VIEWS[each]();
}
await browser.close();
