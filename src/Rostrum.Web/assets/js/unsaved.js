// [data-unsaved]: a form whose text is kept until it is saved, by the server and, where that does not answer, by this tab. When the form is opened
// again, what was typed is offered.
import htmx from 'htmx.org/dist/htmx.esm.js';

const pause = 700;
const timers = new Map();
// How each form stood when it came.
const begun = new WeakMap();
const shelf = name => `unsaved:${name}`;
// Whether there is something to give up, which this tab has kept.
const mark = name => `unsaved-kept:${name}`;
const sentName = 'unsaved-sent';

const marked = 'form[data-unsaved]:not([data-unsaved=""])';
const formOf = name => document.querySelector(`form[data-unsaved="${CSS.escape(name)}"]`);
const isKept = input => input.name && !input.name.startsWith('__') && !['password', 'file', 'submit', 'button'].includes(input.type);
const hasProblem = form => form.querySelector('[aria-invalid="true"], .is-invalid, .alert-danger, .problem') !== null;

function valuesOf(form) {
  const values = {};
  for (const input of form.elements) {
    if (!isKept(input)) continue;
    values[input.name] ??= [];
    if (!['checkbox', 'radio'].includes(input.type) || input.checked) values[input.name].push(input.value);
  }
  return values;
}

async function tell(form, name, values) {
  const place = form?.querySelector('[name="__RequestVerificationToken"]') ?? document.getElementById('unsaved-offer').content.querySelector('[name="__RequestVerificationToken"]');
  const token = place?.value ?? '';
  const body = new URLSearchParams({ form: name, values, __RequestVerificationToken: token });
  const answer = await fetch('/unsaved', { method: 'POST', body, headers: { 'HX-Request': 'true' }, keepalive: body.toString().length < 60000 });
  if (!answer.ok) throw new Error(String(answer.status));
}

async function keep(form) {
  const name = form.dataset.unsaved;
  timers.delete(name);
  const values = JSON.stringify(valuesOf(form));
  if (values === begun.get(form)) return;
  try {
    sessionStorage.setItem(mark(name), 'yes');
    await tell(form, name, values);
    sessionStorage.removeItem(shelf(name));
  } catch {
    // Whoever is no longer signed in, or is cut off, finds it in this tab.
    try {
      sessionStorage.setItem(shelf(name), values);
    } catch {
      // The tab keeps no more.
    }
  }
}

function drop(name, form) {
  if (form) begun.set(form, JSON.stringify(valuesOf(form)));
  clearTimeout(timers.get(name));
  timers.delete(name);
  sessionStorage.removeItem(shelf(name));
  if (sessionStorage.getItem(mark(name)) === null) return;
  sessionStorage.removeItem(mark(name));
  tell(form, name, '').catch(() => {});
}

function typed(event) {
  const form = event.target.closest?.(marked);
  if (!form || !isKept(event.target)) return;
  const name = form.dataset.unsaved;
  clearTimeout(timers.get(name));
  timers.set(name, setTimeout(() => form.isConnected && keep(form), pause));
}

// Before a form within another keeps it to itself.
document.addEventListener('input', typed, true);
document.addEventListener('change', typed, true);
addEventListener('pagehide', () => {
  for (const [name, timer] of timers) {
    clearTimeout(timer);
    const form = formOf(name);
    if (form) keep(form);
  }
});

// What is there already needs no offer.
function differs(form, values) {
  const now = valuesOf(form);
  return Object.entries(values).some(([name, value]) => name in now && !name.startsWith('o.') && JSON.stringify(now[name]) !== JSON.stringify(value));
}

// Those that are being saved: what is kept of them is no loss.
const sending = new Set();

async function offer(form) {
  if (begun.has(form) || sending.has(form.dataset.unsaved)) return;
  begun.set(form, JSON.stringify(valuesOf(form)));
  const name = form.dataset.unsaved;
  let kept = null;
  try {
    const answer = await fetch(`/unsaved?form=${encodeURIComponent(name)}`, { headers: { 'HX-Request': 'true' } });
    if (answer.status === 200) kept = await answer.json();
  } catch {
    // It is offered the next time.
  }
  const inTab = sessionStorage.getItem(shelf(name));
  if (inTab) kept = { at: null, values: JSON.parse(inTab) };
  if (kept) sessionStorage.setItem(mark(name), 'yes');
  if (!kept || !form.isConnected || form.dataset.typed === 'yes') return;
  if (hasProblem(form)) return;
  if (!differs(form, kept.values)) {
    drop(name, form);
    return;
  }
  const bar = document.getElementById('unsaved-offer').content.firstElementChild.cloneNode(true);
  bar.querySelector('[data-unsaved-at]').textContent = kept.at ? ` on ${kept.at}` : '';
  bar.querySelector('[data-unsaved-restore]').addEventListener('click', () => {
    bar.remove();
    restore(form, kept.values);
  });
  bar.querySelector('[data-unsaved-drop]').addEventListener('click', () => {
    bar.remove();
    drop(name, form);
  });
  (form.querySelector('.sheet-body, .form-fields') ?? form).prepend(bar);
}

function restore(form, values) {
  for (const [name, kept] of Object.entries(values)) {
    const inputs = [...form.elements].filter(input => input.name === name);
    inputs.forEach((input, at) => {
      if (['checkbox', 'radio'].includes(input.type)) input.checked = kept.includes(input.value);
      else if (input.tomselect) {
        const title = values[input.dataset.lookupTitle]?.[0];
        if (kept[at]) input.tomselect.addOption({ value: kept[at], text: title || kept[at] });
        input.tomselect.setValue(kept[at] ?? '', true);
      } else input.value = kept[at] ?? '';
    });
    for (const input of inputs) input.dispatchEvent(new Event('restored'));
    if (!name.startsWith('o.')) inputs[0]?.dispatchEvent(new Event('input', { bubbles: true }));
  }
  form.dataset.typed = 'yes';
  form.querySelector('input:not([type="hidden"]), textarea, select')?.focus();
  keep(form);
}

function offerAll(within = document) {
  for (const form of within.querySelectorAll(marked)) offer(form);
}

// Once it is saved there is nothing to keep: the answer shows the form without a problem, or without the form.
document.addEventListener('htmx:beforeRequest', event => {
  const form = event.detail.elt.closest?.(marked);
  const { verb, triggeringEvent } = event.detail.requestConfig;
  if (!form || verb === 'get' || (triggeringEvent?.type !== 'submit' && event.detail.elt.type !== 'submit')) return;
  const name = form.dataset.unsaved;
  clearTimeout(timers.get(name));
  keep(form);
  sending.add(name);
  event.detail.xhr.addEventListener('loadend', () => {
    const { status } = event.detail.xhr;
    if (status < 200 || status >= 300) return sending.delete(name);
    setTimeout(() => {
      sending.delete(name);
      const now = formOf(name);
      if (!now || !hasProblem(now)) drop(name, now);
    }, 100);
  });
});

document.addEventListener('submit', event => {
  const form = event.target.closest?.(marked);
  if (form && !event.defaultPrevented) sessionStorage.setItem(sentName, form.dataset.unsaved);
});

/** Somebody gave up what was typed into the forms within an element. */
export function discardWithin(element) {
  for (const form of element.querySelectorAll(marked)) drop(form.dataset.unsaved, form);
}

document.addEventListener('click', event => {
  const form = event.target.closest?.('[data-discard]')?.closest(marked);
  if (form) drop(form.dataset.unsaved, form);
});

const sent = sessionStorage.getItem(sentName);
sessionStorage.removeItem(sentName);
if (sent && !(formOf(sent) && hasProblem(formOf(sent)))) drop(sent, formOf(sent));
else offerAll();
htmx.onLoad(element => offerAll(element.parentElement ?? document));
