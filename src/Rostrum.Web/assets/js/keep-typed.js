// [data-keep-typed]: a form that the server makes anew, after a choice or a refused save. What is typed meanwhile stands in the new one.
let asked = new Map();

function formIn(target) {
  return target?.matches?.('[data-keep-typed]') ? target : target?.querySelector?.('[data-keep-typed]') ?? null;
}

function inputs(form) {
  return form.querySelectorAll('input[id]:not([type="hidden"], [type="checkbox"]), textarea[id], select[id]:not(.tomselected)');
}

document.addEventListener('htmx:beforeRequest', event => {
  const form = formIn(event.detail.target);
  if (form) asked = new Map([...inputs(form)].map(input => [input.id, input.value]));
});

document.addEventListener('htmx:beforeSwap', event => {
  const form = formIn(event.detail.target);
  const typed = form ? [...inputs(form)].filter(input => asked.has(input.id) && asked.get(input.id) !== input.value).map(input => [input.id, input.value]) : [];
  if (typed.length === 0) return;
  document.addEventListener('htmx:afterSettle', () => {
    for (const [id, value] of typed) {
      const input = document.getElementById(id);
      // Another record's form has the same names.
      if (input?.closest('[data-keep-typed]')?.getAttribute('action') !== form.getAttribute('action') || input.value === value) continue;
      input.value = value;
      input.dispatchEvent(new Event('input', { bubbles: true }));
    }
  }, { once: true });
});
