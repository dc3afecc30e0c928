// [data-picks]: a day or a moment is typed; beside it a calendar, which is fetched when it is wanted, writes into the same input.
const dates = document.body.dataset.months.split('|');

async function open(input) {
  const { pick } = await import('./calendar.js');
  pick(input, { months: dates.slice(0, 12), days: dates.slice(12, 19), first: Number(document.body.dataset.firstDay) });
}

document.addEventListener('click', event => {
  const button = event.target.closest('[data-calendar]');
  if (!button) return;
  event.preventDefault();
  open(button.parentElement.querySelector('[data-picks]'));
});

document.addEventListener('keydown', event => {
  if (event.altKey && event.key === 'ArrowDown' && event.target.matches?.('[data-picks]')) {
    event.preventDefault();
    open(event.target);
  }
});
