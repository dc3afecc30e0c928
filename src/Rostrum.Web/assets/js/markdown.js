// The editor for Markdown comes only where there is a text for it.
const wanted = root => root.querySelector?.('textarea[data-markdown]') && import('./markdown-editor.js').then(({ editMarkdown }) => editMarkdown(root));

wanted(document);
document.addEventListener('htmx:load', event => wanted(event.detail.elt.parentElement ?? event.detail.elt));
