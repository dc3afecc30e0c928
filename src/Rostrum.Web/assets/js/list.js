// [data-list]: a click anywhere in a row opens its record in the sheet; the open record's row is marked.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { current } from './address.js';
import { whenLoaded } from './loaded.js';

const isPhone = () => matchMedia('(max-width: 767px)').matches;

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
      if (isPhone()) showDetails(row.closest('[data-list]'), row.dataset.key);
    });
}

// On a phone what shows the selected record takes the place of the page, with a way back to the list.
function showDetails(list, key) {
  const ids = (list.dataset.details ?? '').split(' ').filter(id => document.getElementById(id));
  if (ids.length === 0) return;
  leaveDetails();
  const grid = document.getElementById('page');
  const head = document.createElement('div');
  head.className = 'details-head';
  head.innerHTML = '<button type="button" class="btn btn-link"><i class="bi bi-chevron-left" aria-hidden="true"></i> <span></span></button>';
  head.querySelector('span').textContent = list.querySelector('h2')?.textContent ?? 'Back to the list';
  head.addEventListener('click', () => {
    leaveDetails();
    document.getElementById(list.id)?.querySelector(`[data-key="${CSS.escape(key)}"]`)?.scrollIntoView({ block: 'center' });
  });
  grid.prepend(head);
  grid.dataset.details = ids.join(' ');
  markDetails();
  scrollTo(0, 0);
}

function leaveDetails() {
  const grid = document.getElementById('page');
  delete grid.dataset.details;
  grid.querySelector('.details-head')?.remove();
  markDetails();
}

// A panel that is drawn anew is still one of them.
function markDetails() {
  const grid = document.getElementById('page');
  const ids = (grid?.dataset.details ?? '').split(' ');
  for (const panel of grid?.children ?? []) panel.classList.toggle('is-detail', ids.includes(panel.id));
}

document.addEventListener('htmx:afterSettle', markDetails);
document.addEventListener('htmx:oobAfterSwap', markDetails);

function showLinkedDetails() {
  const list = [...document.querySelectorAll('[data-list][data-details]')].find(known => new URLSearchParams(location.search).has(`${known.dataset.panel}.selected`));
  if (list && isPhone()) showDetails(list, new URLSearchParams(location.search).get(`${list.dataset.panel}.selected`));
}

// There a menu is a sheet of its own, and stands beside nothing.
function freeMenus(root) {
  if (!isPhone()) return;
  for (const button of root.querySelectorAll('.sentence [data-bs-toggle="dropdown"]')) button.dataset.bsDisplay = 'static';
}

whenLoaded(freeMenus);
freeMenus(document);

if (document.querySelector('[data-list-page]')) showLinkedDetails();

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
