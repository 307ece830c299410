// The pressure strip: arrow keys move over intervals and contact types, a cell opens its figures in
// the place that data-strip names.
import htmx from 'htmx.org';

export function bindStrip(root) {
  const strip = root.querySelector?.('[data-strip]');
  if (!strip || strip.dataset.bound !== undefined) return;
  strip.dataset.bound = '';
  const target = strip.dataset.strip;
  const rows = [...strip.querySelectorAll('[data-row]')].map((row) => [...row.querySelectorAll('rect[data-at]')]);
  const allCells = rows.flat();
  let chosen = allCells.find((cell) => cell.classList.contains('chosen')) ?? allCells[0];

  // Last in its day, so that no neighbour is painted over its frame.
  const frame = () => {
    chosen.classList.add('chosen');
    chosen.parentNode.append(chosen);
  };
  if (chosen?.classList.contains('chosen')) frame();

  const choose = (cell) => {
    if (!cell) return;
    chosen.classList.remove('chosen');
    chosen = cell;
    frame();
    strip.setAttribute('aria-label', `Pressure strip. ${cell.querySelector('title')?.textContent ?? ''}`);
    clearTimeout(choose.timer);
    // What stands beside may depend on a form that has not been saved.
    const form = strip.dataset.with && document.querySelector(strip.dataset.with);
    const values = form ? Object.fromEntries(new FormData(form)) : {};
    choose.timer = setTimeout(() => htmx.ajax('GET', cell.dataset.figures, { target, swap: 'innerHTML', values }), 80);
  };

  strip.addEventListener('click', (event) => {
    const cell = event.target.closest('rect[data-at]');
    if (cell) choose(cell);
  });
  strip.addEventListener('keydown', (event) => {
    const row = rows.findIndex((cells) => cells.includes(chosen));
    const column = rows[row]?.indexOf(chosen) ?? 0;
    const sameTime = (cells) =>
      cells?.reduce((best, cell) =>
        Math.abs(cell.dataset.at - chosen.dataset.at) < Math.abs(best.dataset.at - chosen.dataset.at) ? cell : best,
      );
    const byDay = (days) => {
      const wanted = Number(chosen.dataset.at) + days * 86400;
      return rows[row].reduce((best, cell) =>
        Math.abs(cell.dataset.at - wanted) < Math.abs(best.dataset.at - wanted) ? cell : best,
      );
    };
    const moves = {
      ArrowRight: () => (event.shiftKey ? byDay(1) : rows[row][column + 1]),
      ArrowLeft: () => (event.shiftKey ? byDay(-1) : rows[row][column - 1]),
      ArrowDown: () => sameTime(rows.slice(row + 1).find((cells) => cells.length)),
      ArrowUp: () => sameTime(rows.slice(0, row).reverse().find((cells) => cells.length)),
      Home: () => rows[row][0],
      End: () => rows[row].at(-1),
      Enter: () => {
        document.querySelector(`${target} a, ${target} button`)?.focus();
      },
    };
    const move = moves[event.key];
    if (!move) return;
    event.preventDefault();
    choose(move());
  });
}
