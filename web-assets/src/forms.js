import { withOpenPart } from './journey-map.js';

// Small help for forms: ask before what destroys, go where a choice leads, one submit at a time.
const keys = new WeakMap();

// The key by which the server knows a form that is sent twice: the same for as long as the form is shown.
function giveKey(form) {
  if (form.method !== 'post' || form.elements.once) return;
  if (!keys.has(form)) {
    const numbers = crypto.getRandomValues(new Uint8Array(16));
    keys.set(form, Array.from(numbers, (number) => number.toString(16).padStart(2, '0')).join(''));
  }
  const field = document.createElement('input');
  Object.assign(field, { type: 'hidden', name: 'once', value: keys.get(form) });
  form.append(field);
}

const isChanged = (field) => {
  if (field.type === 'hidden') return false;
  if (field.type === 'checkbox' || field.type === 'radio') return field.checked !== field.defaultChecked;
  if (field.tagName === 'SELECT') return [...field.options].some((option) => option.selected !== option.defaultSelected) && field.selectedIndex > 0;
  return 'defaultValue' in field && field.value !== field.defaultValue;
};

// Details that were open when the page was loaded.
const cameOpen = new WeakSet();

// Whether somebody has opened something, or typed what is not sent yet.
const isBusy = () => [...document.querySelectorAll('main details[open]')].some((details) => !cameOpen.has(details))
  || [...document.querySelectorAll('form[method="post"]')].some((form) => [...form.elements].some(isChanged));

// Whether somebody is on the way to another page. A download looks the same at first: it is forgotten after a while.
let isLeaving = false;
function noteLeaving() {
  isLeaving = true;
  setTimeout(() => { isLeaving = false; }, 5000);
}

// A page whose run has ended loads itself again, but not over what somebody does there, and not while they leave it:
// that would bring them back.
function keepTyped(event) {
  if (event.detail.xhr.getResponseHeader('HX-Refresh') !== 'true') return;
  if (isLeaving) {
    // If they stay, the next poll loads the page again.
    event.preventDefault();
    return;
  }
  if (!isBusy()) return;
  event.preventDefault();
  const notice = document.createElement('p');
  notice.className = 'notice';
  notice.role = 'status';
  notice.textContent = 'The run has ended. This page still shows the figures from before it, so that what you opened or typed stays. ';
  const link = document.createElement('a');
  link.href = window.location.href;
  link.textContent = 'Show the new figures';
  notice.append(link);
  event.detail.elt.replaceWith(notice);
}

export function bindForms() {
  document.querySelectorAll('main details[open]').forEach((details) => cameOpen.add(details));
  document.addEventListener('htmx:beforeOnLoad', keepTyped);
  window.addEventListener('beforeunload', noteLeaving);
  document.addEventListener('submit', (event) => {
    const form = event.target;
    if (form.dataset.confirm && !window.confirm(form.dataset.confirm)) {
      event.preventDefault();
      return;
    }
    giveKey(form);
    if (form.dataset.once !== undefined) {
      const button = event.submitter;
      // After the submit itself, which a disabled button would stop.
      setTimeout(() => {
        if (!button) return;
        button.disabled = true;
        button.textContent = form.dataset.once || button.textContent;
      });
    }
  });
  document.addEventListener('change', (event) => {
    const choice = event.target.closest('[data-goes]');
    if (choice) window.location.assign(withOpenPart(choice.value));
  });
  // A list whose order is sent with the form.
  document.addEventListener('click', (event) => {
    const button = event.target.closest('[data-move]');
    const item = button?.closest('li');
    if (!item) return;
    const other = button.dataset.move === 'up' ? item.previousElementSibling : item.nextElementSibling;
    if (!other) return;
    if (button.dataset.move === 'up') other.before(item);
    else other.after(item);
    button.focus();
    item.dispatchEvent(new Event('input', { bubbles: true }));
  });
  // A page that comes back from the history must have its buttons again.
  window.addEventListener('pageshow', (event) => {
    if (event.persisted) window.location.reload();
  });
}
