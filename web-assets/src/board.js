// The board: what the switch says, as it says it, and how old that is.
export function bindBoard() {
  const board = document.querySelector('[data-board]');
  if (!board) return;
  const foot = document.querySelector('[data-board-age]');
  let heardAt = performance.now();
  let isLost = false;
  const stream = new EventSource(board.dataset.board);
  stream.addEventListener('board', (event) => {
    const [age, ...html] = event.data.split('\n');
    heardAt = performance.now() - Math.max(0, Number(age)) * 1000;
    isLost = Number(age) < 0;
    // Who follows a link or reads a row with the keyboard keeps the place.
    const focused = document.activeElement;
    const href = board.contains(focused) && focused.getAttribute('href');
    board.innerHTML = html.join('\n');
    if (href) board.querySelector(`a[href="${CSS.escape(href)}"]`)?.focus();
    tell();
  });
  stream.onerror = () => tell();
  const tell = () => {
    const secs = Math.round((performance.now() - heardAt) / 1000);
    const isOld = isLost || secs > 5;
    board.toggleAttribute('data-old', isOld);
    if (!foot) return;
    foot.toggleAttribute('data-old', isOld);
    const waits = stream.readyState === EventSource.OPEN ? '' : ' Barometer does not answer; it is tried again.';
    foot.textContent = isLost ? `Nothing has been heard from the switch yet.${waits}` : `Heard from the switch ${secs} s ago.${waits}`;
  };
  setInterval(tell, 1000);
  tell();
  // A page that leaves must not hold a connection; one that comes back asks anew.
  addEventListener('pagehide', () => stream.close());
}
