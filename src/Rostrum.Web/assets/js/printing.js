// [data-print]: prints the page; [data-print-paper]: on which paper.
document.addEventListener('click', event => {
  if (event.target.closest('[data-print]')) print();
});

document.addEventListener('change', event => {
  if (event.target.matches('[data-print-paper]')) event.target.closest('[data-paper]').dataset.paper = event.target.value;
});
