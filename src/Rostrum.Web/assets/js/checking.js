// [data-check]: rows that are checked. Which ones stands in the page's address; what looks at them is read anew.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { once } from './loaded.js';
import { say } from './messages.js';

const most = 1000;
let last;

function keysOf(list) {
  return new URLSearchParams(location.search).getAll(`${list.dataset.panel}.checked`);
}

function put(list, keys) {
  const name = `${list.dataset.panel}.checked`;
  const query = new URLSearchParams(location.search);
  query.delete(name);
  for (const key of keys) query.append(name, key);
  const text = query.toString();
  const href = location.pathname + (text ? `?${text}` : '');
  const done = () => history.replaceState({ htmx: true }, '', href);
  if (list.dataset.watched === 'true') htmx.ajax('GET', href, { source: list.querySelector('[data-checked-bar]'), target: '#messages', swap: 'none' }).then(done);
  else done();
  show(list, keys);
}

function show(list, keys) {
  const bar = list.querySelector('[data-checked-bar]');
  if (!bar) return;
  const boxes = [...list.querySelectorAll('[data-check]')];
  for (const box of boxes) box.checked = keys.includes(box.value);
  bar.hidden = keys.length === 0;
  bar.querySelector('[data-checked-count]').textContent = keys.length;
  const all = list.querySelector('[data-check-all]');
  if (all) {
    const count = boxes.filter(box => box.checked).length;
    all.checked = count > 0 && count === boxes.length;
    all.indeterminate = count > 0 && count < boxes.length;
  }
}

function change(list, keys, on) {
  const now = new Set(keysOf(list));
  for (const key of keys) on ? now.add(key) : now.delete(key);
  if (now.size > most) say([`No more than ${most} can be checked at once. “All that match” changes more.`]);
  put(list, [...now].slice(0, most));
}

document.addEventListener('click', event => {
  const box = event.target.closest?.('[data-check]');
  const all = event.target.closest?.('[data-check-all]');
  const list = (box ?? all)?.closest('[data-list]');
  if (!list) return;
  if (all) return change(list, [...list.querySelectorAll('[data-check]')].map(known => known.value), all.checked);
  const boxes = [...list.querySelectorAll('[data-check]')];
  const [from, to] = [boxes.indexOf(last), boxes.indexOf(box)].sort((one, other) => one - other);
  change(list, event.shiftKey && from >= 0 ? boxes.slice(from, to + 1).map(known => known.value) : [box.value], box.checked);
  last = box;
});

// Space checks the row that has the focus.
document.addEventListener('keydown', event => {
  const box = event.key === ' ' && event.target.matches?.('[data-list] a[data-open]') && event.target.closest('tr').querySelector('[data-check]');
  if (!box) return;
  event.preventDefault();
  box.click();
});

function showAll() {
  for (const list of document.querySelectorAll('[data-list]')) show(list, keysOf(list));
}

document.addEventListener('htmx:afterSettle', once(showAll));
addEventListener('popstate', showAll);
showAll();

// A value that is given is meant.
document.addEventListener('input', event => {
  const field = event.target.closest('.bulk-field');
  const tick = field?.querySelector('[data-bulk-set]');
  if (tick && event.target !== tick) tick.checked = true;
});
