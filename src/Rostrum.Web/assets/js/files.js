// [data-files]: a field's files. They are sent as soon as they are chosen, dropped or pasted; the record has them once it is saved.

const sending = new WeakMap();

const isPicture = file => /^image\/(png|jpeg|gif|webp|avif)$/.test(file.type);
const valueOf = box => box.querySelector('[data-files-value]');

function filesOf(box) {
  try {
    return JSON.parse(valueOf(box).value || '[]');
  } catch {
    return [];
  }
}

function keep(box, files) {
  const input = valueOf(box);
  input.value = files.length === 0 ? '' : JSON.stringify(files);
  input.dispatchEvent(new Event('input', { bubbles: true }));
  draw(box);
}

function say(box, text) {
  box.querySelector('[data-files-said]').textContent = text;
}

function sizeOf(bytes) {
  return bytes < 1024 ? `${bytes} bytes` : bytes < 1024 * 1024 ? `${Math.round(bytes / 1024)} KB` : `${(bytes / 1024 / 1024).toFixed(1)} MB`;
}

function item(box, kind, name) {
  const made = box.querySelector(`template[data-files-${kind}]`).content.firstElementChild.cloneNode(true);
  made.querySelector('.file-name').textContent = name;
  for (const named of made.querySelectorAll('[aria-label]')) named.setAttribute('aria-label', named.getAttribute('aria-label').replace('{name}', () => name));
  return made;
}

function kept(box, file, at, there) {
  const made = item(box, 'item', file.name);
  const [link, picture, icon, alt] = ['a', 'img', 'i', 'input'].map(part => made.querySelector(part));
  made.dataset.at = at;
  made.querySelector('.file-size').textContent = sizeOf(file.size);
  if (there) link.href = there;
  else link.removeAttribute('target');
  const small = isPicture(file) ? sending.get(box)?.small.get(file.hash) ?? (there ? `${there}&small=1` : null) : null;
  if (small) picture.src = small;
  (small ? icon : picture).remove();
  if (isPicture(file) && alt) alt.value = file.alt ?? '';
  else alt?.remove();
  return made;
}

function coming(box, one) {
  const made = item(box, 'coming', one.name);
  made.dataset.coming = one.id;
  made.querySelector('.problem').textContent = one.problem ?? '';
  made.querySelector(one.problem ? 'progress' : '.problem').remove();
  if (one.problem) Object.assign(made.querySelector('button'), { title: 'Dismiss', ariaLabel: `Dismiss ${one.name}` });
  return made;
}

// Those that are kept, then those that are on their way or were refused.
function draw(box) {
  const files = filesOf(box);
  const saved = JSON.parse(box.dataset.filesSaved ??= JSON.stringify(files.map(file => file.hash)));
  const address = file => (box.dataset.filesAddress && saved.includes(file.hash) ? box.dataset.filesAddress + file.hash : null);
  box.querySelector('.files').replaceChildren(
    ...files.map((file, at) => kept(box, file, at, address(file))),
    ...[...sending.get(box)?.coming ?? []].map(one => coming(box, one)),
  );
}

const settled = box => box.closest('form')?.dispatchEvent(new Event('files-settled'));

let counted = 0;

// A name that no other file of the field has: pictures from the clipboard are all called the same.
function nameFor(box, state, file) {
  const name = file.name || 'picture.png';
  const taken = new Set([...filesOf(box), ...state.coming].map(known => known.name));
  for (let number = 1; ; number += 1) {
    const known = number === 1 ? name : name.replace(/(\.[^.]*)?$/, end => `-${number}${end}`);
    if (!taken.has(known)) return known;
  }
}

function send(box, file, attached = () => {}) {
  const state = sending.get(box) ?? { coming: new Set(), small: new Map() };
  sending.set(box, state);
  const one = { id: counted += 1, name: nameFor(box, state, file), part: 0, problem: null, request: null };
  state.coming.add(one);
  const refuse = problem => {
    one.problem = problem;
    draw(box);
    say(box, problem);
    settled(box);
  };
  const megabytes = Number(box.dataset.filesMegabytes);
  if (file.size > megabytes * 1024 * 1024) return refuse(`“${one.name}” is larger than ${megabytes} MB.`);
  const request = one.request = new XMLHttpRequest();
  request.open('POST', `${box.dataset.files}&name=${encodeURIComponent(one.name)}`);
  request.setRequestHeader('Content-Type', 'application/octet-stream');
  request.setRequestHeader('RequestVerificationToken', box.closest('form').querySelector('[name="__RequestVerificationToken"]').value);
  request.setRequestHeader('HX-Request', 'true');
  request.upload.addEventListener('progress', event => {
    one.part = event.total ? event.loaded / event.total : 0;
    const bar = box.querySelector(`[data-coming="${one.id}"] progress`);
    if (bar) bar.value = one.part;
  });
  request.addEventListener('load', () => {
    let answer = {};
    try {
      answer = JSON.parse(request.responseText);
    } catch { /* no answer of ours */ }
    if (!answer.file) return refuse(answer.problem ?? `“${one.name}” was not taken: the server answered ${request.status}. Try again.`);
    state.coming.delete(one);
    if (answer.small) state.small.set(answer.file.hash, answer.small);
    const most = Number(box.dataset.filesMost);
    const files = filesOf(box).filter(known => known.hash !== answer.file.hash);
    keep(box, most === 1 ? [answer.file] : [...files, answer.file]);
    say(box, `${one.name} is attached.`);
    attached(answer.file);
    settled(box);
  });
  request.addEventListener('error', () => refuse(`“${one.name}” was not sent: the server does not answer. Try again.`));
  draw(box);
  request.send(file);
}

const boxOf = event => event.target.closest?.('[data-files]');

document.addEventListener('change', event => {
  const box = boxOf(event);
  if (!box) return;
  if (event.target.type === 'file') {
    for (const file of event.target.files) send(box, file);
    event.target.value = '';
    event.stopPropagation();
  } else if (event.target.matches('[data-files-alt]')) {
    const at = Number(event.target.closest('[data-at]').dataset.at);
    const input = valueOf(box);
    input.value = JSON.stringify(filesOf(box).map((file, place) => (place === at ? { ...file, alt: event.target.value.trim() || undefined } : file)));
    input.dispatchEvent(new Event('input', { bubbles: true }));
  }
}, true);

document.addEventListener('click', event => {
  const box = boxOf(event);
  if (!box) return;
  if (event.target.closest('[data-files-remove]')) {
    const at = Number(event.target.closest('[data-at]').dataset.at);
    keep(box, filesOf(box).filter((_, place) => place !== at));
    box.querySelector('input[type="file"]')?.focus();
  }
  const cancel = event.target.closest('[data-files-cancel]')?.closest('[data-coming]').dataset.coming;
  if (cancel) {
    const { coming } = sending.get(box);
    const one = [...coming].find(known => String(known.id) === cancel);
    one?.request?.abort();
    coming.delete(one);
    draw(box);
    settled(box);
  }
});

for (const name of ['dragenter', 'dragover', 'dragleave', 'drop']) {
  document.addEventListener(name, event => {
    const box = boxOf(event);
    if (!box || ![...event.dataTransfer?.types ?? []].includes('Files')) return;
    event.preventDefault();
    box.classList.toggle('over', name === 'dragenter' || name === 'dragover');
    if (name === 'drop') for (const file of event.dataTransfer.files) send(box, file);
  });
}

// Pasted into a form whose only field of files it can be meant for, or into that field.
document.addEventListener('paste', event => {
  const files = [...event.clipboardData?.files ?? []];
  const boxes = event.target.closest?.('form')?.querySelectorAll('[data-files]') ?? [];
  const box = boxOf(event) ?? (boxes.length === 1 ? boxes[0] : null);
  if (!box || files.length === 0) return;
  event.preventDefault();
  // In a text that shows pictures a pasted one stands where it was pasted.
  const area = event.target.closest('textarea[data-pictures]');
  for (const file of files) send(box, file, area && isPicture(file) ? kept => stand(area, kept) : undefined);
});

function stand(area, { name }) {
  area.setRangeText(`![](${encodeURIComponent(name)})`, area.selectionStart, area.selectionEnd, 'end');
  area.dispatchEvent(new Event('input', { bubbles: true }));
}

// A save waits for what is on its way, and is given up where that is refused.
const isComing = box => [...sending.get(box)?.coming ?? []].some(one => !one.problem);

document.addEventListener('htmx:confirm', event => {
  const form = event.detail.elt;
  if (event.detail.verb === 'get' || !form.matches?.('form')) return;
  const boxes = [...form.querySelectorAll('[data-files]')].filter(isComing);
  if (boxes.length === 0) return;
  event.preventDefault();
  say(boxes[0], 'Saved once the files are sent.');
  const wait = () => {
    if (boxes.some(isComing)) return;
    form.removeEventListener('files-settled', wait);
    if (form.isConnected && boxes.every(box => [...sending.get(box).coming].length === 0)) event.detail.issueRequest(true);
  };
  form.addEventListener('files-settled', wait);
});

function ready(root) {
  for (const box of root.querySelectorAll('[data-files]')) {
    draw(box);
    valueOf(box).addEventListener('restored', () => draw(box));
  }
}

document.addEventListener('htmx:load', event => ready(event.detail.elt.parentElement ?? document));
ready(document);
