// A formatted text. It stands over a [data-rich] text area, which keeps the text as HTML; a picture in it is a file by its hash: file:….
import { Editor } from '@tiptap/core';
import Image from '@tiptap/extension-image';
import { TableKit } from '@tiptap/extension-table';
import StarterKit from '@tiptap/starter-kit';

const prefix = 'file:';

function edit(area) {
  if (area.dataset.edited) return;
  area.dataset.edited = 'yes';
  const field = area.closest('[data-rich-field]');
  const tools = field.querySelector('[role="toolbar"]');
  const said = field.querySelector('[data-rich-said]');
  const small = new Map();

  // What is kept is the hash; what is shown is the picture that the record serves, or the one that was sent just now.
  const Picture = Image.extend({
    addNodeView() {
      return ({ node }) => {
        const dom = document.createElement('img');
        const hash = node.attrs.src?.startsWith(prefix) ? node.attrs.src.slice(prefix.length) : '';
        dom.src = small.get(hash) ?? (hash && field.dataset.richAddress ? field.dataset.richAddress + hash : '');
        dom.alt = node.attrs.alt ?? '';
        return { dom };
      };
    },
  }).configure({ inline: true });

  const holder = document.createElement('div');
  holder.className = 'rich-editor prose';
  area.before(holder);
  const editor = new Editor({
    element: holder,
    injectCSS: false,
    extensions: [StarterKit.configure({ heading: { levels: [2, 3] }, link: { openOnClick: false, defaultProtocol: 'https' } }), TableKit.configure({ table: { resizable: false } }), Picture],
    content: area.value,
    editorProps: {
      attributes: { role: 'textbox', 'aria-multiline': 'true', 'aria-label': area.getAttribute('aria-label'), ...area.getAttribute('aria-describedby') && { 'aria-describedby': area.getAttribute('aria-describedby') } },
      handlePaste: (_, event) => sendAll(event.clipboardData?.files),
      handleDrop: (_, event) => sendAll(event.dataTransfer?.files),
    },
    onUpdate: () => {
      area.value = editor.isEmpty ? '' : editor.getHTML();
      area.dispatchEvent(new Event('input', { bubbles: true }));
    },
    onTransaction: () => mark(),
  });
  area.hidden = true;
  tools.hidden = false;
  area.addEventListener('restored', () => editor.commands.setContent(area.value));
  area.labels?.[0]?.addEventListener('click', () => editor.commands.focus());

  const does = {
    bold: chain => chain.toggleBold(),
    italic: chain => chain.toggleItalic(),
    heading: chain => chain.toggleHeading({ level: 2 }),
    list: chain => chain.toggleBulletList(),
    numbers: chain => chain.toggleOrderedList(),
    quote: chain => chain.toggleBlockquote(),
    code: chain => chain.toggleCode(),
    table: chain => chain.insertTable({ rows: 3, cols: 3, withHeaderRow: true }),
    link: chain => {
      if (editor.isActive('link')) return chain.unsetLink();
      const address = window.prompt('Address', 'https://');
      return address ? chain.setLink({ href: address }) : chain;
    },
  };
  const names = { bold: 'bold', italic: 'italic', heading: 'heading', list: 'bulletList', numbers: 'orderedList', quote: 'blockquote', code: 'code', link: 'link' };

  function mark() {
    for (const tool of tools.querySelectorAll('[data-rich-does]')) {
      const name = names[tool.dataset.richDoes];
      if (name) tool.setAttribute('aria-pressed', String(editor.isActive(name)));
    }
  }

  tools.addEventListener('click', event => {
    const tool = event.target.closest('[data-rich-does]');
    if (tool) does[tool.dataset.richDoes](editor.chain().focus()).run();
  });

  tools.querySelector('input[type="file"]')?.addEventListener('change', event => {
    event.stopPropagation();
    sendAll(event.target.files);
    event.target.value = '';
  });

  function sendAll(files) {
    const pictures = [...files ?? []].filter(file => file.type.startsWith('image/'));
    for (const file of pictures) send(file);
    return pictures.length > 0;
  }

  async function send(file) {
    said.textContent = '';
    const answer = await fetch(`${field.dataset.richUpload}&name=${encodeURIComponent(file.name || 'pasted.png')}`, {
      method: 'POST',
      body: file,
      headers: { 'Content-Type': 'application/octet-stream', 'HX-Request': 'true', RequestVerificationToken: area.form.querySelector('[name="__RequestVerificationToken"]').value },
    }).catch(() => null);
    const sent = answer?.ok ? await answer.json() : {};
    if (!sent.file) {
      said.textContent = sent.problem ?? `“${file.name}” was not sent. Try again.`;
      return;
    }
    if (sent.small) small.set(sent.file.hash, sent.small);
    editor.chain().focus().setImage({ src: prefix + sent.file.hash, alt: sent.file.name }).run();
  }
}

export function editRich(root = document) {
  for (const area of root.querySelectorAll('textarea[data-rich]')) edit(area);
}
