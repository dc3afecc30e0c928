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
