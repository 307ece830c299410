// Small help for forms: ask before what destroys, go where a choice leads, one submit at a time.
export function bindForms() {
  document.addEventListener('submit', (event) => {
    const form = event.target;
    if (form.dataset.confirm && !window.confirm(form.dataset.confirm)) {
      event.preventDefault();
      return;
    }
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
    if (choice) window.location.assign(choice.value);
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
