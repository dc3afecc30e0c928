// The editors for Markdown and for formatted texts come only where there is a text for them.
const wanted = root => {
  if (root.querySelector?.('textarea[data-markdown]')) import('./markdown-editor.js').then(({ editMarkdown }) => editMarkdown(root));
  if (root.querySelector?.('textarea[data-rich]')) import('./rich-editor.js').then(({ editRich }) => editRich(root));
};

wanted(document);
document.addEventListener('htmx:load', event => wanted(event.detail.elt.parentElement ?? event.detail.elt));
