// The bar at the foot: what happened, for as long as it takes to read it.
const shownFor = 12000;
let timer;

export function say(parts, tone = '') {
  const bar = document.createElement('div');
  bar.className = `message ${tone}`;
  bar.dataset.message = '';
  const dismiss = document.createElement('button');
  dismiss.type = 'button';
  dismiss.className = 'btn-quiet';
  dismiss.dataset.dismiss = '';
  dismiss.setAttribute('aria-label', 'Close this message');
  dismiss.innerHTML = '<i class="bi bi-x-lg" aria-hidden="true"></i>';
  const words = document.createElement('span');
  words.append(...parts);
  bar.append(words, dismiss);
  document.getElementById('messages').replaceChildren(bar);
}

export function text(words) {
  return document.createTextNode(words);
}

document.addEventListener('click', event => {
  if (event.target.closest('[data-dismiss]')) event.target.closest('[data-message]').remove();
});

document.addEventListener('htmx:oobAfterSwap', event => {
  if (event.detail.target?.id !== 'messages') return;
  clearTimeout(timer);
  const bar = event.detail.target.querySelector('[data-message]');
  if (!bar) return;
  timer = setTimeout(function fade() {
    if (bar.matches(':hover, :focus-within')) timer = setTimeout(fade, 2000);
    else bar.remove();
  }, shownFor);
});
