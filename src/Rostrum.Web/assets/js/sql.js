// The SQL editor comes only where there is a text for it.
const wanted = root => root.querySelector?.('textarea[data-sql]') && import('./sql-editor.js').then(({ editSql }) => editSql(root));

wanted(document);
document.addEventListener('htmx:load', event => wanted(event.detail.elt));
