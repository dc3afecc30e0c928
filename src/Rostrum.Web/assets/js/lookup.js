// [data-lookup]: choosing a related record by its title. [data-pick]: choosing several of a list, in an order.
import { whenLoaded } from './loaded.js';
import TomSelect from 'tom-select/dist/esm/tom-select.complete.js';

function attachLookup(select) {
  const chosenTitle = select.dataset.lookupTitle && select.form.elements[select.dataset.lookupTitle];
  const picker = new TomSelect(select, {
    valueField: 'value',
    labelField: 'text',
    searchField: [],
    sortField: [{ field: '$order' }],
    preload: 'focus',
    maxOptions: 60,
    loadThrottle: 200,
    plugins: ['clear_button'],
    async load(query, done) {
      try {
        const answer = await fetch(`${select.dataset.lookup}&q=${encodeURIComponent(query)}`, { headers: { Accept: 'application/json' } });
        picker.clearOptions(id => id === picker.getValue());
        done(answer.ok ? await answer.json() : []);
      } catch {
        done();
      }
    },
    shouldLoad: () => true,
    render: {
      no_results: () => '<div class="no-results">Nothing fits.</div>',
    },
    onChange(value) {
      if (chosenTitle) chosenTitle.value = picker.options[value]?.text ?? '';
    },
  });
}

function attach(root) {
  for (const select of root.querySelectorAll('select[data-lookup]:not(.tomselected)')) attachLookup(select);
  for (const select of root.querySelectorAll('select[data-pick]:not(.tomselected)')) new TomSelect(select, { plugins: ['remove_button'] });
}

whenLoaded(attach);
attach(document);
