// The servers under test, one for each browser: what a test changes in one, the tests beside it do not meet.
export const servers = (process.env.BAROMETER_URL ?? 'http://127.0.0.1:4180').trim().split(/\s+/);
