// [data-orders]: rows that are put in another order by dragging; the names go into the input that it names, as a list with commas.
import Sortable from 'sortablejs/modular/sortable.core.esm.js';
import { whenLoaded } from './loaded.js';

function attach(root) {
  for (const body of root.querySelectorAll('[data-orders]:not([data-sortable])')) {
    body.dataset.sortable = '';
    Sortable.create(body, {
      handle: '[data-grip]',
      draggable: 'tr',
      animation: 0,
      forceFallback: true,
      onEnd() {
        const input = document.getElementById(body.dataset.orders);
        const order = [...body.querySelectorAll('tr')].map(row => row.dataset.name).join(',');
        if (input.value === order) return;
        input.value = order;
        input.dispatchEvent(new Event('change', { bubbles: true }));
      },
    });
  }
}

whenLoaded(attach);
attach(document);
