// [data-note]: the form of a note. It stands within the form of its record: what is typed into it is no change of that. @ offers colleagues.
const pause = 150;
let offered = null;

function beginning(area) {
  const found = /(?:^|[^\p{L}\p{N}])@([\p{L}\p{N}][\p{L}\p{N} .'-]{0,40}|)$/u.exec(area.value.slice(0, area.selectionStart));
  return found?.[1] ?? null;
}

function close() {
  offered?.list.remove();
  offered?.area.removeAttribute('aria-controls');
  offered?.area.removeAttribute('aria-activedescendant');
  offered = null;
}

function choose(at) {
  offered.at = (at + offered.names.length) % offered.names.length;
  [...offered.list.children].forEach((option, place) => option.setAttribute('aria-selected', String(place === offered.at)));
  offered.area.setAttribute('aria-activedescendant', offered.list.children[offered.at].id);
}

function insert(name) {
  const { area } = offered;
  const typed = beginning(area) ?? '';
  const end = area.selectionStart;
  area.setRangeText(`${name} `, end - typed.length, end, 'end');
  close();
  area.dispatchEvent(new Event('input', { bubbles: true }));
  area.focus();
}

function show(area, names) {
  close();
  if (names.length === 0) return;
  const list = document.createElement('ul');
  Object.assign(list, { className: 'mention-offers', id: `${area.id}-offers`, role: 'listbox', ariaLabel: 'Colleagues' });
  list.append(...names.map((name, at) => Object.assign(document.createElement('li'), { id: `${area.id}-offer-${at}`, role: 'option', textContent: name })));
  list.addEventListener('pointerdown', event => {
    event.preventDefault();
    if (event.target.matches('[role="option"]')) insert(event.target.textContent);
  });
  area.after(list);
  area.setAttribute('aria-controls', list.id);
  offered = { area, list, names, at: 0 };
  choose(0);
}

let asked = 0;

async function offer(area) {
  const typed = beginning(area);
  const turn = asked += 1;
  if (typed === null) return close();
  await new Promise(done => setTimeout(done, pause));
  if (turn !== asked) return;
  const answer = await fetch(area.dataset.mentions + encodeURIComponent(typed), { headers: { 'HX-Request': 'true' } }).catch(() => null);
  if (turn !== asked || beginning(area) !== typed) return;
  show(area, answer?.ok ? (await answer.json()).filter(name => name !== typed.trim()) : []);
}

function reply(form, id, by) {
  form.querySelector('[data-note-reply]').value = id;
  const line = form.querySelector('[data-note-replying]');
  line.hidden = !id;
  line.querySelector('span').textContent = by;
}

document.addEventListener('click', event => {
  const answer = event.target.closest?.('[data-note-answer]');
  if (answer) {
    const form = answer.closest('[data-logbook]').querySelector('[data-note]');
    const area = form.querySelector('textarea');
    const quoted = answer.dataset.noteText.split('\n').map(line => `> ${line}`).join('\n');
    reply(form, answer.dataset.noteAnswer, answer.dataset.noteBy);
    area.value = `${quoted}\n\n${area.value}`;
    area.dispatchEvent(new Event('input', { bubbles: true }));
    area.focus();
    area.setSelectionRange(area.value.length, area.value.length);
  }
  const not = event.target.closest?.('[data-note-unreply]');
  if (not) reply(not.closest('[data-note]'), '', '');
});

function ready(root) {
  for (const form of root.querySelectorAll('[data-note]:not([data-ready])')) {
    form.dataset.ready = '';
    const area = form.querySelector('textarea');
    form.addEventListener('input', event => {
      event.stopPropagation();
      if (event.target === area) offer(area);
    });
    form.addEventListener('change', event => event.stopPropagation());
    area.addEventListener('blur', close);
    area.addEventListener('keydown', event => {
      if ((event.ctrlKey || event.metaKey) && event.key === 'Enter') {
        event.preventDefault();
        form.requestSubmit();
      } else if (offered && ['ArrowDown', 'ArrowUp'].includes(event.key)) {
        event.preventDefault();
        choose(offered.at + (event.key === 'ArrowDown' ? 1 : -1));
      } else if (offered && ['Enter', 'Tab'].includes(event.key)) {
        event.preventDefault();
        insert(offered.names[offered.at]);
      } else if (offered && event.key === 'Escape') {
        event.stopPropagation();
        close();
      }
    });
  }
}

document.addEventListener('htmx:load', event => ready(event.detail.elt.parentElement ?? document));
ready(document);
