// [data-schedule], [data-timeline]: an event is drawn to another day or hour, and longer or shorter at its end. The server decides.
import { keepFocus, swallowClick } from './drawing.js';
import { open } from './list.js';
import { say, text } from './messages.js';
import { move } from './moving.js';
import { whenLoaded } from './loaded.js';

const least = 6;
const day = 86_400_000;
let drag;

const dayAt = (x, y) => document.elementsFromPoint(x, y).find(element => element.matches('[data-day]'));
const daysBetween = (from, to) => Math.round((Date.parse(to) - Date.parse(from)) / day);

function save(item, { days = 0, minutes = 0 }, onlyEnd) {
  const form = item.closest('[data-panel]').querySelector('[data-move-form]');
  const { start, end } = form.dataset;
  if (days === 0 && minutes === 0) return;
  const moves = [];
  if (!onlyEnd) moves.push({ field: start, from: item.dataset.from || null, days, minutes });
  if (end && item.dataset.until) moves.push({ field: end, from: item.dataset.until, days, minutes });
  if (moves.length > 0) move(form, item.dataset.key, moves);
}

document.addEventListener('pointerdown', event => {
  const item = event.target.closest?.('[data-event], [data-bar]');
  if (!item || event.button !== 0) return;
  drag = { item, x: event.clientX, y: event.clientY, edge: event.target.closest('[data-edge]') !== null, from: dayAt(event.clientX, event.clientY)?.dataset.day };
});

document.addEventListener('pointermove', event => {
  if (!drag) return;
  const [x, y] = [event.clientX - drag.x, event.clientY - drag.y];
  if (!drag.moved && Math.hypot(x, y) < least) return;
  if (!drag.moved && drag.item.dataset.stays) {
    say([text(drag.item.dataset.stays)]);
    drag = undefined;
    swallowClick();
    return;
  }
  drag.moved = true;
  drag.item.classList.add('dragging');
  getSelection().removeAllRanges();
  if (drag.item.matches('[data-bar]')) {
    if (!drag.edge) drag.item.setAttribute('transform', `translate(${x} 0)`);
    return;
  }
  for (const over of document.querySelectorAll('[data-day].over')) over.classList.remove('over');
  dayAt(event.clientX, event.clientY)?.classList.add('over');
});

document.addEventListener('pointerup', event => {
  const { item, moved, edge, from, x, y } = drag ?? {};
  drag = undefined;
  if (!moved) return;
  swallowClick();
  item.classList.remove('dragging');
  item.removeAttribute('transform');
  for (const over of document.querySelectorAll('[data-day].over')) over.classList.remove('over');
  if (item.matches('[data-bar]')) return save(item, alongLine(item, event.clientX - x), edge);
  const to = dayAt(event.clientX, event.clientY);
  if (!to || to.closest('[data-panel]') !== item.closest('[data-panel]') || !from) return;
  const hour = Number(item.closest('[data-hour]')?.dataset.hour);
  const minutes = hour && item.matches('.at-hours') && to.matches('[data-hours]') ? Math.round(((event.clientY - y) / hour) * 4) * 15 : 0;
  save(item, { days: edge && minutes !== 0 ? 0 : daysBetween(from, to.dataset.day), minutes }, edge);
});

addEventListener('pointercancel', () => {
  drag?.item.classList.remove('dragging');
  drag?.item.removeAttribute('transform');
  drag = undefined;
});

// By days; by quarters of an hour where a day or a week is seen and the field says hours.
function alongLine(bar, x) {
  const total = Number(bar.closest('[data-timeline]').dataset.timeline);
  const days = (x / bar.closest('.chart-plot').clientWidth) * total;
  if (bar.dataset.byDays || total > 8) return { days: Math.round(days) };
  const quarters = Math.round(days * 96);
  return { days: Math.trunc(quarters / 96), minutes: (quarters % 96) * 15 };
}

// By keyboard: Alt with an arrow moves it by a day, or a week; with Shift as well it ends earlier or later.
document.addEventListener('keydown', event => {
  const item = event.altKey ? event.target.closest?.('[data-event], [data-bar]') : undefined;
  const steps = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 }[event.key];
  if (!item || !steps) return;
  event.preventDefault();
  if (item.dataset.stays) return say([text(item.dataset.stays)]);
  keepFocus(item, ' a');
  const inHours = item.matches('.at-hours') && Math.abs(steps) === 7;
  save(item, inHours ? { minutes: Math.sign(steps) * 15 } : { days: steps }, event.shiftKey);
}, true);

// A record of a calendar or a timeline opens as one of a list does.
document.addEventListener('click', event => {
  const link = event.target.closest?.('[data-event] a[data-open], [data-bar] a[data-open]');
  if (!link || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey) return;
  event.preventDefault();
  if (link.getAttribute('href')) open(link);
});

// A day begins with its first event, or at eight.
function scrollToMorning(root) {
  for (const hours of root.querySelectorAll('[data-first-hour]:not([data-scrolled])')) {
    hours.dataset.scrolled = '';
    const scroll = hours.querySelector('.calendar-scroll');
    if (scroll) scroll.scrollTop = Number(hours.dataset.firstHour) * Number(hours.dataset.hour);
  }
}

whenLoaded(scrollToMorning);
scrollToMorning(document);
