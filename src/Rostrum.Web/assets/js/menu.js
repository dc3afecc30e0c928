// Bootstrap's menus: what else the pages ask of them.
import Dropdown from 'bootstrap/js/dist/dropdown.js';

export function closeMenu() {
  const open = document.querySelector('[data-bs-toggle="dropdown"].show');
  if (!open) return false;
  Dropdown.getOrCreateInstance(open).hide();
  open.focus();
  return true;
}

document.addEventListener('htmx:afterSettle', event => {
  event.target.querySelector?.('[data-autofocus]')?.focus();
  // A menu in which something was changed is drawn anew with its panel, and goes on being open.
  const stays = document.querySelector('[data-stays-open="True"]');
  if (!stays) return;
  delete stays.dataset.staysOpen;
  const at = document.activeElement;
  Dropdown.getOrCreateInstance(stays).show();
  if (stays.parentElement.contains(at)) at.focus();
});
