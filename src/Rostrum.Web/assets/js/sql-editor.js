// An SQL text with colours and completion of the source's tables and columns; Ctrl+Enter runs it. It stands over a [data-sql] text area,
// which keeps the text; beside it, within the same form, [data-sql-tables] holds what there is to complete.
import { autocompletion, closeBrackets, closeBracketsKeymap, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { MySQL, PostgreSQL, SQLite, sql } from '@codemirror/lang-sql';
import { bracketMatching, syntaxHighlighting } from '@codemirror/language';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { classHighlighter } from '@lezer/highlight';

const dialects = { mysql: MySQL, postgres: PostgreSQL, sqlite: SQLite };

function edit(area) {
  if (area.dataset.edited) return;
  area.dataset.edited = 'yes';
  const form = area.closest('form');
  const schema = JSON.parse(form.querySelector('[data-sql-tables]')?.textContent ?? '{}');
  const run = () => (form.querySelector('[data-run]')?.click(), true);
  const view = new EditorView({
    state: EditorState.create({
      doc: area.value,
      extensions: [
        history(), bracketMatching(), closeBrackets(), autocompletion({ icons: false, tooltipClass: () => 'formula-offers' }),
        sql({ dialect: dialects[area.dataset.sql] ?? PostgreSQL, schema, upperCaseKeywords: true }),
        syntaxHighlighting(classHighlighter),
        keymap.of([{ key: 'Mod-Enter', run }, ...closeBracketsKeymap, ...completionKeymap, ...historyKeymap, ...defaultKeymap]),
        EditorView.lineWrapping,
        EditorView.cspNonce.of(document.querySelector('meta[name="style-nonce"]').content),
        EditorView.editorAttributes.of({ class: 'formula-editor sql-editor' }),
        EditorView.contentAttributes.of({ 'aria-label': area.getAttribute('aria-label') ?? 'SQL' }),
        EditorView.updateListener.of(update => {
          if (!update.docChanged) return;
          area.value = view.state.doc.toString();
          area.dispatchEvent(new Event('input', { bubbles: true }));
        }),
      ],
    }),
  });
  area.addEventListener('restored', () => view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: area.value } }));
  // Whoever was typing already goes on typing.
  const place = document.activeElement === area ? area.selectionStart : null;
  area.before(view.dom);
  area.hidden = true;
  if (place !== null) {
    view.focus();
    view.dispatch({ selection: { anchor: Math.min(place, view.state.doc.length) } });
  }
  // A pattern that is chosen takes the text's place, and can be taken back with Ctrl+Z.
  form.addEventListener('click', event => {
    const pattern = event.target.closest('[data-pattern]');
    if (!pattern) return;
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: pattern.dataset.pattern } });
    view.focus();
  });
}

export function editSql(root = document) {
  for (const area of root.querySelectorAll('textarea[data-sql]')) edit(area);
}

