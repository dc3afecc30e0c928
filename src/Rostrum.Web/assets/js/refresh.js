// [data-refresh]: a page that is read again by itself, after some time and when records were saved. What a person is doing is left alone.
import htmx from 'htmx.org/dist/htmx.esm.js';

const again = 3_000;
const line = () => document.getElementById('refreshed');
let waiting = false;
let refreshing = false;
let events;

// Something is open, is being typed or drawn, or a panel is being used.
const isBusy = () =>
  document.hidden
  || document.querySelector('[data-sheet], [data-opened], dialog[open], .dragging, .sortable-chosen, .move-menu, #main .dropdown-menu.show, [data-form][data-typed="yes"]') !== null
  || document.activeElement?.matches('#main :is(input, select, textarea)')
  || String(getSelection()).length > 0;

function refresh() {
  if (!line()) return;
  const busy = isBusy();
  line().querySelector('[data-refresh-waits]').hidden = document.hidden || !busy;
  if (busy) {
    if (!waiting) setTimeout(() => {
      waiting = false;
      refresh();
    }, again);
    waiting = true;
    return;
  }
  const url = new URL(location.href);
  url.searchParams.set('handler', 'Refresh');
  refreshing = true;
  htmx.ajax('GET', url.pathname + url.search, { source: line(), target: line(), swap: 'none' }).finally(() => { refreshing = false; });
}

// A panel that says the same stays as it is; one that is drawn anew stands where it stood, scrolled as it was, with the same mark in use.
const places = new Map();
document.addEventListener('htmx:oobBeforeSwap', event => {
  const { target, fragment } = event.detail;
  if (!refreshing) return;
  if (isBusy()) {
    event.detail.shouldSwap = false;
    refresh();
    return;
  }
  if (fragment.firstElementChild?.isEqualNode(target)) {
    event.detail.shouldSwap = false;
    return;
  }
  if (!target.matches?.('[data-panel]')) return;
  const focused = target.contains(document.activeElement) ? [...target.querySelectorAll('a, button, [tabindex]')].indexOf(document.activeElement) : -1;
  const scrolled = [...target.querySelectorAll('*')].map((element, at) => [at, element.scrollTop, element.scrollLeft]).filter(([, top, left]) => top || left);
  const opened = [...target.querySelectorAll('details')].map(details => details.open);
  places.set(target.id, { focused, scrolled, opened });
});
document.addEventListener('htmx:oobAfterSwap', event => {
  const place = places.get(event.detail.target?.id);
  if (!place) return;
  places.delete(event.detail.target.id);
  const panel = document.getElementById(event.detail.target.id);
  panel?.querySelectorAll('details').forEach((details, at) => { details.open = place.opened[at] ?? details.open; });
  const all = [...(panel?.querySelectorAll('*') ?? [])];
  for (const [at, top, left] of place.scrolled) all[at]?.scrollTo({ top, left, behavior: 'instant' });
  if (place.focused >= 0) [...panel.querySelectorAll('a, button, [tabindex]')][place.focused]?.focus({ preventScroll: true });
});

const { refresh: seconds, events: hears, wall, next } = line()?.dataset ?? {};
if (Number(seconds) > 0) setInterval(refresh, Number(seconds) * 1000);
if (hears) {
  const url = new URL(location.href);
  url.search = '?handler=Events';
  events = new EventSource(url);
  events.addEventListener('changed', refresh);
  addEventListener('pagehide', () => events.close());
}
if (wall) {
  document.documentElement.classList.add('on-wall');
  setTimeout(() => location.assign(next), Number(wall) * 1000);
}
