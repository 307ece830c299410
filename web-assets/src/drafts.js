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
  document.addEventListener('htmx:load', (event) => {
    const form = event.detail.elt;
    if (!awaited || form.id !== 'part-form') return;
    awaited = false;
    keep(form);
  });
  document.addEventListener('click', (event) => {
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

function keep(form) {
  const told = form.querySelector('[data-kept]');
  if (told) told.textContent = 'keeping …';
  htmx.trigger(form, 'autosave');
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
