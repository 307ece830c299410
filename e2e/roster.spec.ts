// A planner mends the roster of a Saturday: by mouse and by keys, with what it comes to beside, and takes it back.
import { AxeBuilder } from '@axe-core/playwright';
import { chooseContactType, expect, signIn, test } from './steps';
import type { Page } from '@playwright/test';

const bar = (page: Page, name: string) => page.getByRole('button', { name: new RegExp(`^${name}, `) });
const now = (page: Page, figure: string) => page.getByRole('row', { name: new RegExp(`^${figure}`) }).getByRole('cell').last();

// The server is asked what each change comes to.
const told = (page: Page) => expect(page.locator('[data-roster-figures]')).toHaveAttribute('aria-busy', 'false');

async function openRoster(page: Page) {
  await signIn(page, 'planner');
  await page.goto('/staffing?day=2026-11-28');
  await chooseContactType(page, 'Assisted travel');
  await page.getByRole('navigation', { name: /^Staffing of/ }).getByRole('link', { name: 'Cover' }).click();
  await page.getByRole('link', { name: 'Roster of this day, person by person' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Who works when on Saturday 28 November?');
}

test('a shift is dragged, shortened and given away, and service, hours and limits follow', async ({ page }) => {
  await openRoster(page);
  // An early shift after a late one is said, and goes once the shift begins late enough.
  const fault = page.getByText(/Lotte Brandvold rests 10\.0 h before Sat 28 Nov: at least 11 h/);
  await expect(fault).toBeVisible();
  const shift = bar(page, 'Lotte Brandvold');
  await expect(shift).toHaveAccessibleName('Lotte Brandvold, 07:00 to 15:00, break 11:00 to 11:30');
  const place = (await shift.boundingBox())!;
  await page.mouse.move(place.x + 60, place.y + 10);
  await page.mouse.down();
  await page.mouse.move(place.x + 60 + place.width / 4, place.y + 12, { steps: 6 });
  await page.mouse.up();
  await expect(bar(page, 'Lotte Brandvold')).toHaveAccessibleName('Lotte Brandvold, 09:00 to 17:00, break 13:00 to 13:30');
  await expect(fault).toBeHidden();

  await told(page);
  const hours = Number(await now(page, 'Of people by name').textContent());
  const end = (await bar(page, 'Lotte Brandvold').boundingBox())!;
  await page.mouse.move(end.x + end.width - 3, end.y + 10);
  await page.mouse.down();
  await page.mouse.move(end.x + end.width - 3 - end.width / 8, end.y + 10, { steps: 4 });
  await page.mouse.up();
  await expect(bar(page, 'Lotte Brandvold')).toHaveAccessibleName(/09:00 to 16:00/);
  await expect(now(page, 'Of people by name')).toHaveText((hours - 1).toFixed(1));

  // Dropped on somebody else’s name, the two change places.
  const from = (await bar(page, 'Lotte Brandvold').boundingBox())!;
  const to = (await bar(page, 'Mo Ashgrove').boundingBox())!;
  await page.mouse.move(from.x + 60, from.y + 10);
  await page.mouse.down();
  await page.mouse.move(from.x + 61, to.y + 12, { steps: 6 });
  await page.mouse.up();
  await expect(bar(page, 'Mo Ashgrove')).toHaveAccessibleName(/09:00 to 16:00/);
  await expect(bar(page, 'Lotte Brandvold')).toHaveAccessibleName(/08:00 to 12:00/);
  // The whole way back.
  for (let step = 0; step < 3; step += 1) await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(bar(page, 'Lotte Brandvold')).toHaveAccessibleName(/07:00 to 15:00/);
  await expect(page.getByRole('button', { name: 'Save roster' })).toBeDisabled();
});

test('with keys alone a day is mended, saved and taken back', async ({ page }) => {
  await openRoster(page);
  await bar(page, 'Nell Wickham').focus();
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(bar(page, 'Nell Wickham')).toHaveAccessibleName('Nell Wickham, 15:30 to 19:45');
  await page.keyboard.press('b');
  await expect(bar(page, 'Nell Wickham')).toHaveAccessibleName(/15:30 to 19:45, break 17:/);
  await expect(bar(page, 'Nell Wickham')).toBeFocused();
  await page.keyboard.press('Delete');
  await expect(bar(page, 'Nell Wickham')).toBeHidden();
  await page.keyboard.press('n');
  await expect(bar(page, 'Nell Wickham')).toBeVisible();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('a');
  const row = page.locator('.roster-row').filter({ hasText: 'Nell Wickham' });
  await expect(row).toContainText('absent');
  await told(page);
  const missing = await now(page, 'Missing').textContent();
  await page.getByRole('button', { name: 'Save roster' }).click();
  await expect(page.getByRole('status')).toContainText('Saved: these shifts are the roster of the day');
  await expect(now(page, 'Missing')).toHaveText(missing!);
  await expect(row).toContainText('absent');
  const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
  expect(violations).toEqual([]);
  // What was before saving can be had back, and is saved like any other change.
  const back = page.getByRole('button', { name: 'Undo', exact: true });
  while (await back.isEnabled()) await back.click();
  await expect(bar(page, 'Nell Wickham')).toHaveAccessibleName('Nell Wickham, 16:00 to 20:00');
  await page.getByRole('button', { name: 'Save roster' }).click();
  await expect(page.getByRole('status')).toContainText('Saved');
  await expect(bar(page, 'Nell Wickham')).toHaveAccessibleName('Nell Wickham, 16:00 to 20:00');
  // One person’s shifts go into that person’s calendar.
  await page.getByRole('button', { name: /^Nell Wickham\s*4\.0 h/ }).click();
  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Calendar file' }).click();
  expect((await download).suggestedFilename()).toBe('shifts-nell-wickham-2026-11-23.ics');
});

test('somebody who may only look sees the roster and cannot change it', async ({ page }) => {
  await signIn(page, 'viewer');
  await page.goto('/staffing?day=2026-11-28');
  await chooseContactType(page, 'Groups');
  await page.goto(page.url().replace('?', '/roster/day?'));
  await expect(bar(page, 'Ada Quill')).toHaveAccessibleName(/08:00 to 16:00/);
  await bar(page, 'Ada Quill').focus();
  await page.keyboard.press('ArrowRight');
  await expect(bar(page, 'Ada Quill')).toHaveAccessibleName(/08:00 to 16:00/);
  await expect(page.getByRole('button', { name: 'Save roster' })).toBeHidden();
});
