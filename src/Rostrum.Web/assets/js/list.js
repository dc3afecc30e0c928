// [data-list]: a click anywhere in a row opens its record in the sheet; the open record's row is marked.
import htmx from 'htmx.org/dist/htmx.esm.js';

document.addEventListener('click', event => {
  const row = event.target.closest('[data-list] tbody tr');
  const link = row?.querySelector('a[data-open]');
  if (!link || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.target.closest('a:not([data-open]), button, input')) return;
  if (String(getSelection()).length > 0 && !event.target.closest('a[data-open]')) return;
  event.preventDefault();
  open(link);
});

// The row's own address may be older than the page's: what is opened keeps the list as it is now.
export function open(link) {
  htmx.ajax('GET', link.getAttribute('href'), { target: '#sheet', source: link.closest('tr'), swap: 'outerHTML' })
    .then(() => history.pushState({ htmx: true }, '', link.getAttribute('href')));
}

export function markOpenRow() {
  const key = document.querySelector('[data-sheet]')?.dataset.key;
  for (const row of document.querySelectorAll('[data-list] tbody tr')) row.classList.toggle('open', key !== undefined && row.dataset.key === key);
}
