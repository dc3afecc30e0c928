// [data-reveals]: a choice that shows only what belongs to it. [data-revealed-by="NAME VALUE…"] stands only while NAME has one of the values.
import { whenLoaded } from './loaded.js';

function show(root) {
  for (const part of root.querySelectorAll('[data-revealed-by]')) {
    const [name, ...values] = part.dataset.revealedBy.split(' ');
    const by = part.closest('form').elements[name];
    if (by) part.hidden = !values.includes(by.value);
  }
}

document.addEventListener('change', event => {
  if (event.target.matches?.('[data-reveals]')) show(event.target.form);
  if (event.target.matches?.('[data-colour]')) event.target.closest('tr').querySelector('.option').className = `option option-${event.target.value}`;
});

whenLoaded(show);
show(document);
