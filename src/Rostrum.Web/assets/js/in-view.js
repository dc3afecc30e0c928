// [data-in-view]: a list that may be longer than its room. Its current entry is in sight.
for (const list of document.querySelectorAll('[data-in-view]')) {
  list.querySelector('[aria-current="true"]')?.scrollIntoView({ block: 'nearest', inline: 'center' });
}
