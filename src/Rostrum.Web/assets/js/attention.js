// While one edit is on its way, the builder is already at the next input: when the answer puts the Dock anew, what was typed there stays, and so do the caret,
// the place to which it was scrolled, and what was unfolded.

export function keepAttention({ id, parentElement }) {
  let at = null;
  let shown = null;
  document.addEventListener('htmx:oobBeforeSwap', event => {
    if (event.detail.target.id !== id || !event.detail.shouldSwap) return;
    const place = document.getElementById(id);
    shown = {
      of: place.querySelector('form')?.getAttribute('action'),
      scrolled: place.querySelector('.dock-body')?.scrollTop ?? 0,
      open: [...place.querySelectorAll('details[data-keeps-open][open]')].map(details => details.dataset.keepsOpen),
    };
    const active = document.activeElement;
    const input = active?.closest('.formula-editor')?.previousElementSibling ?? active;
    at = input?.name && input.closest(`#${id}`) ? { name: input.name, typed: input.value !== input.defaultValue && 'defaultValue' in input ? input.value : null, selection: selectionOf(input) } : null;
  });
  new MutationObserver(() => {
    const place = document.getElementById(id);
    if (shown && shown.of === place?.querySelector('form')?.getAttribute('action')) {
      for (const details of place.querySelectorAll('details[data-keeps-open]')) if (shown.open.includes(details.dataset.keepsOpen)) details.open = true;
      const body = place.querySelector('.dock-body');
      if (body) body.scrollTop = shown.scrolled;
    }
    shown = null;
    const input = at && document.querySelector(`#${id} [name="${CSS.escape(at.name)}"]`);
    if (input && [document.body, input].includes(document.activeElement)) resume(input, at);
    at = null;
  }).observe(parentElement, { childList: true });
}

function selectionOf(input) {
  try {
    return input.selectionStart === null ? null : [input.selectionStart, input.selectionEnd];
  } catch {
    return null;
  }
}

function resume(input, { typed, selection }) {
  if (typed !== null) {
    input.value = typed;
    sendOnLeaving(input);
  }
  input.focus();
  if (selection && input.setSelectionRange) input.setSelectionRange(...selection);
}

// The browser tells of a change only where it was typed since the input has the attention.
function sendOnLeaving(input) {
  let told = false;
  input.addEventListener('change', () => { told = true; }, { once: true });
  input.addEventListener('blur', () => {
    if (!told && input.isConnected && !input.hidden) input.dispatchEvent(new Event('change', { bubbles: true }));
  }, { once: true });
}
