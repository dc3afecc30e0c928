// A disclosure that closes when the attention goes elsewhere.
export function menu() {
  return {
    close() { this.$root.open = false; },

    // A menu within rows would be cut off by what scrolls around it: it stands over the page, beside its button.
    place() {
      if (!this.$root.open) return;
      const list = this.$root.querySelector('.menu-list');
      const at = this.$root.querySelector('summary').getBoundingClientRect();
      list.style.position = 'fixed';
      const { width, height } = list.getBoundingClientRect();
      list.style.left = `${Math.max(4, Math.min(at.right - width, innerWidth - width - 4))}px`;
      list.style.top = `${at.bottom + height + 4 > innerHeight && at.top > height ? at.top - height - 2 : at.bottom}px`;
    },
  };
}

export function closeMenu() {
  const open = document.querySelector('details.menu[open]');
  if (!open) return false;
  open.open = false;
  open.querySelector('summary').focus();
  return true;
}

document.addEventListener('htmx:afterSettle', event => event.target.querySelector?.('[data-autofocus]')?.focus());
