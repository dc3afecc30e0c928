// What is moved about: a card to another column, an event to another day, a bar along its line. The server decides; what it refuses goes back.
import Sortable from 'sortablejs/modular/sortable.core.esm.js';
import { keepFocus } from './drawing.js';
import { say, text } from './messages.js';
import { whenLoaded } from './loaded.js';

/** Saves where a record was moved to. */
export function move(form, record, moves) {
  form.elements.record.value = record;
  form.elements.moves.value = JSON.stringify(moves);
  form.requestSubmit();
}

// Razor writes data- attributes also where they have no value.
const staying = '[data-stays]:not([data-stays=""])';
const formOf = element => element.closest('[data-panel]').querySelector('[data-move-form]');
const valueOf = column => (column.dataset.blank ? null : column.dataset.column);
const laneOf = column => (column.closest('.board').dataset.hasLane ? column.closest('.board').dataset.lane || null : undefined);

// What changes when a card of one column stands at a place in another.
function moveCard(card, from, to, before, after) {
  const form = formOf(to);
  const { by, lanes, order } = form.dataset;
  const moves = [];
  if (valueOf(from) !== valueOf(to)) moves.push({ field: by, from: valueOf(from), to: valueOf(to) });
  if (lanes && laneOf(from) !== laneOf(to)) moves.push({ field: lanes, from: laneOf(from) ?? null, to: laneOf(to) ?? null });
  if (order && (before || after)) moves.push({ field: order, from: card.dataset.order || null, between: [before?.dataset.order || null, after?.dataset.order || null] });
  if (moves.length === 0) return false;
  move(form, card.dataset.key, moves);
  return true;
}

const cardAt = element => (element?.matches?.('.board-card') ? element : undefined);

function attach(root) {
  for (const list of root.querySelectorAll('[data-cards]:not([data-sortable])')) {
    list.dataset.sortable = '';
    let origin;
    Sortable.create(list, {
      group: list.closest('[data-panel]').id,
      draggable: '.board-card',
      filter: staying,
      preventOnFilter: false,
      animation: 0,
      delay: 150,
      delayOnTouchOnly: true,
      forceFallback: true,
      fallbackTolerance: 5,
      scroll: true,
      onStart({ item }) {
        origin = item.closest('.board-column');
      },
      onEnd({ item, from, oldDraggableIndex }) {
        const to = item.closest('.board-column');
        const moved = moveCard(item, origin, to, cardAt(item.previousElementSibling), cardAt(item.nextElementSibling));
        if (!moved) from.insertBefore(item, [...from.querySelectorAll(':scope > .board-card')].filter(card => card !== item)[oldDraggableIndex] ?? null);
      },
    });
  }
  for (const board of root.querySelectorAll('[data-board]')) {
    const cards = [...board.querySelectorAll('.board-card')];
    if (!cards.some(card => card.tabIndex === 0)) cards[0]?.setAttribute('tabindex', '0');
  }
}

whenLoaded(attach);
attach(document);

// A card that stays says why, once somebody tries to lift it.
let pressed;
document.addEventListener('pointerdown', event => {
  const card = event.target.closest?.(`.board-card${staying}`);
  pressed = card ? { card, x: event.clientX, y: event.clientY } : undefined;
});
document.addEventListener('pointerup', event => {
  if (pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) > 12) say([text(pressed.card.dataset.stays)]);
  pressed = undefined;
});

const columnsOf = card => [...card.closest('.board').querySelectorAll('.board-column:not(.folded)')];

// By keyboard: the arrows go from card to card, with Alt they take it along.
document.addEventListener('keydown', event => {
  const card = event.target.closest?.('.board-card');
  const steps = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  if (!card || event.target.closest('input, select, textarea') || (!steps && event.key !== 'Enter')) return;
  if (event.key === 'Enter') {
    if (event.target === card) card.querySelector('a[data-open]')?.click();
    return;
  }
  event.preventDefault();
  const [across, down] = steps;
  const columns = columnsOf(card);
  const column = card.closest('.board-column');
  const to = columns[columns.indexOf(column) + across];
  const cards = [...column.querySelectorAll('.board-card')];
  const at = cards.indexOf(card);
  if (!event.altKey) {
    const next = across !== 0 ? to?.querySelectorAll('.board-card')[Math.min(at, (to?.querySelectorAll('.board-card').length ?? 1) - 1)] : cards[at + down];
    if (!next) return;
    card.tabIndex = -1;
    next.tabIndex = 0;
    next.focus();
    return;
  }
  if (card.dataset.stays) return say([text(card.dataset.stays)]);
  if (across !== 0 && to) {
    keepFocus(card);
    moveCard(card, column, to);
  } else if (down !== 0 && formOf(card).dataset.order && cards[at + down]) {
    keepFocus(card);
    if (down > 0) moveCard(card, column, column, cards[at + 1], cards[at + 2]);
    else moveCard(card, column, column, cards[at - 2], cards[at - 1]);
  }
});

// The button of a card offers the columns: for whoever does not drag.
let menu;
const shut = () => {
  menu?.remove();
  menu = undefined;
};
document.addEventListener('click', event => {
  const button = event.target.closest?.('.board-card [data-move]');
  const chosen = event.target.closest?.('.move-menu [data-at]');
  const card = chosen ? menu.card() : undefined;
  shut();
  if (chosen) return card && moveCard(card, card.closest('.board-column'), columnsOf(card)[Number(chosen.dataset.at)]);
  if (!button) return;
  const of = button.closest('.board-card');
  menu = document.createElement('div');
  menu.className = 'dropdown-menu show move-menu';
  menu.setAttribute('role', 'menu');
  // By then the board may have been drawn anew.
  const [panel, key] = [of.closest('[data-panel]').id, of.dataset.key];
  menu.card = () => document.getElementById(panel)?.querySelector(`[data-key="${CSS.escape(key)}"]`);
  columnsOf(of).forEach((column, at) => {
    if (column === of.closest('.board-column')) return;
    const item = Object.assign(document.createElement('button'), { type: 'button', className: 'dropdown-item', textContent: column.dataset.label });
    item.setAttribute('role', 'menuitem');
    item.dataset.at = at;
    menu.append(item);
  });
  document.body.append(menu);
  const box = button.getBoundingClientRect();
  const { width, height } = menu.getBoundingClientRect();
  Object.assign(menu.style, { left: `${Math.max(4, box.right - width)}px`, top: `${Math.min(box.bottom, innerHeight - height - 4)}px` });
  menu.querySelector('button')?.focus();
});
document.addEventListener('keydown', event => {
  if (!menu) return;
  if (event.key === 'Escape') {
    const button = menu.card()?.querySelector('[data-move]');
    shut();
    button?.focus();
    event.stopPropagation();
    return;
  }
  const items = [...menu.querySelectorAll('button')];
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (!step) return;
  event.preventDefault();
  items[(items.indexOf(document.activeElement) + step + items.length) % items.length]?.focus();
}, true);
