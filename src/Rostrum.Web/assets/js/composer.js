// [data-composer]: Build's screen for composing a page: the Outline's keys, the Dock, the command line, and the talk with the page in the middle.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { whenAnswered } from './answers.js';
import { keepAttention } from './attention.js';
import { openCommands } from './commands.js';
import { say, text } from './messages.js';

const composer = document.querySelector('[data-composer]');
const here = () => document.querySelector('[data-outline]').dataset.outline;
const page = () => document.querySelector('[data-page]');
const tell = message => page().contentWindow.postMessage({ composer: message }, location.origin);
const selected = () => new URLSearchParams(location.search).get('panel') ?? '';
const item = name => (name ? document.getElementById(`outline-${name}`) : document.querySelector('.outline-page'));
const dock = () => document.getElementById('dock');

function post(handler, values = {}) {
  if (document.activeElement?.closest('#outline')) focusLater ??= selected();
  const query = new URLSearchParams({ panel: selected(), part: part(), handler });
  return htmx.ajax('POST', `${here()}?${query}`, { source: composer, target: '#messages', swap: 'none', values });
}

function part() {
  return new URLSearchParams(location.search).get('part') ?? 'content';
}

// The sheet or dialog in which a panel stands, or which it is, is open while the panel is selected.
function opening(name) {
  return item(name)?.closest('[data-opens="yes"]')?.dataset.name ?? '';
}

let opened = '';

function show(name) {
  const open = name ? opening(name) : '';
  if (open !== opened) {
    opened = open;
    tell({ reload: true, open });
  }
  tell({ select: name });
}

function select(name, to = part() === 'problems' ? 'content' : part()) {
  // What is being typed is said before the Dock shows something else.
  if (dock().contains(document.activeElement)) document.activeElement.blur();
  const query = new URLSearchParams({ ...(name && { panel: name }), ...(to !== 'content' && { part: to }) });
  history.replaceState(null, '', `${location.pathname}${query.size ? `?${query}` : ''}`);
  markSelected();
  show(name);
  return htmx.ajax('GET', `${here()}?${new URLSearchParams({ panel: name, part: to })}`, { source: composer, target: '#messages', swap: 'none' });
}

function markSelected() {
  const name = selected();
  for (const row of document.querySelectorAll('[data-outline] [data-name]')) {
    row.setAttribute('aria-selected', String(row.dataset.name === name));
    row.tabIndex = row.dataset.name === name ? 0 : -1;
  }
  if (name) document.querySelector('.outline-page').removeAttribute('aria-current');
  else document.querySelector('.outline-page').setAttribute('aria-current', 'true');
}

function rename() {
  const row = item(selected());
  const words = row?.querySelector('.outline-name');
  if (!selected() || !words) return;
  const input = document.createElement('input');
  Object.assign(input, { className: 'form-control form-control-sm', value: selected(), maxLength: 60 });
  input.setAttribute('aria-label', `Another name for ${selected()}`);
  words.replaceWith(input);
  input.select();
  let over = false;
  const end = async keep => {
    if (over) return;
    over = true;
    const name = input.value.trim();
    input.replaceWith(words);
    row.focus();
    if (keep && name && name !== selected()) await post('Rename', { name });
  };
  input.addEventListener('keydown', event => {
    event.stopPropagation();
    if (event.key === 'Enter') end(true);
    if (event.key === 'Escape') end(false);
  });
  input.addEventListener('blur', () => end(true));
}

function widen(by) {
  const width = Number(item(selected())?.dataset.widthNow) + by;
  if (width >= 1 && width <= 12) setWidth(selected(), width);
}

function setWidth(name, width) {
  return htmx.ajax('POST', `${here()}?${new URLSearchParams({ panel: name, part: part(), handler: 'Set', key: 'width' })}`, { source: composer, target: '#messages', swap: 'none', values: { 'set.width': width } });
}

async function copy(event) {
  const answer = await fetch(`${here()}?handler=Copy&panel=${selected()}`);
  if (answer.ok) {
    const { text: panel } = await answer.json();
    localStorage.setItem('copied-panel', panel);
    try {
      await navigator.clipboard?.writeText(panel);
    } catch {
      // The browser keeps its clipboard to itself; between Rostrum's own pages it goes all the same.
    }
    say([text(`“${selected()}” is copied. Paste it on this page or another one.`)]);
  }
  event?.preventDefault();
}

const commands = {
  add: () => {
    document.getElementById('add-before').value = '';
    document.getElementById('add-panel').showModal();
  },
  page: () => document.getElementById('add-page').showModal(),
  undo: () => post('Undo'),
  redo: () => post('Redo'),
  problems: () => select(selected(), 'problems'),
  dock: () => composer.classList.toggle('dock-folded'),
  outline: () => composer.classList.toggle('outline-folded'),
  duplicate: () => selected() && post('Duplicate'),
  remove: () => selected() && post('Remove'),
  rename,
  keys: () => document.getElementById('keys').showModal(),
  commands: () => openCommands(),
};

const isTyping = target => target.closest?.('input:not([type="checkbox"]), textarea, select, [contenteditable], .cm-editor') != null;

function outlineKey(event, row) {
  const rows = [...document.querySelectorAll('.outline-page, [data-outline] [data-name]')];
  const at = rows.indexOf(row);
  const go = to => {
    const next = rows[Math.max(0, Math.min(rows.length - 1, to))];
    select(next.dataset.name);
    next.focus();
  };
  const moves = { ArrowUp: 'up', ArrowDown: 'down', ArrowRight: 'in', ArrowLeft: 'out' };
  if (event.altKey && event.shiftKey && (event.key === 'ArrowRight' || event.key === 'ArrowLeft')) widen(event.key === 'ArrowRight' ? 1 : -1);
  else if (event.altKey && moves[event.key]) post('Move', { by: moves[event.key] });
  else if (event.key === 'ArrowDown') go(at + 1);
  else if (event.key === 'ArrowUp') go(at - 1);
  else if (event.key === 'Home') go(0);
  else if (event.key === 'End') go(rows.length - 1);
  else if (event.key === 'Enter' && row.dataset.name) rename();
  else if (event.key === 'Delete' || event.key === 'Backspace') commands.remove();
  else if ((event.ctrlKey || event.metaKey) && event.key === 'c') copy();
  else if ((event.ctrlKey || event.metaKey) && event.key === 'd') commands.duplicate();
  else return;
  event.preventDefault();
}

let focusLater = null;


if (composer) {
  document.addEventListener('htmx:configRequest', event => {
    if (!event.detail.path.startsWith(location.pathname)) return;
    // What stands outside the composer, such as a question in the bar at the foot, speaks in its name.
    if (event.detail.verb !== 'get') Object.assign(event.detail.headers, JSON.parse(composer.getAttribute('hx-headers')));
    const url = new URL(event.detail.path, location.href);
    url.searchParams.set('state', page().contentWindow.location.search);
    if (!url.searchParams.has('panel')) {
      url.searchParams.set('panel', selected());
      url.searchParams.set('part', part());
    }
    event.detail.path = url.pathname + url.search;
  });
  // Of each answer as it comes: whether something newer is shown already, and whether the builder has gone on to another panel or part.
  let isStale = false;
  let hasLeft = () => false;
  document.addEventListener('htmx:beforeSend', event => {
    const { xhr, requestConfig } = event.detail;
    const asked = new URL(requestConfig.path, location.href).searchParams;
    whenAnswered(xhr, () => {
      const revision = xhr.getResponseHeader('Draft-Revision');
      const known = Number(document.querySelector('#composer-state [name="revision"]').value);
      isStale = revision !== null && (Number(revision) < known || (asked.get('handler') === 'Since' && Number(revision) === known));
      // Between an answer's parts and what it says of the selection, somebody can have clicked.
      hasLeft = () => asked.has('panel') && (asked.get('panel') !== selected() || (asked.get('part') ?? 'content') !== part());
    });
  });
  document.addEventListener('htmx:oobBeforeSwap', event => {
    if (isStale || (hasLeft() && event.detail.target.id === 'dock')) event.detail.shouldSwap = false;
  });
  new ResizeObserver(fitPage).observe(page().parentElement);
  keepAttention(document.getElementById('dock'));
  document.addEventListener('draft-changed', event => {
    if (isStale) return;
    tell({ reload: true });
    const name = event.detail.select;
    if (hasLeft() || name === null || name === undefined) {
      markSelected();
    } else if (name !== selected()) {
      const query = new URLSearchParams({ ...(name && { panel: name }), ...(part() !== 'content' && { part: part() }) });
      history.replaceState(null, '', `${location.pathname}${query.size ? `?${query}` : ''}`);
      markSelected();
      show(name);
    }
    if (focusLater !== null) (item(selected()) ?? item(''))?.focus();
    focusLater = null;
  });
  document.addEventListener('click', event => {
    const command = event.target.closest('[data-command]');
    if (command) return void commands[command.dataset.command]();
    if (event.target.closest('[data-adds]')) document.getElementById('add-panel').close();
    const row = event.target.closest('.outline-page, [data-outline] [data-name]');
    if (row && !event.target.closest('input')) {
      event.preventDefault();
      select(row.dataset.name);
      row.focus();
    }
    const width = event.target.closest('[data-width]');
    if (width) setPageWidth(width.dataset.width);
    const tab = event.target.closest('#dock .tabs a');
    if (tab) history.replaceState(null, '', tab.getAttribute('href'));
  });
  document.addEventListener('submit', event => event.target.closest('#add-page') && document.getElementById('add-page').close());
  document.addEventListener('keydown', event => {
    const row = event.target.closest?.('.outline-page, [data-outline] [data-name]');
    const control = event.ctrlKey || event.metaKey;
    if (document.querySelector('dialog[open]')) return;
    if (control && event.key === '.') {
      event.preventDefault();
      commands.problems();
    } else if (control && event.key.toLowerCase() === 'z' && !isTyping(event.target)) {
      event.preventDefault();
      event.shiftKey ? commands.redo() : commands.undo();
    } else if (row && !isTyping(event.target)) {
      outlineKey(event, row);
    } else if (event.key === 'Escape' && !event.defaultPrevented && !isTyping(event.target) && selected()) {
      select('');
    } else if (event.key === '`' && !isTyping(event.target)) {
      event.preventDefault();
      commands.dock();
    } else if (event.key === 'a' && !control && !event.altKey && !isTyping(event.target)) {
      event.preventDefault();
      commands.add();
    }
  });
  document.addEventListener('run-command', event => {
    const { go } = event.detail;
    const to = new URL(go, location.href);
    if (go.startsWith('#')) commands[go.slice(1)]?.();
    else if (to.pathname === location.pathname) select(to.searchParams.get('panel') ?? '');
    else return;
    event.preventDefault();
  });
  document.addEventListener('paste', event => {
    if (isTyping(event.target)) return;
    event.preventDefault();
    post('Paste', { text: event.clipboardData.getData('text/plain') || (localStorage.getItem('copied-panel') ?? '') });
  });
  document.addEventListener('copy', event => {
    if (!isTyping(event.target) && selected() && String(getSelection()).length === 0) copy(event);
  });
  // A list of ticks, or of parameters, is sent as one value.
  document.addEventListener('change', event => {
    const { target } = event;
    if (target.matches('[data-joins]')) {
      send(target.dataset.joins, [...target.closest('fieldset').querySelectorAll('[data-joins]:checked')].map(tick => tick.value).sort().join(', '));
    } else if (target.closest('[data-parameter]')) {
      const all = [...target.closest('[data-parameters]').querySelectorAll('[data-parameter]')].map(row => {
        const type = row.querySelector('[data-parameter-type]').selectedOptions[0];
        return { name: row.querySelector('[data-parameter-name]').value.trim(), type: JSON.parse(type.value), ...(type.dataset.dataset && { dataset: JSON.parse(type.dataset.dataset) }) };
      }).filter(parameter => parameter.name);
      send(target.closest('[data-parameters]').dataset.parameters, all.length ? JSON.stringify(all) : '');
    }
  });
  addEventListener('message', event => {
    if (event.origin !== location.origin || event.source !== page().contentWindow) return;
    const message = event.data.canvas ?? {};
    if (message.ready) show(selected());
    if (message.select !== undefined) select(message.select);
    if (message.move) htmx.ajax('POST', `${here()}?${new URLSearchParams({ panel: message.move, part: part(), handler: 'Move' })}`, { source: composer, target: '#messages', swap: 'none', values: { parent: message.parent, before: message.before } });
    if (message.width) setWidth(message.width, message.to);
    if (message.key) commands[message.key]();
    if (message.say) say([text(message.say)]);
    if (message.add !== undefined) {
      document.getElementById('add-before').value = message.add;
      document.getElementById('add-panel').showModal();
    }
  });
  document.addEventListener('pointerdown', event => {
    if (!event.target.closest('[data-dock-grip]')) return;
    const move = to => setDock(innerHeight - to.clientY);
    const end = () => {
      removeEventListener('pointermove', move);
      removeEventListener('pointerup', end);
      composer.classList.remove('dragging');
    };
    composer.classList.add('dragging');
    addEventListener('pointermove', move);
    addEventListener('pointerup', end);
    event.preventDefault();
  });
  document.addEventListener('keydown', event => {
    if (!event.target.matches?.('[data-dock-grip]') || !['ArrowUp', 'ArrowDown'].includes(event.key)) return;
    event.preventDefault();
    setDock(dock().offsetHeight + (event.key === 'ArrowUp' ? 24 : -24));
  });
}

function setDock(height) {
  const fits = Math.max(80, Math.min(innerHeight - 160, height));
  composer.style.setProperty('--dock', `${fits}px`);
  document.querySelector('[data-dock-grip]').setAttribute('aria-valuenow', String(Math.round(fits / innerHeight * 100)));
}

function send(id, value) {
  const input = document.getElementById(id);
  input.value = value;
  input.dispatchEvent(new Event('change', { bubbles: true }));
}

function setPageWidth(width) {
  page().classList.remove('at-768', 'at-390');
  if (width) page().classList.add(`at-${width}`);
  for (const button of document.querySelectorAll('[data-width]')) button.setAttribute('aria-pressed', String(button.dataset.width === width));
  fitPage();
}

// The page is laid out as wide as colleagues have it, and drawn as large as there is room.
const usualWidth = 1280;

function fitPage() {
  const frame = page();
  const place = frame.parentElement;
  const scale = frame.matches('.at-768, .at-390') ? 1 : Math.min(1, place.clientWidth / usualWidth);
  place.classList.toggle('is-fitted', scale < 1);
  frame.style.width = scale < 1 ? `${usualWidth}px` : '';
  frame.style.height = scale < 1 ? `${100 / scale}%` : '';
  frame.style.transform = scale < 1 ? `scale(${scale})` : '';
}

