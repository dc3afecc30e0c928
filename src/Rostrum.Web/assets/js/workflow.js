// The flow of a workflow by keyboard, and the dialog that adds a step. What is done goes to the server; the list it draws is the picture.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { whenAnswered } from './answers.js';

const page = document.querySelector('[data-workflow]');
if (page) begin();

function begin() {
  const dialog = document.getElementById('add-step');
  const place = document.getElementById('add-step-place');
  const name = page.dataset.workflow;
  const here = location.pathname;
  const rows = () => [...page.querySelectorAll('[data-flow-row]')];
  let focused = null;

  function open(at) {
    place.elements.within.value = at.dataset.within ?? '';
    place.elements.block.value = at.dataset.block ?? '0';
    place.elements.place.value = at.dataset.place ?? '0';
    dialog.querySelector('[data-paste]').hidden = !copied();
    dialog.showModal();
  }

  function copied() {
    try {
      return JSON.parse(sessionStorage.getItem('copied step'));
    } catch {
      return null;
    }
  }

  function send(question, values = {}) {
    const query = new URLSearchParams({ at: page.querySelector('[data-flow-row][aria-current]')?.dataset.id ?? '', ...question });
    return htmx.ajax('POST', `${here}?${query}`, { source: page, swap: 'none', values });
  }

  function paste(at) {
    const step = copied();
    if (!step) return;
    send({ handler: 'Paste', from: step.from, step: step.id, move: step.move, within: at.within ?? '', block: at.block ?? 0, place: at.place ?? 0 });
    if (step.move) sessionStorage.removeItem('copied step');
  }

  document.addEventListener('click', event => {
    const add = event.target.closest('[data-add-step]');
    if (add) open(add);
    if (event.target.closest('[data-adds-step]')) dialog.close();
    if (event.target.closest('[data-paste]')) {
      dialog.close();
      paste({ within: place.elements.within.value, block: place.elements.block.value, place: place.elements.place.value });
    }
  });

  // Answers may come in another order than they were asked for: none that is older than what is shown is heeded,
  // and what was asked before another part was opened does not take its reader back. What asked may be gone by then,
  // and its events with it: the request itself is watched.
  let latest = 0;
  let asked = 0;
  let opened = 0;
  let isStale = false;
  let isBefore = false;
  document.addEventListener('htmx:beforeRequest', ({ detail: { xhr, requestConfig } }) => {
    const order = asked += 1;
    const opens = requestConfig.verb === 'get';
    if (opens) opened = order;
    whenAnswered(xhr, () => {
      const revision = Number(xhr.getResponseHeader('Draft-Revision') ?? latest);
      isStale = revision < latest;
      isBefore = order < opened;
      latest = Math.max(latest, revision);
    });
    xhr.addEventListener('load', () => {
      if (isBefore) document.body.dispatchEvent(new Event('draft-changed'));
      else if (isStale && opens) htmx.ajax('GET', requestConfig.path, { source: page, swap: 'none' });
    });
  });
  document.addEventListener('htmx:oobBeforeSwap', event => {
    if (isStale || (isBefore && event.detail.target.id === 'dock')) event.detail.shouldSwap = false;
  });

  // What is drawn anew keeps the attention that it had.
  document.addEventListener('htmx:beforeRequest', () => { focused = document.activeElement?.closest('[data-flow-row]')?.dataset.id ?? focused; });
  document.addEventListener('htmx:afterSettle', () => {
    if (focused && document.activeElement === document.body) page.querySelector(`[data-flow-row][data-id="${CSS.escape(focused)}"]`)?.focus();
  });

  document.addEventListener('keydown', event => {
    const row = event.target.closest?.('[data-flow-row]');
    const isCommand = event.ctrlKey || event.metaKey;
    if (isCommand && event.key === '.') return act(event, () => page.querySelector('[data-workflow-command="problems"]')?.click());
    if (event.target.closest?.('input, textarea, select, [contenteditable], .cm-editor')) return undefined;
    if (isCommand && event.key.toLowerCase() === 'z') return act(event, () => page.querySelector(`[data-workflow-command="${event.shiftKey ? 'redo' : 'undo'}"]`)?.click());
    if (!row) return undefined;
    const all = rows();
    const at = all.indexOf(row);
    const step = row.dataset.id === 'trigger' ? null : row.dataset.id;
    if (event.altKey && step && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) return act(event, () => send({ handler: 'Step', step, does: event.key === 'ArrowUp' ? 'up' : 'down' }));
    if (event.key === 'ArrowDown') return act(event, () => all[at + 1]?.focus());
    if (event.key === 'ArrowUp') return act(event, () => all[at - 1]?.focus());
    if (event.key === 'a' && !isCommand) return act(event, () => open(step ? row : { dataset: {} }));
    if (isCommand && event.key === 'v') return act(event, () => paste(step ? row.dataset : {}));
    if (!step) return undefined;
    if (isCommand && (event.key === 'c' || event.key === 'x')) return act(event, () => sessionStorage.setItem('copied step', JSON.stringify({ from: name, id: step, move: event.key === 'x' })));
    if (isCommand && event.key === 'd') return act(event, () => send({ handler: 'Step', step, does: 'duplicate' }));
    if (event.key === 'o' && !isCommand) return act(event, () => send({ handler: 'Step', step, does: 'off' }));
    if (event.key === 'Delete') {
      return act(event, () => {
        focused = all[at + 1]?.dataset.id ?? all[at - 1]?.dataset.id;
        send({ handler: 'Step', step, does: 'remove' });
      });
    }
    return undefined;
  });

  function act(event, what) {
    event.preventDefault();
    what();
  }
}
