// [data-menu]: a disclosure that closes when the attention goes elsewhere.
document.addEventListener('click', event => {
  for (const menu of document.querySelectorAll('details[data-menu][open]')) {
    if (!menu.contains(event.target)) menu.open = false;
  }
});

document.addEventListener('htmx:afterSettle', event => event.target.querySelector?.('[data-autofocus]')?.focus());

export function closeMenu() {
  const menu = document.querySelector('details[data-menu][open]');
  if (!menu) return false;
  menu.open = false;
  menu.querySelector('summary').focus();
  return true;
}

// A menu within rows would be cut off by what scrolls around it: it stands over the page, beside its button.
document.addEventListener('toggle', event => {
  const menu = event.target;
  if (!menu.open || !menu.matches?.('.action-menu[data-menu]')) return;
  const list = menu.querySelector('.menu-list');
  const at = menu.querySelector('summary').getBoundingClientRect();
  list.style.position = 'fixed';
  const { width, height } = list.getBoundingClientRect();
  list.style.left = `${Math.max(4, Math.min(at.right - width, innerWidth - width - 4))}px`;
  list.style.top = `${at.bottom + height + 4 > innerHeight && at.top > height ? at.top - height - 2 : at.bottom}px`;
}, true);

addEventListener('scroll', () => document.querySelectorAll('.action-menu[data-menu][open]').forEach(menu => { menu.open = false; }), true);
