// The roster editor: people as rows, shifts as bars over the hours of a day. The server is asked what each change comes to.
import { LAST_MINUTE, begun, breakMoved, breakToggled, clock, ended, hours, moved, words } from './shift.js';

const page = document.querySelector('[data-roster]');
if (page) edit(page);

function edit(page) {
  const state = JSON.parse(page.querySelector('[data-roster-state]').textContent);
  const [rows, need, figures] = ['rows', 'need', 'figures'].map((part) => page.querySelector(`[data-roster-${part}]`));
  const form = page.querySelector('[data-roster-save]');
  // Saving may put people in another order.
  const content = (days) => JSON.stringify([...days].sort((one, other) => (one.agent < other.agent ? -1 : 1)));
  const saved = content(state.days);
  let { days } = state;
  let chosen = null;
  let swapping = null;
  let faults = [];
  let { undo, redo } = kept();

  // What can be undone outlives saving, for as long as nobody else changes the day.
  function kept() {
    try {
      const known = JSON.parse(sessionStorage.getItem(`roster:${state.id}:${state.day}`));
      if (known?.at === saved) return known;
    } catch {
      // Without storage there is nothing to undo after a reload.
    }
    return { undo: [], redo: [] };
  }
  function keep() {
    try {
      sessionStorage.setItem(`roster:${state.id}:${state.day}`, JSON.stringify({ at: content(days), undo, redo }));
    } catch {
      // See above.
    }
  }

  const person = (agent) => state.people.find((each) => each.agent === agent);
  const dayOf = (agent) => days.find((each) => each.agent === agent);
  const percent = (minutes) => `${(100 * (minutes - state.from)) / (state.to - state.from)}%`;
  const wide = (minutes) => `${(100 * minutes) / (state.to - state.from)}%`;
  const snap = (minutes) => Math.round(minutes / state.step) * state.step;

  function newShift() {
    const worst = Number(page.querySelector('#roster-strip')?.dataset.worst || NaN);
    const around = Number.isNaN(worst) ? (state.from + state.to) / 2 : worst + 60;
    const from = Math.max(state.from, Math.min(snap(around - 240), state.to - 480));
    return breakToggled([[from, Math.min(from + 480, LAST_MINUTE)]]);
  }

  function change(act) {
    const before = JSON.stringify(days);
    act();
    const after = JSON.stringify(days);
    if (after === before) return;
    undo.push(before);
    redo = [];
    show();
  }
  const changeShift = (agent, how) =>
    change(() => {
      const day = dayOf(agent);
      if (day.pieces.length) day.pieces = how(day.pieces);
    });
  function exchange(one, other) {
    change(() => {
      const [from, to] = [dayOf(one), dayOf(other)];
      if (from.is_away || to.is_away) return;
      [from.pieces, to.pieces] = [to.pieces, from.pieces];
    });
    chosen = other;
  }
  function step(from, to) {
    if (!from.length) return;
    to.push(JSON.stringify(days));
    days = JSON.parse(from.pop());
    show();
  }

  const acts = {
    add: () => change(() => {
      const day = dayOf(chosen);
      if (!day.pieces.length && !day.is_away) day.pieces = newShift();
    }),
    break: () => changeShift(chosen, breakToggled),
    remove: () => changeShift(chosen, () => []),
    absent: () => change(() => {
      const day = dayOf(chosen);
      if (day.is_away && !person(chosen).may_return) return;
      day.is_away = !day.is_away;
      if (day.is_away) day.pieces = [];
    }),
    swap: () => {
      swapping = swapping ? null : chosen;
      show();
    },
    undo: () => step(undo, redo),
    redo: () => step(redo, undo),
  };
  function act(name) {
    if (!state.may_plan || (!chosen && !['undo', 'redo'].includes(name))) return;
    acts[name]();
    focusChosen();
  }
  function focusOn(agent) {
    const row = rows.querySelector(`[data-agent="${agent}"]`);
    (row?.querySelector('.shift') ?? row?.querySelector('.who'))?.focus();
  }
  const focusChosen = () => focusOn(chosen);

  function choose(agent) {
    if (swapping && swapping !== agent) {
      const one = swapping;
      swapping = null;
      exchange(one, agent);
    }
    chosen = agent;
    show();
  }

  function element(tag, className, text) {
    const made = document.createElement(tag);
    made.className = className;
    if (text !== undefined) made.textContent = text;
    return made;
  }
  function span(className, from, to, within) {
    const made = element('i', className);
    made.style.left = within ? within(from) : percent(from);
    made.style.width = wide(to - from);
    return made;
  }
  function bar(day) {
    const { pieces } = day;
    const [begin, end] = [pieces[0][0], pieces.at(-1)[1]];
    const made = element('div', 'shift');
    made.tabIndex = 0;
    made.setAttribute('role', 'button');
    made.setAttribute('aria-label', `${person(day.agent).name}, ${words(pieces)}`);
    made.title = words(pieces);
    made.style.left = percent(begin);
    made.style.width = wide(end - begin);
    const inside = (minutes) => `${(100 * (minutes - begin)) / (end - begin)}%`;
    pieces.forEach(([from, to], nth) => {
      const piece = element('i', 'piece');
      piece.style.left = inside(from);
      piece.style.width = `${(100 * (to - from)) / (end - begin)}%`;
      made.append(piece);
      if (!nth) return;
      const gap = element('i', 'gap');
      gap.dataset.gap = nth - 1;
      gap.style.left = inside(pieces[nth - 1][1]);
      gap.style.width = `${(100 * (from - pieces[nth - 1][1])) / (end - begin)}%`;
      made.append(gap);
    });
    made.append(element('span', 'edge left'), element('span', 'times', `${clock(begin)}–${clock(end)}`), element('span', 'edge right'));
    return made;
  }
  function row(day) {
    const who = person(day.agent);
    const made = element('div', 'roster-row');
    made.dataset.agent = day.agent;
    made.classList.toggle('chosen', chosen === day.agent);
    made.classList.toggle('swapping', swapping === day.agent);
    const own = faults.filter(([agent]) => agent === day.agent).map(([, said]) => said);
    made.classList.toggle('faulty', own.length > 0);
    const name = element('button', 'who');
    name.type = 'button';
    name.title = own.join('; ');
    name.append(element('strong', '', who.name), element('small', '', day.is_away ? (who.away || 'absent').toLowerCase() : day.pieces.length ? `${hours(day.pieces).toFixed(1)} h` : 'free'));
    const over = element('div', 'over');
    for (let hour = Math.ceil(state.from / 60) + 1; hour * 60 < state.to; hour += 1) {
      const line = element('i', 'hour');
      line.style.left = percent(hour * 60);
      over.append(line);
    }
    who.elsewhere.forEach(([from, to]) => {
      const other = span('elsewhere', from, to);
      other.title = 'At work for another contact type';
      over.append(other);
    });
    if (day.is_away) over.append(element('i', 'away'));
    if (day.pieces.length) over.append(bar(day));
    made.append(name, over);
    return made;
  }
  function draw() {
    const focused = document.activeElement?.closest?.('[data-agent]')?.dataset.agent;
    rows.replaceChildren(...days.map(row));
    if (focused) focusOn(focused);
    const told = page.querySelector('[data-roster-chosen]');
    if (told) {
      const name = chosen && person(chosen).name;
      told.textContent = swapping ? `${person(swapping).name} swaps with …` : name || 'Choose a bar or a name';
    }
    const calendar = page.querySelector('[data-roster-calendar]');
    if (calendar) {
      calendar.hidden = !chosen;
      calendar.href = `/staffing/people/${chosen}/shifts.ics?day=${state.day}`;
    }
    page.querySelectorAll('[data-act]').forEach((button) => {
      const { act: name } = button.dataset;
      const day = chosen && dayOf(chosen);
      button.disabled = {
        undo: !undo.length,
        redo: !redo.length,
        add: !day || day.is_away || day.pieces.length > 0,
        absent: !day || (day.is_away && !person(chosen).may_return),
        swap: !day || day.is_away,
      }[name] ?? !day?.pieces.length;
    });
    if (form) form.querySelector('[type=submit]').disabled = content(days) === saved;
  }
  function show() {
    draw();
    ask();
  }

  // What a change comes to is asked once at a time; of those made meanwhile only the last.
  let asking = false;
  let again = false;
  async function ask() {
    if (asking) {
      again = true;
      return;
    }
    asking = true;
    figures.setAttribute('aria-busy', 'true');
    try {
      const body = new URLSearchParams({ day: state.day, roster: JSON.stringify(days) });
      // As htmx asks: who is signed out gets 401 instead of the page to sign in.
      const answer = await fetch(page.dataset.rosterTry, { method: 'POST', body, headers: { 'hx-request': 'true' } });
      if (!answer.ok) throw new Error(answer.status);
      place(new DOMParser().parseFromString(await answer.text(), 'text/html').body);
    } catch {
      const told = page.querySelector('#roster-answer');
      if (told) told.textContent = 'What this comes to is not known: Barometer does not answer, or you are signed out.';
    }
    asking = false;
    if (again) {
      again = false;
      ask();
    } else figures.setAttribute('aria-busy', 'false');
  }
  function place(found) {
    const strip = found.querySelector('#roster-strip');
    if (strip) need.replaceChildren(strip);
    const answer = found.querySelector('#roster-answer');
    if (answer) page.querySelector('[data-roster-answer]').replaceChildren(answer);
    figures.replaceChildren(...found.childNodes);
    faults = JSON.parse(figures.querySelector('#roster-faults')?.textContent || '[]');
    draw();
  }

  if (form) {
    rows.addEventListener('pointerdown', drag);
    form.addEventListener('submit', () => {
      form.elements.roster.value = JSON.stringify(days);
      keep();
    });
  }
  rows.addEventListener('click', (event) => {
    const at = event.target.closest('[data-agent]');
    if (at && event.target.closest('.who')) choose(at.dataset.agent);
  });
  page.addEventListener('click', (event) => {
    const button = event.target.closest('[data-act]');
    if (button) act(button.dataset.act);
  });

  function drag(event) {
    const shift = event.target.closest('.shift');
    if (!shift || event.button) return;
    event.preventDefault();
    const agent = shift.closest('[data-agent]').dataset.agent;
    if (swapping) {
      choose(agent);
      return;
    }
    chosen = agent;
    const over = shift.closest('.over').getBoundingClientRect();
    const before = dayOf(agent).pieces;
    const was = JSON.stringify(days);
    const gap = event.target.closest('.gap');
    const edge = event.target.closest('.edge');
    let onto = null;
    const how = gap
      ? (by) => breakMoved(before, by, Number(gap.dataset.gap))
      : edge
        ? (by) => (edge.classList.contains('left') ? begun : ended)(before, by)
        : (by) => moved(before, by);
    const move = (at) => {
      const by = snap(((at.clientX - event.clientX) / over.width) * (state.to - state.from));
      const other = document.elementFromPoint(at.clientX, at.clientY)?.closest('[data-agent]');
      onto = other && !gap && !edge && other.dataset.agent !== agent ? other.dataset.agent : null;
      const pieces = how(by);
      if (JSON.stringify(pieces) !== JSON.stringify(dayOf(agent).pieces)) {
        dayOf(agent).pieces = pieces;
        show();
      }
      rows.querySelectorAll('.onto').forEach((row) => row.classList.remove('onto'));
      if (onto) rows.querySelector(`[data-agent="${onto}"]`).classList.add('onto');
    };
    const end = () => {
      document.removeEventListener('pointermove', move);
      document.removeEventListener('pointerup', end);
      document.removeEventListener('pointercancel', end);
      const now = JSON.stringify(days);
      if (now !== was) {
        undo.push(was);
        redo = [];
      }
      if (onto) exchange(agent, onto);
      show();
      focusChosen();
    };
    document.addEventListener('pointermove', move);
    document.addEventListener('pointerup', end);
    document.addEventListener('pointercancel', end);
    show();
  }

  rows.addEventListener('focusin', (event) => {
    const agent = event.target.closest('[data-agent]')?.dataset.agent;
    if (!agent || agent === chosen || swapping) return;
    chosen = agent;
    draw();
  });
  page.addEventListener('keydown', (event) => {
    const agent = event.target.closest('[data-agent]')?.dataset.agent;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
      event.preventDefault();
      act(event.shiftKey ? 'redo' : 'undo');
      return;
    }
    if (!agent) return;
    const by = { ArrowLeft: -state.step, ArrowRight: state.step }[event.key];
    const key = event.key.toLowerCase();
    const named = { n: 'add', b: 'break', a: 'absent', s: 'swap', delete: 'remove', backspace: 'remove' }[key];
    if (by && state.may_plan) {
      changeShift(agent, (pieces) => (event.shiftKey ? ended : event.altKey ? breakMoved : moved)(pieces, by));
      focusChosen();
    } else if (key === 'arrowup' || key === 'arrowdown') {
      const place = days.findIndex((day) => day.agent === agent) + (key === 'arrowup' ? -1 : 1);
      const next = days[place]?.agent;
      if (next) focusOn(next);
    } else if (key === 'enter' && swapping) choose(agent);
    else if (key === 'escape' && swapping) act('swap');
    else if (named && !event.ctrlKey && !event.metaKey) act(named);
    else return;
    event.preventDefault();
    event.stopPropagation();
  });

  place(figures);
}
