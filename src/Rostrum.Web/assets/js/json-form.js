// [data-json-form]: a JSON text whose members are known, as a form. The text area keeps the text; members that the form does not know stay.
import { whenLoaded } from './loaded.js';

function parsed(text) {
  if (!text.trim()) return {};
  try {
    const value = JSON.parse(text);
    return value && typeof value === 'object' && !Array.isArray(value) ? value : null;
  } catch {
    return null;
  }
}

const made = (tag, properties, ...children) => {
  const element = Object.assign(document.createElement(tag), properties);
  element.append(...children);
  return element;
};

// What is typed, as the member has it; undefined for nothing.
function valueOf(member, input) {
  const typed = input.value.trim();
  if (!typed) return undefined;
  if (member.kind === 'yesNo') return typed === 'true';
  if (member.kind === 'texts') return typed.split('\n').map(line => line.trim()).filter(Boolean);
  if (member.kind === 'number' || member.kind === 'integer') return /^-?\d+([.,]\d+)?$/.test(typed) ? Number(typed.replace(',', '.')) : typed;
  if (member.kind === 'any') {
    try {
      return JSON.parse(typed);
    } catch {
      return typed;
    }
  }
  return typed;
}

function textOf(member, value) {
  if (value === undefined || value === null) return '';
  if (member.kind === 'texts' && Array.isArray(value)) return value.join('\n');
  return typeof value === 'string' ? value : JSON.stringify(value);
}

function inputFor(member, id) {
  if (member.kind === 'choice') return made('select', { id, className: 'form-select' }, new Option('', ''), ...member.options.map(option => new Option(option, option)));
  if (member.kind === 'yesNo') return made('select', { id, className: 'form-select' }, new Option('', ''), new Option('Yes', 'true'), new Option('No', 'false'));
  if (member.kind === 'texts' || member.kind === 'any') return made('textarea', { id, className: `form-control${member.kind === 'any' ? ' mono' : ''}`, rows: 2, placeholder: member.kind === 'texts' ? 'one a line' : 'JSON' });
  const input = made('input', { id, className: 'form-control', type: 'text', autocomplete: 'off' });
  if (member.kind === 'number' || member.kind === 'integer') input.inputMode = 'decimal';
  if (member.kind === 'date') input.placeholder = '2026-03-01';
  return input;
}

// A value that an input cannot show, such as another option, is shown as one more.
function show(input, text) {
  if (input.tagName === 'SELECT' && ![...input.options].some(option => option.value === text)) input.append(new Option(text, text));
  input.value = text;
}

function fields(members, value, change, id) {
  return members.map((member, at) => {
    const own = `${id}-${at}`;
    const label = member.required ? `${member.label} (required)` : member.label;
    if (member.kind === 'object') {
      const inner = value[member.name] && typeof value[member.name] === 'object' ? value[member.name] : {};
      return made('fieldset', {}, made('legend', { textContent: label }), ...fields(member.members, inner, () => {
        if (Object.keys(inner).length > 0) value[member.name] = inner;
        else delete value[member.name];
        change();
      }, own));
    }
    const input = inputFor(member, own);
    show(input, textOf(member, value[member.name]));
    input.addEventListener('input', event => {
      event.stopPropagation();
      const typed = valueOf(member, input);
      if (typed === undefined) delete value[member.name];
      else value[member.name] = typed;
      change();
    });
    input.addEventListener('change', event => event.stopPropagation());
    return made('div', { className: 'field' }, made('label', { htmlFor: own, textContent: label }), input);
  });
}

function edit(box) {
  if (box.dataset.ready) return;
  box.dataset.ready = 'yes';
  const area = box.querySelector('textarea');
  const toggle = box.querySelector('[data-json-text]');
  const members = JSON.parse(box.dataset.jsonForm);
  let form = null;
  function asForm() {
    const value = parsed(area.value);
    form?.remove();
    form = null;
    area.hidden = value !== null;
    toggle.hidden = false;
    toggle.textContent = value === null ? 'Edit as a form' : 'Edit as text';
    if (value === null) return;
    const change = () => {
      area.value = Object.keys(value).length > 0 ? JSON.stringify(value, null, 2) : '';
      area.dispatchEvent(new Event('input', { bubbles: true }));
    };
    form = made('div', { className: 'json-members', role: 'group' }, ...fields(members, value, change, `${area.id}-member`));
    form.setAttribute('aria-label', area.labels?.[0]?.textContent.trim() ?? 'Members');
    area.after(form);
  }
  toggle.addEventListener('click', () => {
    if (!form) {
      asForm();
      if (!form) area.setCustomValidity('');
      (form?.querySelector('input, select, textarea') ?? area).focus();
      return;
    }
    form.remove();
    form = null;
    area.hidden = false;
    toggle.textContent = 'Edit as a form';
    area.focus();
  });
  area.addEventListener('restored', asForm);
  asForm();
}

const find = root => {
  for (const box of root.querySelectorAll('[data-json-form]')) edit(box);
};

whenLoaded(find);
find(document);
