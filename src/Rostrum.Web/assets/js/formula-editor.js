// The formula editor: Rostrum's own words in colours, completion of names and functions, underlined problems, Ctrl+Enter to save.
// Beside it stand, within the same [data-formula], a list to insert from ([data-insert]) and the server's answer ([data-problem], [data-correct]).
import { autocompletion, closeBrackets, closeBracketsKeymap, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { bracketMatching, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { EditorState, StateEffect, StateField } from '@codemirror/state';
import { Decoration, EditorView, keymap } from '@codemirror/view';
import { classHighlighter } from '@lezer/highlight';

const words = StreamLanguage.define({
  name: 'formula',
  startState: () => ({ comment: false }),
  token(stream, state) {
    if (state.comment || stream.match('/*')) {
      state.comment = !stream.match(/.*?\*\//);
      if (state.comment) stream.skipToEnd();
      return 'comment';
    }
    if (stream.eatSpace()) return null;
    if (stream.match(/"(?:[^"]|"")*"?/)) return 'string';
    if (stream.match(/'(?:[^']|'')*'?/)) return 'variableName';
    if (stream.match(/\d+(?:\.\d+)?(?:[eE][+-]?\d+)?/)) return 'number';
    if (stream.match(/[\p{L}_][\p{L}\p{N}_]*(?=\s*\()/u)) return 'keyword';
    if (stream.match(/(?:TRUE|FALSE|BLANK)\b/i)) return 'atom';
    if (stream.match(/[\p{L}_][\p{L}\p{N}_]*/u)) return 'variableName';
    stream.next();
    return 'operator';
  },
});

const setProblems = StateEffect.define();
const problems = StateField.define({
  create: () => Decoration.none,
  update(marks, transaction) {
    const effect = transaction.effects.find(candidate => candidate.is(setProblems));
    if (!effect) return marks.map(transaction.changes);
    const length = transaction.state.doc.length;
    return Decoration.set(effect.value
      .map(({ start, length: size, message }) => ({ from: Math.min(start, Math.max(0, length - 1)), to: Math.min(Math.max(start + size, start + 1), length), message }))
      .filter(({ from, to }) => from < to)
      .map(({ from, to, message }) => Decoration.mark({ class: 'formula-problem', attributes: { title: message } }).range(from, to)), true);
  },
  provide: field => EditorView.decorations.from(field),
});

// After a choice and = or <>, what it can be: state = "op…".
function choicesAt(context, known) {
  const before = context.matchBefore(/([\p{L}\p{N}_.']+)\s*(=|<>)\s*("[^"]*)?/u);
  const [, name, operator] = before?.text.match(/^([\p{L}\p{N}_.']+)\s*(=|<>)/u) ?? [];
  const choices = known.get(name?.toLowerCase());
  if (!choices) return null;
  const start = before.from + before.text.indexOf(operator) + operator.length;
  const from = start + /^\s*/.exec(before.text.slice(start - before.from))[0].length;
  return {
    from,
    validFor: /^"?[^"]*$/,
    options: choices.map(({ value, label }) => ({
      label: `"${value.replaceAll('"', '""')}"`,
      type: 'text',
      detail: label === value ? undefined : label,
      // The quote that was closed by itself goes with what was typed.
      apply: (view, { label: written }, at, to) => {
        const end = view.state.sliceDoc(to, to + 1) === '"' ? to + 1 : to;
        view.dispatch({ changes: { from: at, to: end, insert: written }, selection: { anchor: at + written.length } });
      },
    })),
  };
}

function completion(text) {
  const offered = JSON.parse(text.closest('[data-formula]')?.querySelector('[data-formula-offers]')?.textContent ?? '[]');
  const choices = new Map(offered.filter(offer => offer.choices).map(offer => [offer.label.toLowerCase(), offer.choices]));
  const offers = offered.map(offer => ({
    label: offer.label,
    type: offer.kind,
    detail: offer.detail,
    info: offer.info ?? undefined,
    boost: offer.kind === 'name' ? 1 : 0,
    apply: offer.kind === 'function' ? (view, _, from, to) => view.dispatch({ changes: { from, to, insert: `${offer.label}()` }, selection: { anchor: from + offer.label.length + 1 } }) : undefined,
  }));
  return context => {
    const known = choicesAt(context, choices);
    if (known) return known;
    const word = context.matchBefore(/[\p{L}\p{N}_.']+/u);
    return word || context.explicit ? { from: word?.from ?? context.pos, options: offers, validFor: /^[\p{L}\p{N}_.']*$/u } : null;
  };
}

function shown(text) {
  const group = text.dataset.formulaText;
  return [...text.closest('[data-formula]').querySelectorAll('[data-problem]')].filter(found => found.dataset.problem === group)
    .map(found => ({ start: Number(found.dataset.start), length: Number(found.dataset.length), message: found.title || found.textContent.trim() }));
}

export function edit(text) {
  const isLine = text.tagName === 'INPUT';
  let told = text.defaultValue;
  let marked;
  const label = text.labels?.[0]?.textContent.trim() ?? text.getAttribute('aria-label') ?? 'Formula';
  const view = new EditorView({
    state: EditorState.create({
      doc: text.value,
      extensions: [
        keymap.of([
          { key: 'Mod-Enter', run: save },
          ...closeBracketsKeymap, ...completionKeymap,
          ...(isLine ? [{ key: 'Enter', run: save }] : []),
          ...historyKeymap, ...defaultKeymap,
        ]),
        history(), bracketMatching(), closeBrackets(), autocompletion({ override: [completion(text)], icons: false, tooltipClass: () => 'formula-offers' }),
        words, syntaxHighlighting(classHighlighter), problems, EditorView.lineWrapping,
        EditorView.editorAttributes.of({ class: isLine ? 'formula-editor formula-line' : 'formula-editor' }),
        ...(isLine ? [EditorState.transactionFilter.of(change => change.newDoc.lines > 1 ? [] : change)] : []),
        EditorView.contentAttributes.of({ 'aria-label': label, 'aria-multiline': String(!isLine), spellcheck: 'false', autocapitalize: 'none', ...(text.getAttribute('aria-describedby') && { 'aria-describedby': text.getAttribute('aria-describedby') }) }),
        EditorView.cspNonce.of(document.querySelector('meta[name="style-nonce"]').content),
        // As of any other input, a change is told once the attention goes elsewhere.
        EditorView.domEventHandlers({ blur: () => {
          if (text.value === told) return;
          told = text.value;
          text.dispatchEvent(new Event('change', { bubbles: true }));
        } }),
        EditorView.updateListener.of(update => {
          if (!update.docChanged && !update.selectionSet) return;
          const { from, to } = update.state.selection.main;
          if (update.docChanged) text.value = update.state.doc.toString();
          text.setSelectionRange(from, to);
          if (!update.docChanged) return;
          text.dispatchEvent(new Event('input', { bubbles: true }));
          // What was changed and changed back is not asked about again.
          if (text.value === marked) queueMicrotask(mark);
        }),
      ],
    }),
  });
  const typedInto = document.activeElement === text && { anchor: text.selectionStart, head: text.selectionEnd };
  text.hidden = true;
  text.after(view.dom);
  mark();
  if (text.autofocus || typedInto !== false) {
    // That the attention goes from the plain input to the editor is no change of the setting.
    const hush = event => event.stopImmediatePropagation();
    text.addEventListener('change', hush, true);
    view.focus();
    text.removeEventListener('change', hush, true);
  }
  if (typedInto !== false) view.dispatch({ selection: typedInto });
  text.addEventListener('restored', () => view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text.value } }));
  text.closest('[data-formula]').addEventListener('htmx:afterSettle', mark);
  text.closest('[data-formula]').addEventListener('click', act);

  function mark() {
    marked = text.value;
    if (text.isConnected) view.dispatch({ effects: setProblems.of(shown(text)) });
  }

  function act(event) {
    const button = event.target.closest('[data-insert], [data-correct]');
    if (!button || !text.isConnected || (button.dataset.of ?? '') !== text.dataset.formulaText) return;
    if (button.dataset.insert !== undefined) insert(button.dataset.insert);
    else replace(Number(button.dataset.start), Number(button.dataset.start) + Number(button.dataset.length), button.dataset.correct);
  }

  function save() {
    text.form.requestSubmit(text.form.querySelector('[data-formula-save]'));
    return true;
  }

  // A function is inserted with the caret between its brackets, around what was selected.
  function insert(piece) {
    const { from, to } = view.state.selection.main;
    const isFunction = piece.endsWith('()');
    const selected = view.state.sliceDoc(from, to);
    replace(from, to, isFunction ? `${piece.slice(0, -1)}${selected})` : piece, isFunction && !selected ? -1 : 0);
  }

  function replace(from, to, piece, back = 0) {
    view.dispatch({ changes: { from, to, insert: piece }, selection: { anchor: from + piece.length + back } });
    view.focus();
  }
}
