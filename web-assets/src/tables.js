// Tables that stay sorted and export what they show: a press on a heading sorts by its column,
// another turns it round; the button below saves the rows in the order shown.
export function bindTables(root) {
  root.querySelectorAll?.('table[data-sortable]').forEach((table) => {
    if (table.dataset.bound !== undefined) return;
    table.dataset.bound = '';
    [...table.tHead.rows[0].cells].forEach((heading, column) => {
      const button = pressable('sort', ...heading.childNodes);
      heading.append(button);
      button.addEventListener('click', () => sort(table, heading, column));
    });
    const save = pressable('plain-link small mt-2', 'Table as CSV');
    save.addEventListener('click', () => saveTable(table));
    table.after(save);
  });
}

function pressable(className, ...content) {
  const button = document.createElement('button');
  button.type = 'button';
  button.className = className;
  button.append(...content);
  return button;
}

function sort(table, heading, column) {
  const descending = heading.getAttribute('aria-sort') === 'ascending';
  for (const other of table.tHead.rows[0].cells) other.removeAttribute('aria-sort');
  heading.setAttribute('aria-sort', descending ? 'descending' : 'ascending');
  const rows = [...table.tBodies[0].rows];
  rows.sort((one, other) => compare(text(one.cells[column]), text(other.cells[column])));
  if (descending) rows.reverse();
  table.tBodies[0].append(...rows);
}

const text = (cell) => cell.innerText.replace(/\s+/g, ' ').trim();

// Figures by size, whatever stands around them; everything else as text.
function compare(one, other) {
  const [a, b] = [one, other].map((value) => Number.parseFloat(value.replaceAll(',', '').replace('−', '-')));
  if (Number.isNaN(a) || Number.isNaN(b)) return one.localeCompare(other, 'en');
  return a - b;
}

function saveTable(table) {
  const lines = [...table.rows].map((row) => [...row.cells].map((cell) => field(text(cell))).join(','));
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([`${lines.join('\r\n')}\r\n`], { type: 'text/csv' }));
  link.download = `${table.dataset.sortable || 'table'}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}

// A figure stays one (1,412 and −3.2 % become 1412 and -3.2 %), a formula does not.
function field(value) {
  const plain = /^[+−-]?[\d,]+(\.\d+)?( %)?$/.test(value) ? value.replaceAll(',', '').replace('−', '-') : value;
  const harmless = /^[=+\-@]/.test(plain) && !/^[+-]?[\d.]+( %)?$/.test(plain) ? `'${plain}` : plain;
  return /[",\n]/.test(harmless) ? `"${harmless.replaceAll('"', '""')}"` : harmless;
}

// A search field shows only the rows of its table that have the words.
export function bindFilters() {
  document.querySelectorAll('[data-filters]').forEach((field) => {
    const table = document.querySelector(`table[data-sortable="${field.dataset.filters}"]`);
    field.addEventListener('input', () => {
      const wanted = field.value.trim().toLowerCase();
      for (const row of table.tBodies[0].rows) row.hidden = !text(row.cells[0]).toLowerCase().includes(wanted);
    });
  });
}
