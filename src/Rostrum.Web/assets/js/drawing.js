// What everything that is drawn with the pointer needs, on boards, calendars, timelines and charts.

/** What ends a drawing is no click. */
export function swallowClick() {
  const stop = event => {
    event.preventDefault();
    event.stopPropagation();
  };
  addEventListener('click', stop, { capture: true, once: true });
  setTimeout(() => removeEventListener('click', stop, { capture: true }), 50);
}

let refocus;

/** Gives a record that was moved by the keyboard the focus again once its panel is drawn anew. */
export function keepFocus(item, within = '') {
  refocus = { panel: item.closest('[data-panel]').id, key: item.dataset.key, within };
}

document.addEventListener('htmx:oobAfterSwap', event => {
  if (!refocus || event.detail.target?.id !== refocus.panel) return;
  const item = document.getElementById(refocus.panel)?.querySelector(`[data-key="${CSS.escape(refocus.key)}"]${refocus.within}`);
  if (item && !item.matches('a')) item.tabIndex = 0;
  item?.focus();
  refocus = undefined;
});

// A link that is drawn would otherwise be drawn by the browser itself.
document.addEventListener('dragstart', event => event.target.closest?.('.board-card, [data-event], [data-bar], .chart .mark') && event.preventDefault());
