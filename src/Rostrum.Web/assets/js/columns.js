// [data-resize]: the edge of a column's heading makes it wider or narrower, by dragging or by keys; the person's width is kept.
import htmx from 'htmx.org/dist/htmx.esm.js';

const least = 2;
const most = 99;

function charsOf(cell) {
  const style = getComputedStyle(cell);
  const probe = document.createElement('canvas').getContext('2d');
  probe.font = `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
  return probe.measureText('0').width;
}

// Columns that are as wide as their widest value are measured anew with each row that comes. While one scrolls on they stay as they are.
document.addEventListener('htmx:beforeRequest', event => {
  const table = event.target.matches?.('tr.more') && event.target.closest('table');
  if (!table || table.style.tableLayout === 'fixed') return;
  const cells = [...table.querySelectorAll('thead th')];
  const widths = cells.map(cell => cell.getBoundingClientRect().width);
  cells.forEach((cell, at) => { cell.style.width = `${widths[at]}px`; });
  table.style.tableLayout = 'fixed';
});

function setWidth(cell, chars) {
  cell.style.width = '';
  for (const name of [...cell.classList]) if (name.startsWith('chars-')) cell.classList.remove(name);
  cell.classList.add(`chars-${chars}`);
}

function keep(cell, chars) {
  const menu = cell.closest('[data-list]').querySelector('[data-view]');
  if (!menu) return;
  const token = document.querySelector('[name="__RequestVerificationToken"]').value;
  htmx.ajax('POST', menu.dataset.view, { source: menu, target: '#messages', swap: 'none', values: { does: 'width', field: cell.dataset.field, width: chars, __RequestVerificationToken: token } });
}

document.addEventListener('pointerdown', event => {
  const edge = event.target.closest('[data-resize]');
  if (!edge) return;
  event.preventDefault();
  const cell = edge.closest('th');
  const [one, from, wide] = [charsOf(cell), event.clientX, cell.getBoundingClientRect().width];
  let chars;
  const move = moved => {
    chars = Math.max(least, Math.min(most, Math.round((wide + moved.clientX - from) / one)));
    setWidth(cell, chars);
  };
  const end = () => {
    removeEventListener('pointermove', move);
    removeEventListener('pointerup', end);
    if (chars !== undefined) keep(cell, chars);
  };
  addEventListener('pointermove', move);
  addEventListener('pointerup', end);
});

// Alt and an arrow on a heading.
document.addEventListener('keydown', event => {
  const cell = event.altKey && ['ArrowLeft', 'ArrowRight'].includes(event.key) && event.target.closest?.('th[data-field]');
  if (!cell) return;
  event.preventDefault();
  const chars = Math.max(least, Math.min(most, Math.round(cell.getBoundingClientRect().width / charsOf(cell)) + (event.key === 'ArrowRight' ? 1 : -1)));
  setWidth(cell, chars);
  keep(cell, chars);
});

document.addEventListener('click', event => event.target.closest('[data-resize]') && event.preventDefault());
