// [data-lookup]: choosing a related record by its title. [data-pick]: choosing several of a list, in an order.
import { whenLoaded } from './loaded.js';
import TomSelect from 'tom-select/dist/esm/tom-select.complete.js';

function attachLookup(select) {
  // What is typed and not yet answered: Enter then takes the best of what comes, and nothing that stands there from before.
  let answered = '';
  let wanted = false;
  let nothing = '';
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
        const found = answer.ok ? await answer.json() : [];
        nothing = answer.ok ? 'Nothing fits.' : answer.status === 403 ? 'You may not see what can be chosen here.' : 'The source does not answer.';
        if (query !== picker.inputValue()) return done();
        picker.clearOptions(id => id === picker.getValue());
        done(found);
        answered = query;
        if (wanted && found.length > 0) {
          picker.setValue(found[0].value);
          picker.close();
        }
        wanted = false;
      } catch {
        done();
      }
    },
    shouldLoad: () => true,
    render: {
      no_results: () => `<div class="no-results">${nothing}</div>`,
    },
    onInitialize() {
      this.control_input.addEventListener('keydown', event => {
        wanted = event.key === 'Enter' && this.isOpen && this.inputValue() !== answered;
        if (!wanted) return;
        event.preventDefault();
        event.stopImmediatePropagation();
      }, { capture: true });
    },
    onChange(value) {
      if (chosenTitle) chosenTitle.value = picker.options[value]?.text ?? '';
    },
  });
}

function attach(root) {
  for (const select of root.querySelectorAll('select[data-lookup]:not(.tomselected)')) attachLookup(select);
  for (const select of root.querySelectorAll('select[data-pick]:not(.tomselected)')) new TomSelect(select, { plugins: ['remove_button', 'drag_drop'], dropdownParent: 'body' });
}

whenLoaded(attach);
attach(document);
