// The journey map: travel along the ways by key, what a stop reaches and is reached from, zoom, find.
const SVG = 'svg[data-map]';

// How the map is looked at: kept while the page around it is drawn anew.
const view = { zoom: 1, left: 0, top: 0 };

// An address of the strategy page with the part whose panel is open now, which the page may not have known
// when it was drawn.
export function withOpenPart(address) {
  const open = document.querySelector('#part[data-part]')?.dataset.part;
  const url = new URL(address, window.location.href);
  if (!open || !url.searchParams.has('part')) return address;
  url.searchParams.set('part', open);
  return `${url.pathname}${url.search}${url.hash}`;
}

export function bindJourneyMap(root = document) {
  root.querySelectorAll('[data-map-room]').forEach((room) => {
    const map = room.querySelector(SVG);
    if (map) bind(room, map);
  });
  bindWalk();
}

function bind(room, map) {
  const stops = new Map([...map.querySelectorAll('.stop')].map((stop) => [stop.dataset.stop, stop]));
  const ribbons = [...map.querySelectorAll('.ribbon')].map((path) => ({ path, from: path.dataset.from, to: path.dataset.to }));
  const next = (at, forward) => ribbons.filter((each) => (forward ? each.from : each.to) === at).map((each) => (forward ? each.to : each.from));

  // Everything that a stop reaches, or that reaches it.
  const reach = (from, forward) => {
    const seen = new Set([from]);
    const ahead = [from];
    while (ahead.length) for (const to of next(ahead.pop(), forward)) if (!seen.has(to)) { seen.add(to); ahead.push(to); }
    return seen;
  };
  const light = (at) => {
    const after = reach(at, true);
    const before = reach(at, false);
    stops.forEach((stop, id) => stop.classList.toggle('dim', !after.has(id) && !before.has(id)));
    ribbons.forEach(({ path, from, to }) => path.classList.toggle('dim', !((after.has(from) && after.has(to)) || (before.has(from) && before.has(to)))));
  };
  const unlight = () => map.querySelectorAll('.dim').forEach((each) => each.classList.remove('dim'));
  stops.forEach((stop, id) => {
    stop.addEventListener('pointerenter', () => light(id));
    stop.addEventListener('pointerleave', unlight);
    stop.addEventListener('focus', () => light(id));
    stop.addEventListener('blur', unlight);
    stop.addEventListener('click', () => {
      map.querySelectorAll('.chosen').forEach((each) => each.classList.remove('chosen'));
      stop.classList.add('chosen');
    });
  });

  const height = (id) => stops.get(id).getBoundingClientRect().top;
  const go = (id) => stops.get(id)?.focus({ preventScroll: false });
  map.addEventListener('keydown', (event) => {
    const at = event.target.closest?.('.stop')?.dataset.stop;
    if (at === undefined) return;
    const isStop = (id) => stops.get(id)?.tagName.toLowerCase() === 'a';
    const byHeight = (ids) => [...new Set(ids)].filter(isStop).sort((a, b) => height(a) - height(b));
    const column = () => {
      const here = stops.get(at).getBoundingClientRect().left;
      const near = [...stops.keys()].filter((id) => isStop(id) && Math.abs(stops.get(id).getBoundingClientRect().left - here) < 60);
      return near.sort((a, b) => height(a) - height(b));
    };
    // As in a tree: minus folds the ways of an entry, plus unfolds them.
    const fold = map.querySelector(`[data-fold="${at}"]`);
    if (fold && fold.dataset.key === event.key) {
      event.preventDefault();
      fold.dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true }));
      return;
    }
    const move = {
      ArrowRight: () => byHeight(next(at, true))[0],
      ArrowLeft: () => byHeight(next(at, false))[0],
      ArrowDown: () => column()[column().indexOf(at) + 1],
      ArrowUp: () => column()[column().indexOf(at) - 1],
    }[event.key];
    if (!move) return;
    event.preventDefault();
    event.stopPropagation();
    const to = move();
    if (to !== undefined) go(to);
  });

  // Zoom by the width of the drawing; the room scrolls.
  const panel = room.closest('.map-panel');
  const apply = () => map.setAttribute('width', `${view.zoom * 100}%`);
  if (view.zoom !== 1) apply();
  room.scrollTo(view.left, view.top);
  room.addEventListener('scroll', () => { view.left = room.scrollLeft; view.top = room.scrollTop; });
  panel?.querySelectorAll('[data-map-zoom]').forEach((button) => {
    button.addEventListener('click', () => {
      view.zoom = { in: Math.min(view.zoom * 1.25, 4), out: Math.max(view.zoom / 1.25, 0.5), fit: 1 }[button.dataset.mapZoom];
      apply();
      if (view.zoom === 1) map.removeAttribute('width');
    });
  });
  room.addEventListener('wheel', (event) => {
    if (!event.ctrlKey) return;
    event.preventDefault();
    view.zoom = Math.min(Math.max(view.zoom * (event.deltaY < 0 ? 1.1 : 0.9), 0.5), 4);
    apply();
  }, { passive: false });

  const find = panel?.querySelector('[data-map-find]');
  find?.addEventListener('input', () => {
    const wanted = find.value.trim().toLowerCase();
    stops.forEach((stop) => stop.classList.toggle('dim', wanted !== '' && !stop.dataset.name.toLowerCase().includes(wanted)));
  });
  find?.addEventListener('keydown', (event) => {
    if (event.key !== 'Enter') return;
    event.preventDefault();
    const wanted = find.value.trim().toLowerCase();
    const found = [...stops.values()].find((stop) => wanted && stop.dataset.name.toLowerCase().includes(wanted));
    found?.focus();
  });
}

// A walk-through, moment by moment: each lights its place on the map.
function bindWalk() {
  const walk = document.querySelector('[data-walk]');
  if (!walk) return;
  const moments = [...walk.querySelectorAll('[data-at-step]')];
  let at = -1;
  const show = (to) => {
    if (to < 0 || to >= moments.length) return;
    at = to;
    moments.forEach((moment, nth) => moment.classList.toggle('now', nth === at));
    moments[at].scrollIntoView({ block: 'nearest' });
    const step = moments[at].dataset.atStep;
    document.querySelectorAll(`${SVG} .stop`).forEach((stop) => stop.classList.toggle('here', step !== '' && stop.dataset.step === step));
  };
  walk.querySelectorAll('[data-walk-step]').forEach((button) => {
    button.addEventListener('click', () => show(at + Number(button.dataset.walkStep)));
  });
}
