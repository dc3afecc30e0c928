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
  const inputs = [...form.querySelectorAll('input:not([type="hidden"]), select, textarea')];
  (inputs.find(input => input.getAttribute('aria-invalid') === 'true') ?? inputs.find(input => input.value === ''))?.focus();
}, true);

// [data-choices]: the same choices, to be shown or to be left out.
document.addEventListener('change', event => {
  const { target } = event;
  if (!target.matches?.('[data-choices]')) return;
  for (const choice of target.form.querySelectorAll('.choices input')) choice.name = target.dataset.choices;
});

// [data-further]: with Shift a heading orders within the order that there is.
document.addEventListener('htmx:configRequest', event => {
  const further = event.detail.triggeringEvent?.shiftKey && event.detail.elt.dataset.further;
  if (further) event.detail.path = further;
});
