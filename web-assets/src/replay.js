// A simulated day that can be played, paused and stepped: who waits, who talks, what happened last.
// The page holds what happened as rows of [seconds, what, contact, agent or line, words].
import { pacingOf } from './replay-pacing.js';

const figure = document.getElementById('replay');
const data = JSON.parse(figure.querySelector('script[type="application/json"]').textContent);
const part = (name) => figure.querySelector(`[data-part="${name}"]`);
const canvas = part('timeline');
const token = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const LAST_SHOWN = 6;
const DOTS = 114;

// What happened, in the codes of the page.
const CAME = 0, JOINED = 1, RINGS = 2, NOT_ANSWERED = 3, ANSWERED = 4, DONE = 5, ENDED = 6, AGENT_CAME = 7, AGENT_LEFT = 8;

let next = 0;
let now = data.events.length ? data.events[0][0] : 0;
let playing = null;
let state;

const fresh = () => ({
  waiting: new Map(),
  agents: data.agents.map(() => ({ here: false, talks: 0, rings: 0 })),
  kinds: new Map(),
  came: 0,
  answered: 0,
  lost: 0,
  last: [],
});

function happen([at, what, contact, which]) {
  const agent = state.agents[which];
  const ringing = state.waiting.get(contact);
  const stopRinging = () => {
    for (const at of ringing?.rings ?? []) state.agents[at].rings -= 1;
    if (ringing) ringing.rings = [];
  };
  if (what === CAME) {
    state.came += 1;
    state.kinds.set(contact, which);
  }
  else if (what === JOINED) {
    const within = data.within_secs[state.kinds.get(contact) ?? 0];
    if (!state.waiting.has(contact)) state.waiting.set(contact, { since: at, within, rings: [] });
  } else if (what === RINGS) {
    agent.rings += 1;
    ringing?.rings.push(which);
  } else if (what === NOT_ANSWERED) stopRinging();
  else if (what === ANSWERED) {
    stopRinging();
    state.waiting.delete(contact);
    agent.talks += 1;
    state.answered += 1;
  } else if (what === DONE) agent.talks -= 1;
  else if (what === ENDED) {
    stopRinging();
    if (state.waiting.delete(contact)) state.lost += 1;
  } else if (what === AGENT_CAME) agent.here = true;
  else if (what === AGENT_LEFT) agent.here = false;
}

function clock(secs) {
  const minutes = data.opens_minutes + Math.floor(secs / 60);
  const two = (number) => String(number).padStart(2, '0');
  return `${two(Math.floor(minutes / 60) % 24)}:${two(minutes % 60)}:${two(Math.floor(secs % 60))}`;
}

function words([at, what, contact, which]) {
  const agent = data.agents[which];
  const who = `Contact ${contact}`;
  const told = {
    [CAME]: `${who} arrives`,
    [JOINED]: `${who} joins ${data.lines[which]}`,
    [RINGS]: `${who} rings at ${agent}`,
    [NOT_ANSWERED]: `${who} is not answered`,
    [ANSWERED]: `${agent} answers contact ${contact}`,
    [DONE]: `${agent} finishes contact ${contact}`,
    [ENDED]: `${who}: ${data.ends[which]}`,
    [AGENT_CAME]: `${agent} signs in`,
    [AGENT_LEFT]: `${agent} signs out`,
  };
  return `${clock(at)}  ${told[what]}`;
}

function goTo(secs) {
  if (secs < now) {
    state = fresh();
    next = 0;
  }
  now = secs;
  while (next < data.events.length && data.events[next][0] <= now) {
    const event = data.events[next];
    happen(event);
    state.last.push(event);
    if (state.last.length > LAST_SHOWN) state.last.shift();
    next += 1;
  }
  show();
}

function show() {
  part('clock').textContent = clock(now);
  part('came').textContent = state.came;
  part('answered').textContent = state.answered;
  part('lost').textContent = state.lost;
  part('waiting').textContent = state.waiting.size;
  part('scrub').value = now;
  // The most overdue first, and a number for those who find no room.
  const overdue = ({ since, within }) => now - since - within;
  const waiting = [...state.waiting.values()].sort((one, other) => overdue(other) - overdue(one));
  part('queue').replaceChildren(...waiting.slice(0, DOTS).map((contact) => {
    const dot = document.createElement('i');
    dot.className = overdue(contact) > 0 ? 'late' : '';
    return dot;
  }), waiting.length > DOTS ? `and ${waiting.length - DOTS} more` : '');
  state.agents.forEach((agent, at) => {
    const look = agent.talks > 0 ? 'talks' : agent.rings > 0 ? 'rings' : agent.here ? 'free' : 'away';
    places[at].className = look;
  });
  part('last').replaceChildren(...state.last.slice().reverse().map((event) => {
    const item = document.createElement('li');
    item.textContent = words(event);
    return item;
  }));
  pacing.show(now);
  draw();
}

const places = data.agents.map((name) => {
  const place = document.createElement('i');
  place.title = name;
  return place;
});
part('agents').replaceChildren(...places);
const pacing = pacingOf(figure, data.pacing, {
  dayFrom: 0,
  dayUntil: data.secs,
  clock,
  token,
  goTo(secs) {
    pause();
    goTo(secs);
  },
});

// The whole day: how many waited, and who talked when; a line where the replay is.
const lengths = [];
const talks = [];
(function sweep() {
  const waiting = new Set();
  const since = new Map();
  for (const [at, what, contact, which] of data.events) {
    if (what === JOINED) waiting.add(contact);
    if (what === ANSWERED || what === ENDED) waiting.delete(contact);
    if (what === JOINED || what === ANSWERED || what === ENDED) {
      // Of one moment the last counts: whoever is answered at once has never waited.
      if (lengths.at(-1)?.[0] === at) lengths.pop();
      lengths.push([at, waiting.size]);
    }
    if (what === ANSWERED) since.set(`${contact} ${which}`, at);
    if (what === DONE) talks.push([which, since.get(`${contact} ${which}`) ?? at, at]);
  }
})();

function draw() {
  const scale = window.devicePixelRatio || 1;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  canvas.width = width * scale;
  canvas.height = height * scale;
  const pen = canvas.getContext('2d');
  pen.scale(scale, scale);
  const x = (secs) => 44 + ((width - 54) * secs) / data.secs;
  const high = 90;
  const most = Math.max(1, ...lengths.map(([, count]) => count));
  pen.font = '12px "Source Sans 3 Variable", sans-serif';
  pen.fillStyle = token('--second-ink');
  pen.fillText(`${most}`, 8, 16);
  pen.fillText('0', 8, high + 4);
  pen.fillText('waiting', 48, 12);
  for (let hour = 0; hour < data.secs; hour += 3600) {
    pen.fillText(clock(hour).slice(0, 5), x(hour) - 14, height - 3);
    pen.fillStyle = token('--hairline');
    pen.fillRect(x(hour), 6, 1, height - 22);
    pen.fillStyle = token('--second-ink');
  }
  pen.fillStyle = token('--storm');
  pen.beginPath();
  pen.moveTo(x(0), high);
  let before = 0;
  for (const [at, count] of lengths) {
    pen.lineTo(x(at), high - (before / most) * (high - 10));
    pen.lineTo(x(at), high - (count / most) * (high - 10));
    before = count;
  }
  pen.lineTo(x(data.secs), high);
  pen.fill();
  const rows = Math.max(1, data.agents.length);
  const tall = (height - high - 28) / rows;
  pen.fillStyle = token('--calm');
  for (const [agent, from, until] of talks) {
    pen.fillRect(x(from), high + 10 + agent * tall, Math.max(0.5, x(until) - x(from)), Math.max(0.7, tall - 1));
  }
  pen.fillStyle = token('--brass');
  pen.fillRect(x(now) - 1, 4, 2, height - 20);
}

function pause() {
  cancelAnimationFrame(playing);
  playing = null;
  part('play').textContent = 'Play';
}

function play() {
  let before = performance.now();
  part('play').textContent = 'Pause';
  const tick = (at) => {
    goTo(Math.min(data.secs, now + ((at - before) / 1000) * Number(part('speed').value)));
    before = at;
    if (now >= data.secs) pause();
    else playing = requestAnimationFrame(tick);
  };
  playing = requestAnimationFrame(tick);
}

part('play').addEventListener('click', () => (playing ? pause() : play()));
part('step').addEventListener('click', () => {
  pause();
  if (next < data.events.length) goTo(data.events[next][0]);
});
part('start').addEventListener('click', () => {
  pause();
  goTo(0);
});
part('scrub').addEventListener('input', (event) => {
  pause();
  goTo(Number(event.target.value));
});
canvas.addEventListener('click', (event) => {
  pause();
  goTo(Math.max(0, ((event.offsetX - 44) / (canvas.clientWidth - 54)) * data.secs));
});
const drawAll = () => {
  draw();
  pacing.draw(now);
};
document.addEventListener('barometer:theme', drawAll);
window.addEventListener('resize', drawAll);
state = fresh();
now = Infinity;
goTo(data.busiest_secs);
