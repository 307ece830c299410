// Keys: ? lists them, g and a letter goes to a stage, [ and ] change the period.
const STAGES = { o: 'outlook', d: 'demand', s: 'staffing', r: 'strategy', t: 'trials', l: 'go-live', w: 'watch' };

export function bindKeyboard() {
  let afterG = false;
  document.addEventListener('keydown', (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
    if (afterG) {
      afterG = false;
      follow(`[data-stage="${STAGES[event.key]}"]`);
      return;
    }
    switch (event.key) {
      case '?':
        document.getElementById('keys')?.showModal();
        break;
      case 'g':
        afterG = true;
        setTimeout(() => (afterG = false), 1500);
        break;
      case '[':
        follow('[data-period="earlier"]');
        break;
      case ']':
        follow('[data-period="later"]');
        break;
      case ',':
        follow('[data-day="earlier"]');
        break;
      case '.':
        follow('[data-day="later"]');
        break;
      default:
    }
  });
  document.addEventListener('click', (event) => {
    if (event.target.closest('[data-keys]')) document.getElementById('keys')?.showModal();
    if (event.target.closest('[data-close]')) event.target.closest('dialog')?.close();
  });
}

function isTyping(target) {
  return target.closest?.('input, select, textarea, dialog[open]');
}

function follow(selector) {
  document.querySelector(selector)?.click();
}
