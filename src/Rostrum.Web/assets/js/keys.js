// The keys of every screen.
import { closeMenu } from './menu.js';
import { open } from './list.js';

function isTyping(target) {
  return target.closest('input:not([type="checkbox"]), textarea, select, [contenteditable]') !== null;
}

// j and k: the next and the previous record, in the sheet if it is open, else the focus in the list.
function step(by) {
  const neighbour = document.querySelector(`.neighbours a[rel="${by > 0 ? 'next' : 'prev'}"]`);
  if (neighbour) return neighbour.hasAttribute('href') && neighbour.getAttribute('href') !== '' && neighbour.click();
  const rows = [...document.querySelectorAll('[data-list] :is(tr, li)[data-key]')];
  if (rows.length === 0) return;
  const sheet = document.querySelector('[data-sheet]');
  const at = rows.findIndex(row => sheet ? row.dataset.key === sheet.dataset.key : row.contains(document.activeElement));
  const link = rows[Math.min(rows.length - 1, Math.max(0, at + by))].querySelector('a[data-open]');
  if (sheet) open(link);
  else link.focus();
  link.scrollIntoView({ block: 'nearest' });
}

const plain = {
  '/': () => document.querySelector('[data-search], [data-input-type="search"]')?.select(),
  n: () => document.querySelector('[data-new]')?.click(),
  e: () => document.querySelector('[data-sheet] :is(input:not([type="hidden"]), select, textarea)')?.focus(),
  '?': () => document.getElementById('keys')?.showModal(),
  j: () => step(1),
  k: () => step(-1),
};

document.addEventListener('keydown', event => {
  if ((event.ctrlKey || event.metaKey) && event.key === 's') {
    const form = event.target.closest?.('[data-form]') ?? document.querySelector('[data-sheet] [data-form]') ?? document.querySelector('[data-form]');
    const save = form?.querySelector('.save button')
      ?? event.target.closest?.('form')?.querySelector('.form-foot .btn-primary')
      ?? document.querySelector('main .form-foot .btn-primary');
    if (save) {
      event.preventDefault();
      save.click();
    }
  } else if ((event.ctrlKey || event.metaKey) && event.key === 'Enter' && event.target.closest?.('form')?.querySelector('[data-run]')) {
    event.preventDefault();
    event.target.closest('form').querySelector('[data-run]').click();
  } else if (event.key === 'Escape' && !event.defaultPrevented && !document.querySelector('dialog[open]')) {
    if (!closeMenu()) document.querySelector('details.confirm[open]') ? document.querySelector('details.confirm').removeAttribute('open') : (document.querySelector('[data-opened] [data-close]') ?? document.querySelector('[data-sheet] [data-close]'))?.click();
  } else if (plain[event.key] && !document.querySelector('dialog[open]') && !event.ctrlKey && !event.metaKey && !event.altKey && !isTyping(event.target)) {
    event.preventDefault();
    plain[event.key]();
  }
});
