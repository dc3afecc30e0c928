// [data-picture]: a picture that cannot be shown says so in its place.
document.addEventListener('error', event => {
  if (!event.target.matches?.('img[data-picture]')) return;
  const place = document.createElement('span');
  place.className = 'no-picture';
  place.innerHTML = '<i class="bi bi-image" aria-hidden="true"></i>';
  place.append(' This picture cannot be shown.');
  event.target.replaceWith(place);
}, true);
