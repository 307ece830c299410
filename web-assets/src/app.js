// What every page needs: htmx, the keyboard, the theme switch and the pressure strip.
import htmx from 'htmx.org';
import { bindBoard } from './board.js';
import { bindKeyboard } from './keyboard.js';
import { bindStrip } from './strip.js';
import { bindDragging, bindDrafts } from './drafts.js';
import { bindForms } from './forms.js';
import { bindJourneyMap, withOpenPart } from './journey-map.js';
import { bindLive } from './live.js';
import { bindFilters, bindTables } from './tables.js';

// No inline script or style: the Content-Security-Policy forbids both.
window.htmx = htmx; // The charts ask for what stands beside them.
htmx.config.allowEval = false;
htmx.config.includeIndicatorStyles = false;
// A refused form comes back as 422, filled in, with the message at its field; as 409 with a question.
document.addEventListener('htmx:beforeSwap', (event) => {
  if ([409, 422].includes(event.detail.xhr.status)) {
    event.detail.shouldSwap = true;
    event.detail.isError = false;
  }
});
document.addEventListener('htmx:sendError', () => announce('Barometer does not answer. Is it still running?'));
document.addEventListener('htmx:responseError', (event) => {
  announce(event.detail.xhr.status === 401 ? 'You are signed out. Sign in again.' : 'That did not work; nothing was changed.');
});

function announce(message) {
  const place = document.getElementById('notice');
  if (place) {
    place.textContent = message;
    place.hidden = false;
  }
}

document.addEventListener('click', (event) => {
  if (!event.target.closest('[data-theme-switch]')) return;
  const next = document.documentElement.dataset.bsTheme === 'dark' ? 'light' : 'dark';
  document.documentElement.dataset.bsTheme = next;
  try {
    localStorage.setItem('theme', next);
  } catch {
    // Without storage the choice lasts for this page.
  }
  document.dispatchEvent(new CustomEvent('barometer:theme'));
});

bindKeyboard();
bindBoard();
bindStrip(document);
bindForms();
bindDrafts();
bindDragging();
bindLive();
bindJourneyMap();
bindTables(document);
bindFilters();
// A file that was drawn is saved by itself, once.
function saveWhatIsReady(within) {
  within.querySelectorAll?.('[data-download]').forEach((link) => {
    delete link.dataset.download;
    window.location.assign(link.href);
  });
}
saveWhatIsReady(document);
// What is folded on the map changes nothing beside it.
document.addEventListener('htmx:configRequest', (event) => {
  if (event.detail.elt.matches('[data-fold]')) event.detail.path = withOpenPart(event.detail.path);
});
// What htmx brings in has strips and tables of its own.
document.addEventListener('htmx:load', (event) => {
  if (event.detail.elt === document.body) return;
  const root = event.detail.elt.parentNode ?? event.detail.elt;
  bindStrip(root);
  bindTables(root);
  saveWhatIsReady(root);
  if (root.querySelector?.('[data-map-room]') && event.detail.elt.id === 'main') bindJourneyMap(event.detail.elt);
});
