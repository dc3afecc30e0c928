// [data-grid]: cells of a table into which one types. What is typed goes to the server at once, which keeps it until it is saved, and
// draws the rows that it changes; here are only the keys, the editors and the clipboard.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { say, text } from './messages.js';
import { whenLoaded } from './loaded.js';

let active;
let anchor;
let editing;
let waiting = Promise.resolve();

const gridOf = element => element.closest('[data-grid="yes"]');
const cellsOf = row => [...row.querySelectorAll('[data-cell]')];
const rowsOf = grid => [...grid.querySelectorAll('tbody tr[data-key]')];
const editorOf = cell => JSON.parse(gridOf(cell).querySelector(`th[data-field="${CSS.escape(cell.dataset.cell)}"]`).dataset.editor);
// A blank and an empty text differ: a value stands behind an equals sign.
const exactly = written => written ? written.slice(1) : null;
const originalOf = cell => exactly(cell.dataset.original);

function place(cell) {
  const rows = rowsOf(gridOf(cell));
  return { rows, row: rows.indexOf(cell.closest('tr')), field: cell.dataset.cell };
}

const within = (row, field) => row?.querySelector(`[data-cell="${CSS.escape(field)}"]`);

function at(grid, row, field) {
  return within(rowsOf(grid)[row], field);
}

function activate(cell, extend = false) {
  if (!cell) return;
  if (active?.isConnected) active.tabIndex = -1;
  if (!extend) anchor = { key: cell.closest('tr').dataset.key, field: cell.dataset.cell };
  active = cell;
  cell.tabIndex = 0;
  cell.focus({ preventScroll: true });
  cell.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  markBlock(extend);
}

/** The cells between the anchor and the active one, row by row. */
function block() {
  if (!active) return [];
  const { rows, row, field } = place(active);
  const first = rows.findIndex(known => known.dataset.key === anchor?.key);
  const fields = cellsOf(active.closest('tr')).map(cell => cell.dataset.cell);
  const [top, bottom] = [Math.min(row, first < 0 ? row : first), Math.max(row, first < 0 ? row : first)];
  const from = fields.indexOf(anchor?.field ?? field);
  const [left, right] = [Math.min(fields.indexOf(field), from < 0 ? Infinity : from), Math.max(fields.indexOf(field), from)];
  return rows.slice(top, bottom + 1).map(one => fields.slice(left, right + 1).map(name => within(one, name)).filter(Boolean));
}

function markBlock(extended) {
  for (const cell of [...document.getElementsByClassName('in-block')]) cell.classList.remove('in-block');
  if (!extended) return;
  const cells = block().flat();
  if (cells.length > 1) for (const cell of cells) cell.classList.add('in-block');
}

function move(cell, down, across, extend = false) {
  const grid = gridOf(cell);
  const cells = cellsOf(cell.closest('tr'));
  const wanted = cells.indexOf(cell) + across;
  if (across && !cells[wanted]) {
    const next = rowsOf(grid)[place(cell).row + Math.sign(across)];
    return extend || !next ? undefined : activate(cellsOf(next).at(across > 0 ? 0 : -1));
  }
  const field = cells[Math.max(0, wanted)].dataset.cell;
  const { rows, row } = place(cell);
  return activate(within(rows[Math.min(rows.length - 1, Math.max(0, row + down))], field), extend);
}

/** Tells the server what was done, one after the other, and takes the rows that it draws. */
function send(grid, does, values = {}) {
  const id = grid.id;
  waiting = waiting.then(async () => {
    const here = document.getElementById(id);
    const bar = here.querySelector('[data-grid-bar]');
    const body = new URLSearchParams({ does, __RequestVerificationToken: here.querySelector('[name="__RequestVerificationToken"]').value });
    for (const [name, value] of Object.entries(values)) for (const one of [value].flat()) body.append(name, one);
    try {
      const answer = await fetch(bar.dataset.address, { method: 'POST', body, headers: { 'HX-Request': 'true', Accept: 'text/html' } });
      if (!answer.ok) throw new Error(String(answer.status));
      take(here, await answer.text());
    } catch {
      say([text('Not kept: the server did not answer. The cell still shows what you typed; type it again, or reload the page.')], 'failure');
    }
  });
  return waiting;
}

function take(grid, html) {
  const drawn = new DOMParser().parseFromString(html, 'text/html');
  const body = grid.querySelector('tbody');
  // An editor that is open meanwhile stays: its row is drawn once it closes.
  for (const row of drawn.querySelectorAll('tbody tr')) {
    const known = body?.querySelector(`tr[data-key="${CSS.escape(row.dataset.key)}"]`);
    if ('gone' in row.dataset) known?.remove();
    else if (known && editing && known.contains(editing.cell)) editing.row = row;
    else if (known) replace(known, row);
    else if ('new' in row.dataset && body) insert(body, row);
    else if ('new' in row.dataset) return location.reload();
  }
  const bar = drawn.querySelector('[data-grid-bar]');
  if (bar) grid.querySelector('[data-grid-bar]').replaceWith(document.importNode(bar, true));
  markBlock(true);
  return undefined;
}

function replace(known, row) {
  const focused = known.contains(active) ? active.dataset.cell : undefined;
  const hadFocus = known.contains(document.activeElement);
  const drawn = document.importNode(row, true);
  known.replaceWith(drawn);
  htmx.process(drawn);
  if (!focused) return;
  active = drawn.querySelector(`[data-cell="${CSS.escape(focused)}"]`) ?? undefined;
  if (active && hadFocus) activate(active, true);
}

function insert(body, row) {
  const drawn = document.importNode(row, true);
  const before = [...body.querySelectorAll('tr[data-new]')].at(-1);
  if (before) before.after(drawn);
  else body.prepend(drawn);
  htmx.process(drawn);
  activate(cellsOf(drawn)[0]);
}

const sent = (cell, value, shown) => ({ row: cell.closest('tr').dataset.key, field: cell.dataset.cell, text: value, original: originalOf(cell), shown });

function type(grid, cells) {
  if (cells.length === 0) return undefined;
  return send(grid, 'type', { cells: JSON.stringify(cells) });
}

// Editors

function edit(cell, begins) {
  if (editing || !cell) return;
  const { kind, lookup, options, blank } = editorOf(cell);
  const holder = document.createElement('div');
  holder.className = 'cell-editor';
  const input = document.createElement(kind === 'long' ? 'textarea' : kind === 'choice' || kind === 'relation' ? 'select' : 'input');
  input.className = kind === 'choice' || kind === 'relation' ? 'form-select' : 'form-control';
  input.setAttribute('aria-label', cell.dataset.label ?? cell.dataset.cell);
  if (kind === 'number') input.inputMode = 'decimal';
  if (kind === 'choice') input.append(...(blank ? [new Option('', '')] : []), ...options.map(([value, label]) => new Option(label, value)));
  if (kind === 'relation') {
    input.dataset.lookup = lookup;
    input.append(new Option('', ''));
    if (cell.dataset.text) input.append(new Option(shownOf(cell), cell.dataset.text, true, true));
  }
  if (kind === 'day' || kind === 'moment') input.dataset.picks = kind;
  const before = [...cell.childNodes];
  editing = { cell, input, before, begun: cell.dataset.text ?? '' };
  holder.append(input);
  holder.classList.toggle('with-calendar', Boolean(input.dataset.picks));
  if (input.dataset.picks) holder.append(document.getElementById('calendar-button').content.firstElementChild.cloneNode(true));
  cell.replaceChildren(holder);
  input.value = begins ?? cell.dataset.text ?? '';
  if (kind === 'choice' && begins) input.value = options.find(([, label]) => label.toLowerCase().startsWith(begins.toLowerCase()))?.[0] ?? cell.dataset.text ?? '';
  if (kind === 'relation') {
    input.dispatchEvent(new CustomEvent('htmx:load', { bubbles: true, detail: { elt: holder } }));
    setTimeout(() => {
      input.tomselect?.focus();
      if (begins) input.tomselect?.setTextboxValue(begins);
      if (begins) input.tomselect?.onInput?.(new Event('input'));
      input.tomselect?.on('item_add', () => setTimeout(() => close(true, 0, 1)));
    });
  } else {
    input.focus();
    if (begins === undefined) input.select?.();
  }
}

function shownOf(cell) {
  return (cell.querySelector('ins') ?? cell.querySelector('a') ?? cell).textContent.trim();
}

function close(keep, down = 0, across = 0) {
  if (!editing) return;
  const { cell, input, before, begun, row } = editing;
  const value = input.value;
  const shown = input.tomselect ? input.tomselect.options[value]?.text ?? '' : '';
  editing = undefined;
  input.tomselect?.destroy();
  const grid = gridOf(cell);
  cell.replaceChildren(...before);
  if (row) replace(cell.closest('tr'), row);
  const here = cell.isConnected ? cell : active;
  if (keep && value !== begun) {
    // What was typed is seen at once; how it is read comes with the server's answer.
    here.dataset.text = value;
    here.textContent = shown || input.selectedOptions?.[0]?.text || value;
    type(grid, [sent(here, value, shown)]);
  }
  if (down || across) move(here, down, across);
  else activate(here);
}

// The clipboard, as spreadsheets have it: cells by tabs, rows by lines, with quotes around what has either in it.

const quoted = value => /[\t\n"]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value;

function unquoted(pasted) {
  const rows = [[]];
  for (const [, quote, plain, end] of pasted.replaceAll('\r\n', '\n').matchAll(/(?:"((?:[^"]|"")*)"|([^\t\n]*))(\t|\n|$)/gy)) {
    rows.at(-1).push(quote === undefined ? plain : quote.replaceAll('""', '"'));
    if (end === '\n') rows.push([]);
    if (end === '') break;
  }
  if (rows.at(-1).length === 1 && rows.at(-1)[0] === '' && rows.length > 1) rows.pop();
  return rows;
}

document.addEventListener('copy', event => {
  if (!active || editing || document.activeElement !== active) return;
  event.clipboardData.setData('text/plain', block().map(row => row.map(cell => quoted(shownText(cell))).join('\t')).join('\n'));
  event.preventDefault();
});

const shownText = cell => editorOf(cell).kind === 'choice' || editorOf(cell).kind === 'relation' ? shownOf(cell) : cell.dataset.text ?? '';

document.addEventListener('paste', event => {
  if (!active || editing || document.activeElement !== active) return;
  event.preventDefault();
  const grid = gridOf(active);
  const pasted = unquoted(event.clipboardData.getData('text/plain'));
  const { rows, row, field } = place(active);
  const fields = cellsOf(active.closest('tr')).map(cell => cell.dataset.cell);
  const first = fields.indexOf(field);
  const mayAdd = grid.querySelector('[data-grid-does="add"]') !== null;
  const target = block();
  // One value fills all that is chosen.
  if (pasted.length === 1 && pasted[0].length === 1 && target.flat().length > 1) {
    type(grid, target.flat().map(cell => sent(cell, valueOf(cell, pasted[0][0]))));
    return;
  }
  const cells = pasted.flatMap((line, down) => line.map((value, across) => {
    const name = fields[first + across];
    const cell = name && at(grid, row + down, name);
    if (cell) return sent(cell, valueOf(cell, value));
    return name && mayAdd && row + down >= rows.length ? { row: `+${down}`, field: name, text: valueOf(grid.querySelector(`[data-cell="${CSS.escape(name)}"]`), value), original: null } : undefined;
  })).filter(Boolean);
  type(grid, cells);
  if (cells.length < pasted.flat().length) say([text(`${pasted.flat().length - cells.length} pasted values have no cell to go to, and were left out.`)]);
});

// A choice is pasted by what people read of it.
function valueOf(cell, value) {
  const { kind, options } = editorOf(cell);
  return kind === 'choice' ? options.find(([key, label]) => key === value || label.toLowerCase() === value.trim().toLowerCase())?.[0] ?? value : value;
}

// Keys and clicks

document.addEventListener('mousedown', event => {
  const cell = event.target.closest?.('[data-grid="yes"] [data-cell]');
  // The calendar of a cell lies outside of it.
  if (editing && !editing.cell.contains(event.target) && !event.target.closest('.air-datepicker')) close(true);
  if (!cell || event.button !== 0 || event.target.closest('a, button, .cell-editor')) return;
  event.preventDefault();
  activate(cell, event.shiftKey && active && gridOf(active) === gridOf(cell));
});

document.addEventListener('click', event => {
  const cell = event.target.closest?.('[data-grid="yes"] [data-cell]');
  if (cell && !event.target.closest('a, button, .cell-editor')) event.stopPropagation();
}, true);

document.addEventListener('dblclick', event => {
  const cell = event.target.closest?.('[data-grid="yes"] [data-cell]');
  if (cell && !event.target.closest('a, button, .cell-editor')) edit(cell);
});

document.addEventListener('click', event => {
  const button = event.target.closest?.('[data-grid-does], [data-grid-row], [data-grid-cell]');
  const grid = button && gridOf(button);
  if (!grid) return;
  const { gridDoes: does, gridRow: marks, gridCell: settles } = button.dataset;
  if (does === 'save' || does === 'discard') finish(grid, does);
  else if (does) send(grid, does);
  else if (marks) send(grid, marks, { row: button.closest('tr').dataset.key });
  else {
    const cell = button.closest('[data-cell]');
    send(grid, settles, { cells: JSON.stringify([{ ...sent(cell, cell.dataset.text), original: exactly(cell.dataset.now) }]) });
  }
});

function finish(grid, does) {
  close(true);
  const id = grid.id;
  // What was typed last is kept first.
  waiting.then(() => {
    const here = document.getElementById(id);
    const bar = here.querySelector('[data-grid-bar]');
    htmx.ajax('POST', bar.dataset.address, { source: bar, target: here, swap: 'outerHTML', values: { does, __RequestVerificationToken: here.querySelector('[name="__RequestVerificationToken"]').value } });
  });
}

document.addEventListener('keydown', event => {
  const grid = event.target.closest?.('[data-grid="yes"]');
  if (!grid) return;
  const command = event.ctrlKey || event.metaKey;
  const act = what => {
    event.preventDefault();
    event.stopPropagation();
    what();
  };
  if (command && event.key.toLowerCase() === 's') return act(() => finish(grid, 'save'));
  if (editing) {
    const isLong = editing.input.tagName === 'TEXTAREA';
    const isPicking = editing.input.tomselect?.isOpen || (editing.input.dataset.picks && document.querySelector('.air-datepicker.-active-'));
    if (isPicking && editing.input.dataset.picks) return undefined;
    if (event.key === 'Escape') return act(() => close(false));
    if (event.key === 'Tab') return act(() => close(true, 0, event.shiftKey ? -1 : 1));
    if (event.key === 'Enter' && !isPicking && !(isLong && event.shiftKey)) return act(() => close(true, 1, 0));
    return undefined;
  }
  const cell = event.target.closest('[data-cell]');
  if (!cell || cell !== event.target) return undefined;
  const page = Math.max(1, Math.floor(innerHeight / 40) - 4);
  const cells = cellsOf(cell.closest('tr'));
  if (command && event.key.toLowerCase() === 'z') return act(() => send(grid, event.shiftKey ? 'redo' : 'undo'));
  if (command && event.key.toLowerCase() === 'd') return act(() => fillDown(grid));
  if (command && event.key === 'Delete') return act(() => send(grid, 'delete', { row: [...new Set(block().flat().map(one => one.closest('tr').dataset.key))] }));
  if (command || event.altKey) return undefined;
  const steps = { ArrowDown: [1, 0], ArrowUp: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1], PageDown: [page, 0], PageUp: [-page, 0] };
  if (steps[event.key]) return act(() => move(cell, ...steps[event.key], event.shiftKey));
  if (event.key === 'Home') return act(() => activate(cells[0], event.shiftKey));
  if (event.key === 'End') return act(() => activate(cells.at(-1), event.shiftKey));
  if (event.key === 'Tab') {
    const last = event.shiftKey ? cell === cellsOf(rowsOf(grid)[0])[0] : cell === cellsOf(rowsOf(grid).at(-1)).at(-1);
    return last ? undefined : act(() => move(cell, 0, event.shiftKey ? -1 : 1));
  }
  if (event.key === 'Enter' || event.key === 'F2') return act(() => edit(cell));
  if (event.key === 'Delete' || event.key === 'Backspace') return act(() => type(grid, block().flat().map(one => sent(one, ''))));
  if (event.key.length === 1) return act(() => edit(cell, event.key === ' ' ? undefined : event.key));
  return undefined;
}, true);

function fillDown(grid) {
  const rows = block();
  const [first] = rows;
  type(grid, rows.slice(1).flatMap(row => row.map((cell, across) => sent(cell, first[across].dataset.text ?? '', editorOf(cell).kind === 'relation' ? shownOf(first[across]) : undefined))));
}

// The first cell can be reached by Tab.
function reach(root) {
  for (const grid of root.querySelectorAll('[data-grid="yes"]')) {
    if (!grid.querySelector('[data-cell][tabindex="0"]')) grid.querySelector('[data-cell]')?.setAttribute('tabindex', '0');
  }
}

whenLoaded(reach);
reach(document);
