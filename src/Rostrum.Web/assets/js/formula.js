// [data-formula-text]: a formula's text. [data-formula-line]: a setting that is a formula once it begins with =.
// The editor is fetched where there may be one; without it the text is a plain input.
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

document.addEventListener('input', event => {
  const { target } = event;
  if (target.matches?.('input[data-formula-line]') && target.value.startsWith('=')) attach(target.form);
  const wanted = target.matches?.('[data-narrow]') && target.value.trim().toLowerCase();
  if (wanted === false || wanted === undefined) return;
  for (const item of target.closest('aside').querySelectorAll('li')) {
    item.hidden = !item.textContent.toLowerCase().includes(wanted);
  }
});
