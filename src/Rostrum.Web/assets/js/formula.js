// [data-formula-text]: a formula's text. [data-formula-line]: a setting that is a formula once it begins with =.
// The editor is fetched where there may be one; without it the text is a plain input.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { whenLoaded } from './loaded.js';

async function attach(root) {
  if (!document.querySelector('[data-formula]')) return;
  const { edit } = await import('./formula-editor.js');
  const texts = [...root.querySelectorAll('textarea[data-formula-text]'), ...[...root.querySelectorAll('input[data-formula-line]')].filter(input => input.value.startsWith('='))];
  for (const text of texts) {
    if (!text.isConnected || text.dataset.edited) continue;
    text.dataset.edited = 'yes';
    edit(text);
  }
}

whenLoaded(attach);
attach(document);

// [data-as-formula]: a setting that is chosen becomes a formula.
document.addEventListener('click', event => {
  const button = event.target.closest('[data-as-formula]');
  if (!button) return;
  const control = document.getElementById(button.dataset.asFormula);
  const input = document.createElement('input');
  Object.assign(input, { className: 'form-control', id: control.id, name: control.name, value: '=', autocomplete: 'off', maxLength: 2000 });
  Object.assign(input.dataset, { formulaLine: '', formulaText: button.dataset.formulaKey });
  input.setAttribute('hx-post', control.getAttribute('hx-post'));
  input.setAttribute('hx-trigger', 'change');
  input.setAttribute('aria-label', button.getAttribute('aria-label'));
  button.before(input);
  control.remove();
  button.remove();
  htmx.process(input);
  input.focus();
  input.setSelectionRange(1, 1);
  attach(input.form);
});

document.addEventListener('input', event => {
  const { target } = event;
  if (target.matches?.('input[data-formula-line]') && target.value.startsWith('=')) attach(target.form);
  const wanted = target.matches?.('[data-narrow]') && target.value.trim().toLowerCase();
  if (wanted === false || wanted === undefined) return;
  for (const item of target.closest('aside').querySelectorAll('li')) {
    item.hidden = !item.textContent.toLowerCase().includes(wanted);
  }
});
