// What every journey begins with: a person who signs in, and pages that must not complain.
import { expect, test as base, type Locator, type Page } from '@playwright/test';
import { servers } from './servers';

export const people = {
  planner: { email: 'planner@larkhaven.example', password: 'plan-the-tide' },
  approver: { email: 'approver@larkhaven.example', password: 'approve-the-tide' },
  admin: { email: 'admin@larkhaven.example', password: 'mind-the-tide', name: 'Asha Lindqvist' },
  viewer: { email: 'viewer@larkhaven.example', password: 'watch-the-tide' },
};

export async function signIn(page: Page, who: keyof typeof people) {
  await page.goto('/sign-in');
  await page.getByLabel('E-mail address').fill(people[who].email);
  await page.getByLabel('Password').fill(people[who].password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('navigation', { name: 'Stages' })).toBeVisible();
}

// What a run answers, once workers come to it: it waits its turn behind what others have asked for.
export async function whenPlayed(answer: Locator) {
  await expect(answer).toBeVisible({ timeout: 180_000 });
}

// A page is drawn before its script listens: a key pressed in between would be lost.
export async function press(page: Page, key: string) {
  await page.waitForLoadState('load');
  await page.keyboard.press(key);
}

export async function toStage(page: Page, stage: string) {
  await page.getByRole('navigation', { name: 'Stages' }).getByRole('link', { name: stage }).click();
}

export async function chooseContactType(page: Page, name: string) {
  const chooser = page.getByLabel('Contact type', { exact: true });
  const address = await chooser.locator('option', { hasText: name }).getAttribute('value');
  await chooser.selectOption({ label: name });
  // The choice leads to another page: what follows must not be read from the one before.
  await page.waitForURL((url) => url.pathname + url.search === address);
  await expect(chooser.locator('option:checked')).toHaveText(name);
}

// A test fails when its page logs an error: a script that broke, or a policy that was violated.
export const test = base.extend<{ quiet: void }>({
  baseURL: async ({}, use, { parallelIndex }) => use(servers[parallelIndex]),
  quiet: [
    async ({ page }, use) => {
      const complaints: string[] = [];
      page.on('pageerror', (error) => complaints.push(error.message));
      page.on('console', (message) => {
        // A request that a newer one replaces, or that a page left behind, is no fault; one that fails otherwise
        // says so by an event of its own.
        const expected = /status of (403|404|409|422)|^htmx:(afterRequest|sendAbort)/.test(message.text());
        if (message.type() === 'error' && !expected) complaints.push(message.text());
      });
      await use();
      expect(complaints).toEqual([]);
    },
    { auto: true },
  ],
});
export { expect };
