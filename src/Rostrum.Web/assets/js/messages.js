// The bar at the foot: what happened, for as long as it takes to read it.
import Toast from 'bootstrap/js/dist/toast.js';

const shownFor = 12000;

export function message() {
  return {
    init() {
      Toast.getOrCreateInstance(this.$root, { animation: false, delay: shownFor }).show();
      this.$root.addEventListener('hidden.bs.toast', () => this.$root.remove());
    },
  };
}

/** Says something that only the browser knows. */
export function say(parts, tone = '') {
  const bar = document.getElementById('message').content.firstElementChild.cloneNode(true);
  if (tone) bar.classList.add(tone);
  bar.querySelector('span').append(...parts);
  document.getElementById('messages').replaceChildren(bar);
}

export function text(words) {
  return document.createTextNode(words);
}
