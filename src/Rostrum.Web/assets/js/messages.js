// The bar at the foot: what happened, for as long as it takes to read it.
const shownFor = 12000;

export function message() {
  return {
    init() { this.fade(shownFor); },

    fade(after) {
      this.timer = setTimeout(() => {
        if (this.$root.matches(':hover, :focus-within')) this.fade(2000);
        else this.dismiss();
      }, after);
    },

    dismiss() { this.$root.remove(); },

    destroy() { clearTimeout(this.timer); },
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
