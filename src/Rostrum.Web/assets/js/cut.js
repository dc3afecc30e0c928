// .table-scroll: a table that is cut at the right says so, until it is scrolled to its end.
import { whenLoaded } from './loaded.js';

const mark = scroller => scroller.toggleAttribute('data-cut', scroller.scrollLeft + scroller.clientWidth < scroller.scrollWidth - 1);
const watcher = new ResizeObserver(entries => entries.forEach(({ target }) => mark(target)));

function attach(root) {
  for (const scroller of root.querySelectorAll('.table-scroll')) {
    mark(scroller);
    watcher.observe(scroller);
  }
}

document.addEventListener('scroll', event => event.target.matches?.('.table-scroll') && mark(event.target), { capture: true, passive: true });
whenLoaded(attach);
attach(document);
