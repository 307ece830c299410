// Drafts: what is changed is kept at once; a way is led to what is chosen on the map; undo by key.
import htmx from 'htmx.org';

// Whether a form is being drawn anew for a choice.
let awaited = false;

export function bindDrafts() {
  document.addEventListener('change', (event) => {
    const form = event.target.closest('form[data-autosave]');
    if (!form) return;
    // A choice that draws the form anew is kept once that is there.
    const isRedrawn = event.target.hasAttribute('hx-post');
    if (isRedrawn) awaited = true;
    else keep(form);
  });
  // A form that is drawn anew takes what is typed with it.
  document.addEventListener('htmx:beforeRequest', (event) => {
    const { elt, xhr } = event.detail;
    if (!elt.closest('form[data-autosave]')) return;
    if (elt.matches('form')) underWay = new Promise((done) => { xhr.addEventListener('loadend', () => { underWay = null; done(); }); });
    clearTimeout(waiting);
    waiting = 0;
  });
  bindLeaving();
  // A button that happens to have the focus is not what was pressed.
  document.addEventListener('htmx:configRequest', (event) => {
    if (event.detail.elt.matches('form[data-autosave]') && event.detail.triggeringEvent?.type === 'autosave') event.detail.parameters.do = 'save';
  });
  document.addEventListener('htmx:beforeSwap', leaveAside);
  document.addEventListener('htmx:load', (event) => {
    const form = event.detail.elt;
    if (!awaited || form.id !== 'part-form') return;
    awaited = false;
    keep(form);
  });
  document.addEventListener('click', (event) => {
    // A row that was moved or removed is kept as it is; one that was added has to be filled in first.
    const act = event.target.closest('form[data-autosave] button[name="do"]');
    if (act && /^(move|remove):/.test(act.value)) awaited = true;
    const pick = event.target.closest('[data-pick]');
    if (pick) return begin(pick.closest('form'));
    const drop = document.querySelector('details.drop[open]');
    if (drop && !drop.contains(event.target)) drop.open = false;
    return undefined;
  });
  document.addEventListener('click', choose, true);
  document.addEventListener('keydown', (event) => {
    if (event.key === 'Escape' && picking) end();
    const isTyping = event.target.closest('input, textarea, select');
    if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z' || isTyping) return;
    const button = document.querySelector(event.shiftKey ? '[data-redo]' : '[data-undo]');
    if (!button || button.disabled) return;
    event.preventDefault();
    button.click();
  });
}

// What is typed is kept after a moment without typing. An answer that comes while somebody types on is left
// aside: what they type next is kept with it.
const MOMENT_MS = 250;
let waiting = 0;
let sent = '';
// The request that is under way, and whether the page is about to be left for another.
let underWay = null;
let leaving = false;
const typedIn = (form) => new URLSearchParams(new FormData(form)).toString();

function keep(form) {
  const told = form.querySelector('[data-kept]');
  if (told) told.textContent = 'keeping …';
  clearTimeout(waiting);
  waiting = setTimeout(() => {
    waiting = 0;
    if (!form.isConnected) return;
    sent = typedIn(form);
    htmx.trigger(form, 'autosave');
  }, MOMENT_MS);
}

// Before anything else is done, what was typed is kept.
async function settle() {
  leaving = true;
  const form = document.querySelector('form[data-autosave]');
  if (waiting && form) {
    clearTimeout(waiting);
    waiting = 0;
    const body = new URLSearchParams(new FormData(form));
    body.set('do', 'save');
    await fetch(form.action, { method: 'POST', body, redirect: 'manual' });
  }
  await underWay;
  leaving = false;
}

const isPending = () => waiting !== 0 || underWay !== null;

function bindLeaving() {
  document.addEventListener('submit', (event) => {
    const form = event.target;
    const { submitter } = event;
    if (!isPending() || form.matches('form[data-autosave]')) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    settle().finally(() => form.requestSubmit(submitter));
  }, true);
  document.addEventListener('click', (event) => {
    const link = event.target.closest?.('a[href]');
    if (!isPending() || !link || event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    settle().finally(() => link.dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true })));
  }, true);
}

function leaveAside(event) {
  const form = event.detail.requestConfig?.elt;
  if (!form?.matches?.('form[data-autosave]')) return;
  if (leaving || (form.isConnected && typedIn(form) !== sent)) event.detail.shouldSwap = false;
}

// Rows of a list are dragged to another place of it: as if the arrows beside them were pressed.
let dragged = null;

export function bindDragging() {
  document.addEventListener('dragstart', (event) => {
    dragged = event.target.closest?.('[data-row]') ?? null;
    dragged?.classList.add('dragged');
  });
  document.addEventListener('dragover', (event) => {
    if (placeOf(event)) event.preventDefault();
  });
  document.addEventListener('drop', (event) => {
    const place = placeOf(event);
    if (!place) return;
    event.preventDefault();
    const form = dragged.closest('form');
    const [list, from, to] = place;
    htmx.ajax('POST', form.action, { source: form, target: '#part-form', swap: 'outerHTML', values: { do: `move:${list}:${from}:${to}` } });
    awaited = form.dataset.autosave !== undefined;
  });
  document.addEventListener('dragend', () => {
    dragged?.classList.remove('dragged');
    dragged = null;
  });
}

// The list, the place that a row comes from, and the place of the row of the same list under the pointer.
function placeOf(event) {
  const over = event.target.closest?.('[data-row]');
  if (!dragged || !over || over === dragged) return null;
  const split = (row) => [row.dataset.row.replace(/\/\d+$/, ''), Number(row.dataset.row.match(/\d+$/)[0])];
  const [list, from] = split(dragged);
  const [other, to] = split(over);
  return list === other ? [list, from, to] : null;
}

// The form of the way that is being led.
let picking = null;

function begin(form) {
  picking = form;
  document.body.classList.add('picking');
  form.querySelector('[data-pick]').textContent = 'now choose a step on the map (Esc to stop)';
}

function end() {
  picking.querySelector('[data-pick]').textContent = 'choose on the map';
  picking = null;
  document.body.classList.remove('picking');
}

function choose(event) {
  if (!picking) return;
  const stop = event.target.closest('.stop');
  if (!stop) return;
  event.preventDefault();
  event.stopPropagation();
  const form = picking;
  const { target } = stop.dataset;
  if (!target) return;
  end();
  form.elements.to.value = target;
  form.requestSubmit(form.querySelector('[value="connect"]'));
}
