// [data-place="build"]: the page within Build. A click selects a panel; a handle moves it, its edge widens it. Nothing is saved from here.
import htmx from 'htmx.org/dist/htmx.esm.js';

const canvas = document.querySelector('[data-place="build"]') !== null && parent !== window;
const tell = message => parent.postMessage({ canvas: message }, location.origin);
const nameOf = element => element?.closest('[data-panel]')?.dataset.panel;
let chosen = '';
let awaited;
let frame;
let drop;
let gaps = [];
const leastTop = 12;
let asked = 0;

function panelOf(name) {
  return name ? document.getElementById(`panel-${name}`) : null;
}

// The marks stand over the page, so that they change nothing of it.
function draw() {
  drawGaps();
  frame ??= make('div', 'canvas-frame');
  const panel = panelOf(chosen);
  frame.hidden = !panel || panel.hidden;
  if (frame.hidden) return;
  const box = panel.getBoundingClientRect();
  place(frame, box.left + scrollX, box.top + scrollY, box.width, box.height);
  frame.querySelector('.canvas-name').textContent = chosen;
}

function make(kind, name) {
  const element = document.createElement(kind);
  element.className = name;
  if (name === 'canvas-frame') {
    element.innerHTML = '<span class="canvas-handle" data-drag><i class="bi bi-grip-vertical" aria-hidden="true"></i> <span class="canvas-name"></span></span><span class="canvas-edge" data-edge></span>';
  }
  document.body.append(element);
  return element;
}

function place(element, left, top, width, height) {
  Object.assign(element.style, { left: `${left}px`, top: `${top}px`, width: `${width}px`, height: `${height}px` });
}

// A "+" in each gap where a panel would go: before each panel, and after the last.
function drawGaps() {
  for (const gap of gaps) gap.remove();
  const panels = [...document.querySelectorAll('.page-grid > [data-panel]')].filter(panel => panel.offsetParent !== null);
  gaps = panels.map(panel => {
    const { left, top, width } = panel.getBoundingClientRect();
    const before = panel.previousElementSibling?.getBoundingClientRect();
    return before && before.height > 0 && Math.abs(before.top - top) < 8
      ? gapAt(left, top + 44, panel.dataset.panel, `Add a panel before ${panel.dataset.panel}`)
      : gapAt(left + width * 0.62, top, panel.dataset.panel, `Add a panel before ${panel.dataset.panel}`);
  });
  const all = document.querySelector('#main .page-grid')?.getBoundingClientRect();
  if (all && panels.length > 0) gaps.push(gapAt(all.left + all.width * 0.62, all.bottom, '', 'Add a panel at the end of the page'));
}

function gapAt(middle, top, before, label) {
  const gap = make('button', 'canvas-plus');
  Object.assign(gap, { type: 'button', tabIndex: -1, title: label, innerHTML: '<i class="bi bi-plus" aria-hidden="true"></i>' });
  gap.setAttribute('aria-label', label);
  gap.dataset.plus = before;
  Object.assign(gap.style, { left: `${middle + scrollX}px`, top: `${Math.max(top + scrollY, leastTop)}px` });
  return gap;
}

const show = name => panelOf(name)?.scrollIntoView({ block: 'nearest' });

function choose(name) {
  chosen = name;
  draw();
}

async function refresh(open) {
  const url = new URL(location.href);
  if (open !== undefined) {
    url.searchParams.delete('open');
    if (open) url.searchParams.append('open', open);
    history.replaceState(null, '', url);
  }
  const turn = ++asked;
  const answer = await fetch(url);
  const text = await answer.text();
  if (turn !== asked) return;
  if (!answer.ok) return location.reload();
  const fresh = new DOMParser().parseFromString(text, 'text/html').getElementById('main');
  if (!fresh) return location.reload();
  const at = scrollY;
  document.getElementById('main').replaceWith(fresh);
  htmx.process(fresh);
  htmx.trigger(fresh, 'htmx:load', { elt: fresh });
  scrollTo(0, at);
  // A panel that was just added is there now.
  if (awaited) show(awaited);
  awaited = undefined;
  draw();
}

// Where a dragged panel would go: before the panel under the pointer, after it, or at the end of a container.
function target(event, name) {
  const over = document.elementFromPoint(event.clientX, event.clientY)?.closest('[data-panel]');
  const own = panelOf(name);
  if (!over || own.contains(over)) return null;
  const box = over.getBoundingClientRect();
  const grid = over.querySelector(':scope > .page-grid, :scope > .opened-body > .page-grid');
  if (grid && grid.children.length === 0) return { parent: over.dataset.panel, before: '', box };
  const before = event.clientY < box.top + box.height / 2;
  const into = over.parentElement.closest('[data-panel]')?.dataset.panel ?? '';
  let next = before ? over : over.nextElementSibling;
  if (next === own) next = own.nextElementSibling;
  return { parent: into, before: next?.id.replace(/^panel-/, '') ?? '', box, edge: before ? 'top' : 'bottom' };
}

function drag(event) {
  const name = chosen;
  let to = null;
  drop ??= make('div', 'canvas-drop');
  follow(move => {
    to = target(move, name);
    drop.hidden = to === null;
    if (to) place(drop, to.box.left + scrollX, (to.edge === 'bottom' ? to.box.bottom : to.box.top) + scrollY - 2, to.box.width, 4);
  }, done => {
    drop.hidden = true;
    if (done && to) tell({ move: name, parent: to.parent, before: to.before });
  });
  event.preventDefault();
}

function widen(event) {
  const panel = panelOf(chosen);
  const column = panel.parentElement.getBoundingClientRect().width / 12;
  const left = panel.getBoundingClientRect().left;
  let width = 0;
  follow(move => {
    width = Math.max(1, Math.min(12, Math.round((move.clientX - left) / column)));
    frame.style.width = `${width * column}px`;
    frame.querySelector('.canvas-name').textContent = `${chosen}: ${width} of 12`;
  }, done => {
    draw();
    if (done && width > 0) tell({ width: chosen, to: width });
  });
  event.preventDefault();
}

// Until the button is let go, or Esc gives it up.
function follow(move, end) {
  const stop = done => {
    removeEventListener('pointermove', move);
    removeEventListener('pointerup', up);
    removeEventListener('keydown', key, true);
    end(done);
  };
  const up = () => stop(true);
  const key = event => {
    if (event.key !== 'Escape') return;
    event.stopImmediatePropagation();
    stop(false);
  };
  addEventListener('pointermove', move);
  addEventListener('pointerup', up);
  addEventListener('keydown', key, true);
}

if (canvas) {
  addEventListener('pointerdown', event => {
    if (event.target.closest?.('[data-drag]')) drag(event);
    else if (event.target.closest?.('[data-edge]')) widen(event);
  });
  document.addEventListener('click', event => {
    const gap = event.target.closest('[data-plus]');
    if (gap) return tell({ add: gap.dataset.plus });
    const name = nameOf(event.target);
    if (name !== undefined && name !== chosen) tell({ select: name });
  }, true);
  // What would change records does nothing here.
  const saves = event => {
    event.preventDefault();
    event.stopPropagation();
    tell({ say: 'Nothing is saved in Build. Try the draft to work with it.' });
  };
  document.addEventListener('submit', event => event.target.method === 'post' && saves(event), true);
  document.addEventListener('htmx:beforeRequest', event => event.detail.requestConfig.verb !== 'get' && (event.target?.matches?.('[data-check]') ? event.preventDefault() : saves(event)), true);
  addEventListener('message', event => {
    if (event.origin !== location.origin || event.source !== parent) return;
    const { select, reload, open } = event.data.composer ?? {};
    if (select !== undefined) {
      choose(select);
      awaited = panelOf(select) ? undefined : select;
      show(select);
    }
    if (reload) refresh(open);
  });
  for (const name of ['resize', 'scroll']) addEventListener(name, draw);
  document.addEventListener('htmx:afterSettle', draw);
  document.addEventListener('htmx:oobAfterSwap', draw);
  addEventListener('keydown', event => {
    if ((event.ctrlKey || event.metaKey) && ['k', '.', 'z', 'Z'].includes(event.key)) {
      event.preventDefault();
      tell({ key: event.key === '.' ? 'problems' : event.key === 'k' ? 'commands' : event.key === 'Z' || event.shiftKey ? 'redo' : 'undo' });
    }
  }, true);
  tell({ ready: true });
}
