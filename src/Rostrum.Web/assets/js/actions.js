// What actions do in the browser itself: ask first, copy, open an address.
import { say } from './messages.js';

document.addEventListener('inBrowser', async event => {
  for (const { does, what, beside } of event.detail.effects) {
    if (does === 'copy') await copy(what);
    else if (beside) open(what, '_blank', 'noopener');
    else location.href = what;
  }
});

async function copy(text) {
  try {
    await navigator.clipboard.writeText(text);
    say([`Copied: ${text.length > 60 ? `${text.slice(0, 60)}…` : text}`]);
  } catch {
    say([`Your browser does not let it be copied: ${text}`]);
  }
}

// A question stands over the page; Esc and Cancel answer no.
function show() {
  const dialog = document.querySelector('#asked dialog[open]');
  if (!dialog || dialog.matches(':modal')) return;
  dialog.close();
  dialog.showModal();
}

// The form that asked may be gone by then, and nobody be left to tell of the answer.
const asked = document.getElementById('asked');
if (asked) new MutationObserver(show).observe(asked, { childList: true });
document.addEventListener('click', event => event.target.closest('[data-ask-close]') && event.target.closest('dialog').close());
// Answered, it goes; where the answer is another question, that takes its place.
document.addEventListener('htmx:afterRequest', event => {
  const dialog = document.querySelector('[data-ask][open]');
  if (dialog?.contains(event.target) && event.detail.successful && !event.detail.xhr.responseText.includes('id="asked"')) dialog.close();
});
show();
