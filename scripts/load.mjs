// Asks a running Barometer for its pages and sends it a large import; see scripts/load.
import { readFileSync } from 'node:fs';

const base = process.env.BAROMETER_URL;
const rows = Number(process.argv[2] ?? 1_000_000);
let cookie = '';

async function ask(path, options = {}) {
  const headers = { cookie, 'sec-fetch-site': 'same-origin', ...options.headers };
  return fetch(base + path, { redirect: 'manual', ...options, headers });
}

async function signIn() {
  const body = new URLSearchParams({ email: 'planner@larkhaven.example', password: 'plan-the-tide' });
  const answer = await ask('/sign-in', { method: 'POST', body });
  cookie = answer.headers.get('set-cookie').split(';')[0];
}

async function timed(work) {
  const start = performance.now();
  const result = await work();
  return [performance.now() - start, result];
}

const sorted = (times) => times.toSorted((a, b) => a - b);
const at = (times, share) => sorted(times)[Math.floor(times.length * share)];
const ms = (time) => `${time.toFixed(1)} ms`.padStart(10);

async function page(path) {
  const answer = await ask(path);
  const text = await answer.text();
  if (answer.status !== 200) throw new Error(`${path} answered ${answer.status}`);
  return text;
}

async function pages() {
  const found = await page('/demand?day=2026-11-28');
  const id = found.match(/\/demand\/([0-9a-f-]{36})/)[1];
  const trials = await page('/trials');
  const trial = trials.match(/\/trials\/([0-9a-f-]{36})/)[1];
  const paths = {
    Outlook: '/?day=2026-11-28',
    Demand: '/demand',
    'Demand of a contact type': `/demand/${id}?day=2026-11-28`,
    Staffing: `/staffing/${id}?day=2026-11-28`,
    Strategy: `/strategy/${id}`,
    Trials: `/trials?contact_type=${id}&day=2026-11-28`,
    'Trial with its result': `/trials/${trial}`,
    'Go-live': '/go-live',
    Watch: '/watch',
  };
  console.log('Page, asked 100 times in a row            median      95 %');
  for (const [name, path] of Object.entries(paths)) {
    for (let warm = 0; warm < 5; warm += 1) await page(path);
    const times = [];
    for (let count = 0; count < 100; count += 1) times.push((await timed(() => page(path)))[0]);
    console.log(`${name.padEnd(36)}${ms(at(times, 0.5))}${ms(at(times, 0.95))}`);
  }
  const all = Object.values(paths);
  const times = [];
  const [whole] = await timed(() =>
    Promise.all(
      Array.from({ length: 16 }, async (_, asker) => {
        for (let count = 0; count < 40; count += 1) times.push((await timed(() => page(all[(asker + count) % all.length])))[0]);
      }),
    ),
  );
  console.log(`\n16 askers at once over all pages: ${Math.round((1000 * times.length) / whole)} pages a second, median${ms(at(times, 0.5))}`);
}

// Ten contact types, quarters of an hour in order of time, as a switch exports them.
async function* history(edge) {
  const encoder = new TextEncoder();
  yield encoder.encode(`--${edge}\r\nContent-Disposition: form-data; name="file"; filename="load.csv"\r\nContent-Type: text/csv\r\n\r\n`);
  let text = 'contact_type,interval_start,offered,answered,abandoned,handle_secs\n';
  const first = Date.UTC(2023, 0, 1);
  for (let row = 0; row < rows; row += 1) {
    const start = new Date(first + Math.floor(row / 10) * 900_000).toISOString().slice(0, 16);
    const offered = 20 + ((row * 7919) % 41);
    text += `Load ${row % 10},${start}Z,${offered},${offered - 1},1,${240 + (row % 60)}.5\n`;
    if (text.length > 1 << 16) {
      yield encoder.encode(text);
      text = '';
    }
  }
  yield encoder.encode(`${text}\r\n--${edge}--\r\n`);
}

function memory() {
  if (!process.env.BAROMETER_PID) return '';
  const status = readFileSync(`/proc/${process.env.BAROMETER_PID}/status`, 'utf8');
  const mb = (key) => Math.round(Number(status.match(new RegExp(`${key}:\\s+(\\d+)`))[1]) / 1024);
  return `; the server's memory: ${mb('VmRSS')} MB now, ${mb('VmHWM')} MB at most`;
}

async function importing() {
  console.log(`\nImport of ${rows.toLocaleString('en')} rows${memory()}`);
  const headers = { 'content-type': 'multipart/form-data; boundary=edge' };
  const [upload, answer] = await timed(() => ask('/demand/import', { method: 'POST', headers, duplex: 'half', body: ReadableStream.from(history('edge')) }));
  if (answer.status !== 303) throw new Error(`the upload was answered with ${answer.status}`);
  const preview = answer.headers.get('location');
  console.log(`  upload, read, checked                ${ms(upload)}${memory()}`);
  const [look, text] = await timed(() => page(preview));
  console.log(`  preview                              ${ms(look)}  ${text.match(/<p class="answer">([^<]*)/)[1]}`);
  const [save] = await timed(async () => (await ask(`${preview}/confirm`, { method: 'POST' })).status);
  console.log(`  saved, with ten forecasts made anew  ${ms(save)}${memory()}`);
}

await signIn();
// The demo's own trials must be over before times mean anything.
while ((await page('/trials')).match(/>(queued|running)</)) await new Promise((wait) => setTimeout(wait, 200));
await pages();
await importing();
