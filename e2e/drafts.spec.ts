// A planner builds a centre in a draft of her own: from a shape, on the map, without a line of JSON.
import { readFile } from 'node:fs/promises';
import type { Locator, Page } from '@playwright/test';
import { expect, press, signIn, test } from './steps';

const bar = (page: Page) => page.getByRole('region', { name: 'What is open' });
const map = (page: Page) => page.getByRole('region', { name: 'Journey map' });

async function begin(page: Page, name: string, shape: string) {
  await page.getByText('Begin a draft').click();
  await page.getByLabel('What it is for').fill(name);
  await page.getByLabel('From', { exact: true }).selectOption({ label: shape });
  await page.getByRole('button', { name: 'Begin it' }).click();
  await expect(bar(page)).toContainText(`Draft “${name}”: no edit yet`);
}

async function open(page: Page, stop: RegExp, title: string) {
  // The same part may be open already: what is waited for is the panel that comes anew.
  await page.locator('#part').evaluate((part) => part.setAttribute('data-before', ''));
  await map(page).getByRole('link', { name: stop }).click();
  await expect(page.locator('#part[data-before]')).toHaveCount(0);
  await expect(page.locator('#part').getByRole('heading', { level: 2 })).toContainText(title);
}

// Opens the ways of the open part at the one of this cause.
async function changeWay(page: Page, cause: string): Promise<Locator> {
  const way = page.locator('.way-change').filter({ has: page.getByLabel(`Change the way “${cause}”`, { exact: true }) });
  await way.locator('summary').click();
  return way;
}

async function putIn(page: Page, cause: string, kind: string) {
  const way = await changeWay(page, cause);
  await way.getByLabel('Put a step in between').selectOption({ label: kind });
  await way.getByRole('button', { name: 'Put in' }).click();
  await expect(page.locator('#part').getByText('added in this draft').or(page.locator('.part-form'))).toBeVisible();
}

async function typeIn(page: Page, label: string, value: string) {
  const edits = (await bar(page).textContent()) ?? '';
  await page.getByLabel(label, { exact: true }).fill(value);
  await press(page, 'Tab');
  await expect(bar(page)).not.toHaveText(edits);
}

test('a centre is built on the map from a shape, and what is wrong is told at once', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-25');
  await begin(page, 'A new centre', 'new: Menu and queues');

  // A label for those who come first, and a queue of their own.
  await open(page, /^hours gate Opening hours/, 'Opening hours');
  await putIn(page, 'open', 'sorting step (labels)');
  await expect(page).toHaveURL(/part=step.labelling-1/);
  await page.getByRole('button', { name: 'Add to Rules' }).click();
  await page.getByLabel('Label', { exact: true }).fill('gold');
  await page.getByLabel('When', { exact: true }).selectOption('share');
  await typeIn(page, 'Share', '0.1');
  await putIn(page, 'labelled', 'sorting step (routes)');
  await expect(page).toHaveURL(/part=step.routing-1/);
  await open(page, /^queue Bookings queue/, 'Bookings queue');
  await page.getByText('Copy, replace or remove it').click();
  await page.getByRole('button', { name: 'Copy it, with what belongs to it' }).click();
  await expect(page.locator('#part').getByRole('heading', { level: 2 })).toContainText('“Bookings queue, copy”');
  await typeIn(page, 'Name', 'Gold queue');
  await typeIn(page, 'Priority', '5');
  await open(page, /^sorting step \(routes\)/, 'Sorting step (routes)');
  await page.getByRole('button', { name: 'Add to Routes' }).click();
  await page.getByLabel('Label', { exact: true }).fill('gold');
  await page.getByLabel('Next', { exact: true }).selectOption({ label: 'Gold queue' });
  // What was chosen a moment before something else is pressed is kept, too.

  // A hunt group with a wave takes those who find the queue full: the exit is led there on the map.
  await page.getByLabel('What to add').selectOption('hunt group');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await page.getByLabel('Member', { exact: true }).selectOption({ label: 'Assisted travel team' });
  await page.getByRole('button', { name: 'Add to Members' }).click();
  await page.getByLabel('Member', { exact: true }).nth(1).selectOption({ label: 'Groups team' });
  await typeIn(page, 'Ring window (s)', '12');
  await open(page, /^queue Gold queue/, 'Gold queue');
  await expect(map(page).getByRole('link', { name: /^sorting step \(routes\).*, 2 ways/ })).toBeVisible();
  const full = await changeWay(page, 'full');
  await full.getByText('choose on the map').click();
  await map(page).getByRole('link', { name: /^hunt group Hunt group/ }).click();
  await expect(page.locator('.ways').getByRole('row', { name: /^full/ })).toContainText('Hunt group');

  // What does not add up is told where it is, and mended with one press.
  await open(page, /^hunt group Hunt group/, 'Hunt group');
  await typeIn(page, 'Ring window (s)', '1');
  await expect(page.locator('#part').getByText('A ring window shorter than people need to answer')).toBeVisible();
  await page.getByRole('button', { name: /Ring each for \d+ s/ }).click();
  await expect(page.getByText('A ring window shorter than people need to answer')).toBeHidden();

  // The order of members by key; then everything back, one press after the other, and away.
  const members = () => page.locator('#part-form').getByRole('heading', { level: 3, name: /team$/ }).allTextContents();
  const before = await members();
  await page.getByRole('button', { name: /^Move 2\. .* up$/ }).click();
  await expect.poll(members).toEqual([before[1].replace('2.', '1.'), before[0].replace('1.', '2.')]);
  await page.locator('body').click({ position: { x: 5, y: 300 } });
  await press(page, 'Control+z');
  await expect(bar(page)).toContainText('Undone.');
  await expect.poll(members).toEqual(before);
  await page.getByText('What was done in this draft').click();
  await expect(page.getByText('Added queue “Bookings queue, copy”.')).toBeVisible();
  await page.getByRole('button', { name: 'Discard the draft' }).click();
  await expect(bar(page)).toContainText('The draft is discarded.');
  await page.getByRole('button', { name: 'Restore it' }).click();
  await expect(bar(page)).toContainText('The draft is restored.');
});

test('two planners change one draft: both keep what they did, and choose where it differs', async ({ page, browser }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy?day=2026-11-25&part=step.groups-queue');
  await page.getByText('Begin a draft').click();
  await page.getByLabel('What it is for').fill('Together');
  await page.getByRole('button', { name: 'Begin it' }).click();
  await expect(bar(page)).toContainText('Draft “Together”: no edit yet');
  const address = page.url().replace(/&note=\w+/, '').replace(/&part=[\w.-]+/, '') + '&part=step.groups-queue';
  const context = await browser.newContext();
  const other = await context.newPage();
  await signIn(other, 'admin');
  await other.goto(address);
  await page.goto(address);

  await typeIn(other, 'Longest wait (s)', '200');
  await page.getByLabel('Places', { exact: true }).fill('24');
  await press(page, 'Tab');
  await expect(bar(page)).toContainText('together with what somebody else did meanwhile');
  await expect(page.getByLabel('Longest wait (s)')).toHaveValue('200');

  await other.getByLabel('Places', { exact: true }).fill('9');
  await press(other, 'Tab');
  await expect(other.getByRole('heading', { level: 1 })).toHaveText('Which change holds?');
  await other.getByRole('row', { name: /“Groups queue”, queue, places/ }).getByLabel('9').check();
  await other.getByRole('button', { name: 'Keep what is chosen' }).click();
  await expect(bar(other)).toContainText('together with what somebody else did meanwhile');
  await expect(other.getByLabel('Places', { exact: true })).toHaveValue('9');
  await expect(other.getByLabel('Longest wait (s)')).toHaveValue('200');
  await context.close();
});

test('numbers are set aside and given, and what is recorded says what it takes', async ({ page }) => {
  await signIn(page, 'planner');
  await page.goto('/strategy');
  await page.getByRole('link', { name: 'Numbers and recordings' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Which number reaches what?');
  await expect(page.getByRole('table', { name: 'Ranges' }).getByRole('row', { name: /^Published numbers/ })).toContainText('3 of 40');
  await expect(page.getByRole('table', { name: 'Ranges' }).getByRole('row', { name: /^Ports in the office/ })).toContainText('14 of 48');
  await expect(page.getByRole('table', { name: 'Recordings' }).getByRole('row', { name: /^Bookings queue/ })).toContainText('GB');
  // Numbers for agents among those of queues: the ranges overlap, and preflight says so with a repair.
  await page.getByRole('button', { name: 'Add a range' }).click();
  const panel = page.locator('#part');
  const type = async (label: string, value: string) => {
    const edits = (await bar(page).textContent()) ?? '';
    await panel.getByLabel(label, { exact: true }).fill(value);
    await press(page, 'Tab');
    await expect(bar(page)).not.toHaveText(edits);
  };
  await type('Name', 'Night desks');
  await type('Until', '649');
  await type('From', '630');
  await panel.getByLabel('Purpose', { exact: true }).selectOption({ label: 'people' });
  await expect(panel.getByText('have numbers in common')).toBeVisible();
  await panel.getByRole('button', { name: 'Let “Night desks” begin at 640' }).click();
  await expect(panel.getByText('have numbers in common')).toHaveCount(0);
  await expect(panel.getByLabel('From', { exact: true })).toHaveValue('640');
  // The next free number is said where one is typed.
  await page.getByRole('link', { name: /^Norse queue/ }).first().click();
  await panel.getByText('All other settings').click();
  await expect(panel.getByText('The number by which agents reach it from within. 600 is free.')).toBeVisible();
  await page.getByRole('link', { name: 'Numbers and recordings' }).click();
  const ranges = page.getByRole('table', { name: 'Ranges' });
  await expect(ranges.getByRole('row', { name: /^Night desks/ })).toContainText('0 of 10');
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'CSV', exact: true }).click()]);
  const csv = await readFile(await download.path(), 'utf8');
  const filled = csv.replace(/queue,Norse queue,\d+/, 'queue,Norse queue,699');
  expect(filled).not.toBe(csv);
  await page.getByLabel(/^Numbers from CSV/).setInputFiles({ name: 'numbers.csv', mimeType: 'text/csv', buffer: Buffer.from(filled) });
  await page.getByRole('button', { name: 'Take them into the draft' }).click();
  await page.getByRole('link', { name: 'Numbers and recordings' }).click();
  await expect(page.getByText('699 of queue “Norse queue” is in no range that is set aside for queues and hunt groups.')).toBeVisible();
});
