// A text in Markdown with colours, a toolbar and a preview. It stands over a [data-markdown] text area, which keeps the text.
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { markdown } from '@codemirror/lang-markdown';
import { syntaxHighlighting } from '@codemirror/language';
import { EditorSelection, EditorState } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { classHighlighter } from '@lezer/highlight';

const pause = 300;

// Put around what is chosen, or taken away where it is there.
function around(view, mark) {
  view.dispatch(view.state.changeByRange(range => {
    const { from, to } = range;
    // At the end of what was set apart one goes on behind it.
    if (range.empty && view.state.sliceDoc(to, to + mark.length) === mark && view.state.sliceDoc(from - mark.length, from) !== mark) {
      return { range: EditorSelection.cursor(to + mark.length) };
    }
    const [before, after] = [view.state.sliceDoc(from - mark.length, from), view.state.sliceDoc(to, to + mark.length)];
    return before === mark && after === mark
      ? { changes: [{ from: from - mark.length, to: from }, { from: to, to: to + mark.length }], range: EditorSelection.range(from - mark.length, to - mark.length) }
      : { changes: [{ from, insert: mark }, { from: to, insert: mark }], range: EditorSelection.range(from + mark.length, to + mark.length) };
  }));
  return true;
}

// Before each line that is chosen.
function before(view, markOf) {
  const { from, to } = view.state.selection.main;
  const changes = [];
  for (let at = view.state.doc.lineAt(from), number = 0; ; at = view.state.doc.line(at.number + 1), number += 1) {
    changes.push({ from: at.from, insert: markOf(number) });
    if (at.to >= to) break;
  }
  view.dispatch({ changes });
  return true;
}

function link(view) {
  const { from, to } = view.state.selection.main;
  const text = view.state.sliceDoc(from, to) || 'text';
  view.dispatch({ changes: { from, to, insert: `[${text}](https://)` }, selection: { anchor: from + text.length + 3, head: from + text.length + 11 } });
  return true;
}

const does = {
  bold: view => around(view, '**'),
  italic: view => around(view, '*'),
  code: view => around(view, '`'),
  link,
  list: view => before(view, () => '- '),
  numbers: view => before(view, number => `${number + 1}. `),
  quote: view => before(view, () => '> '),
};

function edit(area) {
  if (area.dataset.edited) return;
  area.dataset.edited = 'yes';
  const field = area.closest('[data-markdown-field]');
  const [tools, preview] = ['.markdown-tools', '.markdown-preview'].map(part => field.querySelector(part));
  const view = new EditorView({
    state: EditorState.create({
      doc: area.value,
      extensions: [
        history(), markdown(), syntaxHighlighting(classHighlighter),
        keymap.of([{ key: 'Mod-b', run: does.bold }, { key: 'Mod-i', run: does.italic }, ...historyKeymap, ...defaultKeymap]),
        EditorView.lineWrapping,
        EditorView.cspNonce.of(document.querySelector('meta[name="style-nonce"]').content),
        EditorView.editorAttributes.of({ class: 'formula-editor markdown-editor' }),
        EditorView.contentAttributes.of({ 'aria-label': area.getAttribute('aria-label'), 'aria-multiline': 'true', spellcheck: 'true', 'aria-describedby': area.getAttribute('aria-describedby') ?? '' }),
        EditorView.updateListener.of(update => {
          if (!update.docChanged) return;
          area.value = view.state.doc.toString();
          area.dispatchEvent(new Event('input', { bubbles: true }));
          show();
        }),
      ],
    }),
  });
  const take = () => area.value !== view.state.doc.toString() && view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: area.value } });
  area.addEventListener('restored', take);
  const place = document.activeElement === area ? area.selectionStart : null;
  area.before(view.dom);
  area.hidden = true;
  tools.hidden = false;
  area.labels?.[0]?.addEventListener('click', () => view.focus());
  if (place !== null) {
    view.focus();
    view.dispatch({ selection: { anchor: Math.min(place, view.state.doc.length) } });
  }
  tools.addEventListener('click', event => {
    const tool = event.target.closest('[data-markdown-does]');
    if (!tool) return;
    does[tool.dataset.markdownDoes](view);
    view.focus();
  });
  const toggle = tools.querySelector('[data-markdown-preview]');
  toggle?.addEventListener('click', () => {
    preview.hidden = !preview.hidden;
    toggle.setAttribute('aria-pressed', String(!preview.hidden));
    show();
  });
  let waits;
  let asked = 0;
  function show() {
    clearTimeout(waits);
    if (!preview.hidden) waits = setTimeout(ask, pause);
  }
  async function ask() {
    const turn = asked += 1;
    const body = new URLSearchParams({ text: area.value, __RequestVerificationToken: area.form.querySelector('[name="__RequestVerificationToken"]').value });
    const answer = await fetch('/markdown', { method: 'POST', body, headers: { 'HX-Request': 'true' } }).catch(() => null);
    if (turn !== asked) return;
    // The server's own mark-up, in which nothing runs.
    if (answer?.ok) preview.innerHTML = await answer.text();
    else preview.textContent = 'The preview is not there: the server does not answer.';
  }
}

export function editMarkdown(root = document) {
  for (const area of root.querySelectorAll('textarea[data-markdown]')) edit(area);
}
