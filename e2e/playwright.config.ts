import { defineConfig } from '@playwright/test';
import { servers } from './servers';

export default defineConfig({
  testDir: '.',
  outputDir: 'results',
  fullyParallel: false,
  workers: servers.length,
  // Machines that test may be busy with something else: waiting longer costs nothing where all is well.
  timeout: 300_000,
  expect: { timeout: 30_000 },
  forbidOnly: Boolean(process.env.CI),
  reporter: [['list']],
  use: {
    viewport: { width: 1280, height: 800 },
    colorScheme: 'light',
    timezoneId: 'Europe/London',
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
    },
  },
});
