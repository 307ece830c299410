// Tables that stay sorted: a press on a heading sorts by its column, another turns it round.
export function bindSorting() {
  document.querySelectorAll('table[data-sortable]').forEach((table) => {
    [...table.tHead.rows[0].cells].forEach((heading, column) => {
      const button = document.createElement('button');
      button.type = 'button';
      button.className = 'sort';
      button.append(...heading.childNodes);
      heading.append(button);
      button.addEventListener('click', () => sort(table, heading, column));
    });
  });
}

function sort(table, heading, column) {
  const descending = heading.getAttribute('aria-sort') === 'ascending';
  for (const other of table.tHead.rows[0].cells) other.removeAttribute('aria-sort');
  heading.setAttribute('aria-sort', descending ? 'descending' : 'ascending');
  const rows = [...table.tBodies[0].rows];
  rows.sort((one, other) => compare(one.cells[column].textContent.trim(), other.cells[column].textContent.trim()));
  if (descending) rows.reverse();
  table.tBodies[0].append(...rows);
}

// Figures by size, whatever stands around them; everything else as text.
function compare(one, other) {
  const [a, b] = [one, other].map((text) => Number.parseFloat(text.replaceAll(',', '').replace('−', '-')));
  if (Number.isNaN(a) || Number.isNaN(b)) return one.localeCompare(other, 'en');
  return a - b;
}
