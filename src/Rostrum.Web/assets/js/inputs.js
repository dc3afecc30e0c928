// Small behaviours of forms on a page: a tick that stands for yes or no, a choice that is sent at once, a save that says what it still needs.
document.addEventListener('change', event => {
  const { target } = event;
  if (target.matches?.('[data-toggle-of]')) document.getElementById(target.dataset.toggleOf).value = target.checked ? 'true' : 'false';
  if (target.matches?.('[data-submits]')) target.form.requestSubmit();
}, true);

// The button says why it waits; pressed all the same, it leads to what is missing.
document.addEventListener('click', event => {
  const button = event.target.closest('.save button[aria-disabled="true"]');
  if (!button) return;
  event.preventDefault();
  event.stopPropagation();
  const form = button.form;
  [...form.querySelectorAll('input:not([type="hidden"]), select, textarea')].find(input => input.getAttribute('aria-invalid') === 'true' || input.value === '')?.focus();
}, true);
