// The page's address is its state. A panel's link or form says what becomes of that panel; what the address says of the others is taken from the address as it is now,
// for they may have been changed since the panel was drawn.
const service = new Set(['all', 'bulk', 'lane', 'run', 'format', 'handler', 'panel', 'field', 'action', 'row', 'q', 'record', 'version', 'undo', 'at', 'does', 'wall']);

/** A link of a panel, brought up to date with the page's address. */
export function current(href, source) {
  const link = new URL(href, location.href);
  if (link.pathname !== location.pathname || !document.querySelector('[data-list-page]')) return href;
  const owner = source.closest('[data-panel]')?.dataset.panel;
  const owns = name => owner !== undefined && name.startsWith(`${owner}.`);
  const now = new URLSearchParams(location.search);
  const query = new URLSearchParams();
  const opens = link.searchParams.has(`${owner}.selected`) || link.searchParams.has(`${owner}.new`);
  const sheets = (document.querySelector('[data-sheets]')?.dataset.sheets ?? '').split(' ').filter(name => name && name !== owner);
  const shut = name => opens && sheets.includes(owner) && sheets.some(other => name === `${other}.selected` || name === `${other}.new`);
  const closes = source.closest('[data-closes]')?.dataset.closes;
  // What is checked is so until it is unchecked, whatever else becomes of the table.
  const keeps = name => name === `${owner}.checked` && !source.closest('[data-unchecks]');
  for (const [name, value] of now) {
    if ((!owns(name) || keeps(name)) && !service.has(name) && !shut(name) && !(name === 'open' && value === closes)) query.append(name, value);
  }
  for (const [name, value] of link.searchParams) {
    if ((owns(name) && !keeps(name)) || service.has(name)) query.append(name, value);
  }
  const text = query.toString();
  return link.pathname + (text ? `?${text}` : '');
}

document.addEventListener('htmx:configRequest', event => {
  const { detail } = event;
  if (!document.querySelector('[data-list-page]') || new URL(detail.path, location.href).pathname !== location.pathname) return;
  const owner = detail.elt.closest('[data-panel]')?.dataset.panel;
  detail.path = current(detail.path, detail.elt);
  if (detail.verb !== 'get') return;
  for (const name of [...detail.formData.keys()]) {
    if (!(owner !== undefined && name.startsWith(`${owner}.`)) && !service.has(name)) detail.formData.delete(name);
  }
  // What the form says of its panel takes the place of what the address says of it.
  const url = new URL(detail.path, location.href);
  for (const name of [...url.searchParams.keys()]) {
    if ([...detail.formData.keys()].includes(name)) url.searchParams.delete(name);
  }
  detail.path = url.pathname + url.search;
});
