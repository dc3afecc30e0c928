// Ctrl+K: the command line. It goes to what has a name; a page that knows more commands answers "run-command".
import { text } from './messages.js';

let found = [];
let known = null;
let loading;

export function openCommands() {
  const dialog = document.getElementById('commands');
  dialog.showModal();
  const input = dialog.querySelector('[data-command-input]');
  input.value = '';
  known = null;
  list('');
  loading = fetch(dialog.dataset.commands).then(answer => answer.json()).then(all => {
    known = all;
    list(input.value);
  });
}

function list(words) {
  if (known === null) return void document.getElementById('command-list').replaceChildren();
  const parts = words.toLowerCase().split(/\s+/).filter(Boolean);
  found = known.filter(entry => parts.every(word => `${entry.words} ${entry.kind}`.toLowerCase().includes(word)))
    .sort((one, other) => Number(other.words.toLowerCase().startsWith(parts[0] ?? '')) - Number(one.words.toLowerCase().startsWith(parts[0] ?? ''))).slice(0, 12);
  const target = document.getElementById('command-list');
  target.replaceChildren(...found.map((entry, at) => {
    const line = document.createElement('li');
    line.id = `command-${at}`;
    line.setAttribute('role', 'option');
    line.setAttribute('aria-selected', String(at === 0));
    const kind = document.createElement('span');
    kind.className = 'faded';
    kind.textContent = entry.kind;
    line.append(text(`${entry.words} `), kind);
    line.addEventListener('click', () => run(entry));
    return line;
  }));
  if (found.length === 0) {
    const line = document.createElement('li');
    line.className = 'faded';
    line.textContent = 'Nothing has such a name.';
    target.append(line);
  }
  mark(0);
}

function mark(at) {
  const lines = [...document.querySelectorAll('#command-list [role="option"]')];
  for (const [index, line] of lines.entries()) line.setAttribute('aria-selected', String(index === at));
  document.querySelector('[data-command-input]').setAttribute('aria-activedescendant', lines[at]?.id ?? '');
  lines[at]?.scrollIntoView({ block: 'nearest' });
}

function run(entry) {
  document.getElementById('commands').close();
  if (document.dispatchEvent(new CustomEvent('run-command', { detail: entry, cancelable: true }))) location.assign(entry.go);
}

document.addEventListener('input', event => event.target.matches('[data-command-input]') && list(event.target.value));
document.addEventListener('keydown', event => {
  if (event.target.matches?.('[data-command-input]')) {
    if (event.key === 'Enter' && known === null) {
      event.preventDefault();
      return void loading.then(() => found[0] && run(found[0]));
    }
    const at = found.findIndex((_, index) => document.getElementById(`command-${index}`)?.getAttribute('aria-selected') === 'true');
    if (event.key === 'ArrowDown') mark(Math.min(found.length - 1, at + 1));
    else if (event.key === 'ArrowUp') mark(Math.max(0, at - 1));
    else if (event.key === 'Enter' && found[at]) run(found[at]);
    else return;
    event.preventDefault();
  } else if ((event.ctrlKey || event.metaKey) && event.key === 'k' && document.getElementById('commands') && !document.querySelector('dialog[open]')) {
    event.preventDefault();
    openCommands();
  }
});
