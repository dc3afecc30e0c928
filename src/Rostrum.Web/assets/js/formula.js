// [data-formula]: a formula's text, a list of names and functions to insert into it, and corrections of its problems.
document.addEventListener('click', event => {
  const button = event.target.closest?.('[data-insert], [data-correct]');
  const text = button?.closest('[data-formula]')?.querySelector('[data-formula-text]');
  if (!text) return;
  if (button.dataset.insert !== undefined) insert(text, button.dataset.insert);
  else {
    const start = Number(button.dataset.start);
    replace(text, start, start + Number(button.dataset.length), button.dataset.correct);
  }
});

document.addEventListener('input', event => {
  const wanted = event.target.matches?.('[data-narrow]') && event.target.value.trim().toLowerCase();
  if (wanted === false || wanted === undefined) return;
  for (const item of event.target.closest('aside').querySelectorAll('li')) {
    item.hidden = !item.textContent.toLowerCase().includes(wanted);
  }
});

document.addEventListener('keydown', event => {
  if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && event.target.matches?.('[data-formula-text]')) {
    event.preventDefault();
    event.target.form.requestSubmit(event.target.form.querySelector('[data-formula-save]'));
  }
});

// A function is inserted with the caret between its brackets, around what was selected.
function insert(text, piece) {
  const selected = text.value.slice(text.selectionStart, text.selectionEnd);
  const isFunction = piece.endsWith('()');
  replace(text, text.selectionStart, text.selectionEnd, isFunction ? `${piece.slice(0, -1)}${selected})` : piece);
  if (isFunction && !selected) text.setSelectionRange(text.selectionStart - 1, text.selectionStart - 1);
}

function replace(text, start, end, piece) {
  text.focus();
  text.setRangeText(piece, start, end, 'end');
  text.dispatchEvent(new Event('input', { bubbles: true }));
}
