// [data-sheet]: the record at the right. It takes the focus when it opens, gives it back when it closes, and does not lose what was typed.
import 'bootstrap/js/dist/tab.js';
import { whenAnswered } from './answers.js';
import { once } from './loaded.js';
import { markOpenRow } from './list.js';
import { discardWithin } from './unsaved.js';

let openedFrom;

function isDirty(within = document) {
  return [...within.querySelectorAll('[data-form]')].some(form => form.dataset.typed === 'yes');
}

document.addEventListener('input', event => {
  const form = event.target.closest('[data-form]');
  if (form && event.target.name) form.dataset.typed = 'yes';
});

document.addEventListener('change', event => {
  const form = event.target.closest('[data-form]');
  if (form && event.target.name) form.dataset.typed = 'yes';
});

document.addEventListener('click', event => {
  const fill = event.target.closest('[data-fill]');
  if (!fill) return;
  const input = document.getElementById(fill.dataset.fill);
  if (input.tomselect) {
    input.tomselect.addOption({ value: fill.dataset.fillValue, text: fill.dataset.fillText });
    input.tomselect.setValue(fill.dataset.fillValue);
  } else {
    input.value = fill.dataset.fillValue;
  }
  input.focus();
});

document.addEventListener('htmx:confirm', event => {
  const verb = event.detail.verb;
  if (verb !== 'get' || event.detail.target?.id !== 'sheet' || !isDirty(event.detail.target)) return;
  event.preventDefault();
  if (!event.detail.elt.matches('[data-discard]') && !window.confirm('Discard what you changed in this record?')) return;
  discardWithin(event.detail.target);
  event.detail.issueRequest(true);
});

addEventListener('beforeunload', event => {
  if (isDirty()) event.preventDefault();
});

document.addEventListener('htmx:beforeRequest', event => {
  if (event.detail.target?.id === 'sheet' && !document.querySelector('[data-sheet]')) openedFrom = document.activeElement?.closest('tr')?.dataset.key ?? event.detail.elt.dataset?.key;
});

document.addEventListener('htmx:afterSettle', once(markOpenRow));
document.addEventListener('htmx:afterSettle', event => {
  const sheet = document.querySelector('[data-sheet]');
  if (event.detail.target?.id !== 'sheet' && event.detail.elt?.id !== 'sheet') return;
  if (sheet) {
    const first = sheet.querySelector('[aria-invalid="true"], .alert') ?? (sheet.dataset.key ? null : sheet.querySelector('input:not([type="hidden"]), select, textarea'));
    (first ?? sheet).focus({ preventScroll: true });
    first?.scrollIntoView({ block: 'center' });
    if (document.activeElement === document.body) sheet.focus();
    if (sheet.querySelector('.alert, [aria-invalid="true"]')) sheet.querySelector('[data-form]').dataset.typed = 'yes';
  } else {
    document.querySelector(`tr[data-key="${CSS.escape(openedFrom ?? '')}"] a`)?.focus({ preventScroll: true });
    document.querySelector('tr.marked')?.scrollIntoView({ block: 'nearest' });
  }
});

// A record that is opened while something is still being saved stays open: that answer knows nothing of it.
let opened = 0;
let isOlder = false;

document.addEventListener('htmx:beforeSend', event => {
  const { xhr, target, requestConfig } = event.detail;
  if (requestConfig.verb === 'get' && target?.id === 'sheet') opened++;
  const before = opened;
  whenAnswered(xhr, () => { isOlder = before < opened; });
});

document.addEventListener('htmx:oobBeforeSwap', event => {
  if (isOlder && event.detail.target.id === 'sheet') event.detail.shouldSwap = false;
});

document.addEventListener('htmx:beforeHistoryUpdate', event => {
  if (isOlder) Object.assign(event.detail.history, { type: 'replace', path: location.pathname + location.search });
});

// What opens takes the focus, and gives it back.
let openedBy;

document.addEventListener('htmx:beforeRequest', event => {
  if (!document.querySelector('[data-opened]')) openedBy = event.detail.elt.closest('[data-panel]')?.id;
});

document.addEventListener('htmx:oobAfterSwap', event => {
  const now = document.getElementById(event.detail.target?.id);
  if (now?.matches('[data-opened]')) (now.querySelector('.page-grid :is(input:not([type="hidden"]), select, textarea)') ?? now).focus();
  else if (event.detail.target?.matches?.('[data-opened]') && openedBy) document.getElementById(openedBy)?.querySelector('button, a, input')?.focus();
});

// Save comes along with each check of a form. As long as it says the same it stays as it is: a button that is replaced while it is pressed is not pressed.
document.addEventListener('htmx:oobBeforeSwap', event => {
  const { target, fragment } = event.detail;
  if (target.matches('.save') && fragment.firstElementChild?.isEqualNode(target)) event.detail.shouldSwap = false;
});

// A form that has gone wants no answer to its check. What waits in its queue behind that goes with it: it is not to be sent now.
const checks = new WeakMap();

document.addEventListener('htmx:beforeSend', event => {
  if (event.target.matches('[data-check]')) checks.set(event.target.closest('form'), event.detail.xhr);
});

document.addEventListener('htmx:beforeCleanupElement', event => {
  const xhr = checks.get(event.target);
  if (!xhr || xhr.readyState === XMLHttpRequest.DONE) return;
  xhr.onabort = null;
  xhr.abort();
});

// What is said at a field while it is typed is said to those who cannot see it as well.
document.addEventListener('htmx:oobAfterSwap', event => {
  const said = event.detail.target;
  if (!said?.matches?.('.said')) return;
  const input = document.getElementById(said.id.replace(/-problem$/, ''));
  const wrong = document.getElementById(said.id)?.querySelector('.problem') != null;
  if (!input) return;
  input.classList.toggle('is-invalid', wrong);
  if (wrong) input.setAttribute('aria-invalid', 'true');
  else input.removeAttribute('aria-invalid');
});
