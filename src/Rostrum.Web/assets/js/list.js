// [data-list]: a click anywhere in a row opens its record in the sheet; the open record's row is marked.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { current } from './address.js';

document.addEventListener('click', event => {
  const row = event.target.closest('[data-list] :is(tr, li)[data-key]');
  const link = row?.querySelector('a[data-open]');
  if (event.target.closest('.tick')) return;
  if (!link || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.target.closest('a:not([data-open]), button, input, summary, .row-actions, .nested')) return;
  if (String(getSelection()).length > 0 && !event.target.closest('a[data-open]')) return;
  if (link.dataset.open === 'page' && event.target.closest('a')) return;
  event.preventDefault();
  open(link);
});

// A record opens in the sheet; or it is selected, and whatever looks at the selected record follows.
export function open(link) {
  if (link.dataset.open === 'page') return location.assign(link.href);
  const row = link.closest('[data-key]');
  const selects = row.closest('[data-list]').dataset.choice === 'select';
  const href = current(link.getAttribute('href'), row);
  htmx.ajax('GET', href, selects ? { target: '#messages', source: row, swap: 'none' } : { target: '#sheet', source: row, swap: 'outerHTML' })
    .then(() => {
      history.pushState({ htmx: true }, '', href);
      if (!selects) return;
      markOpenRow();
      if (matchMedia('(max-width: 767px)').matches) goToDetails(row.closest('[data-list]'), row.dataset.key);
    });
}

// On a phone what shows the selected record stands below the list: one is brought there, and back.
function goToDetails(list, key) {
  const details = [...document.querySelectorAll('.page-grid > [data-panel]')].find(panel => list.compareDocumentPosition(panel) & Node.DOCUMENT_POSITION_FOLLOWING);
  if (!details) return;
  details.scrollIntoView({ block: 'start' });
  document.getElementById('back-to-list')?.remove();
  const back = document.createElement('button');
  back.id = 'back-to-list';
  back.type = 'button';
  back.className = 'btn btn-outline-primary back-to-list';
  back.textContent = 'Back to the list';
  back.addEventListener('click', () => {
    const row = list.isConnected ? list : document.getElementById(list.id);
    row?.querySelector(`[data-key="${CSS.escape(key)}"]`)?.scrollIntoView({ block: 'center' });
    back.remove();
  });
  document.body.append(back);
}

export function markOpenRow() {
  const state = new URLSearchParams(location.search);
  const sheet = document.querySelector('[data-sheet]');
  for (const list of document.querySelectorAll('[data-list]')) {
    const key = list.dataset.choice === 'select' ? state.get(`${list.dataset.panel}.selected`) : sheet?.dataset.panel === list.dataset.panel ? sheet.dataset.key : undefined;
    for (const row of list.querySelectorAll(':is(tr, li)[data-key]')) {
      row.classList.toggle('open', key != null && row.dataset.key === key);
      row.querySelector('a[data-open]')?.toggleAttribute('aria-current', key != null && row.dataset.key === key);
    }
  }
}
