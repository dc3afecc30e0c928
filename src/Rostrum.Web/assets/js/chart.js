// [data-chart]: a chart's marks say what they stand for, lead to their records, and are reached by the arrow keys. The drawing can be saved.
import htmx from 'htmx.org/dist/htmx.esm.js';
import { current } from './address.js';
import { swallowClick } from './drawing.js';
import { whenLoaded } from './loaded.js';

let tip;
let openedFrom;

const charts = '[data-chart], [data-timeline]';
const marksOf = chart => [...chart.querySelectorAll('.chart .mark')];

// One mark of a chart is in the order of the Tab key; from it the arrows go on.
function ready(root) {
  for (const chart of root.querySelectorAll(charts)) {
    const marks = marksOf(chart);
    if (!marks.some(mark => mark.tabIndex === 0)) marks[0]?.setAttribute('tabindex', '0');
    for (const mark of marks) if (!mark.hasAttribute('href')) mark.setAttribute('role', 'img');
  }
}

whenLoaded(ready);
ready(document);

function show(mark) {
  tip ??= document.body.appendChild(Object.assign(document.createElement('div'), { className: 'chart-tip', ariaHidden: 'true' }));
  tip.textContent = mark.getAttribute('aria-label');
  tip.hidden = false;
  const box = (mark.querySelector('rect, path, circle') ?? mark).getBoundingClientRect();
  const { width, height } = tip.getBoundingClientRect();
  const left = Math.min(Math.max(4, box.left + box.width / 2 - width / 2), innerWidth - width - 4);
  const top = box.top - height - 6 > 4 ? box.top - height - 6 : Math.min(box.top + 12, innerHeight - height - 4);
  Object.assign(tip.style, { left: `${left}px`, top: `${top}px` });
}

const hide = () => { if (tip) tip.hidden = true; };

for (const event of ['pointerover', 'focusin']) {
  document.addEventListener(event, ({ target }) => {
    const mark = target.closest?.('.chart .mark');
    if (mark) show(mark);
    else if (event === 'pointerover') hide();
  });
}
document.addEventListener('focusout', hide);
document.addEventListener('scroll', hide, true);

document.addEventListener('keydown', event => {
  const mark = event.target.closest?.('.chart .mark');
  if (!mark) return;
  if (event.altKey) return;
  if (event.shiftKey && brushByKey(event, mark)) return;
  const marks = marksOf(mark.closest(charts));
  const at = marks.indexOf(mark);
  const to = { ArrowRight: at + 1, ArrowDown: at + 1, ArrowLeft: at - 1, ArrowUp: at - 1, Home: 0, End: marks.length - 1 }[event.key];
  if (to === undefined) return;
  event.preventDefault();
  const next = marks[Math.min(Math.max(to, 0), marks.length - 1)];
  mark.setAttribute('tabindex', '-1');
  next.setAttribute('tabindex', '0');
  next.focus();
});

// A mark's records open beside the chart; a point leads to its record.
document.addEventListener('click', event => {
  const mark = event.target.closest?.('[data-chart] .chart a.mark[href]');
  if (!mark || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey) return;
  if (mark.dataset.leads !== undefined || new URL(mark.getAttribute('href'), location).pathname !== location.pathname) return;
  event.preventDefault();
  const chart = mark.closest('[data-chart]');
  openedFrom = { chart: chart.id, mark: marksOf(chart).indexOf(mark) };
  hide();
  const href = current(mark.getAttribute('href'), mark);
  htmx.ajax('GET', href, { target: `#${chart.id}`, source: chart, swap: 'outerHTML', push: href });
});

document.addEventListener('htmx:afterSettle', event => {
  const chart = document.getElementById(event.detail.target?.id ?? '') ?? event.detail.elt;
  if (!chart?.matches?.('[data-chart], [data-opens-records]')) return;
  const opened = chart.querySelector('[data-opened]');
  if (opened) {
    if (!opened.contains(document.activeElement)) opened.focus();
  } else if (openedFrom?.chart === chart.id) {
    marksOf(chart)[openedFrom.mark]?.focus({ preventScroll: true });
    openedFrom = undefined;
  }
});

// The drawing as it is seen, its colours with it.
const drawn = ['fill', 'fill-opacity', 'stroke', 'stroke-width', 'stroke-dasharray', 'stroke-linejoin', 'opacity', 'font-family', 'font-size', 'text-anchor', 'display', 'paint-order'];

function drawing(chart) {
  const area = chart.querySelector('.chart').getBoundingClientRect();
  const whole = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
  const margin = 12;
  const size = { width: area.width + margin * 2, height: area.height + margin * 2 };
  Object.entries({ xmlns: 'http://www.w3.org/2000/svg', ...size, viewBox: `0 0 ${size.width} ${size.height}` }).forEach(([name, value]) => whole.setAttribute(name, value));
  const ground = whole.appendChild(document.createElementNS('http://www.w3.org/2000/svg', 'rect'));
  Object.entries({ ...size, fill: getComputedStyle(document.documentElement).getPropertyValue('--sheet') }).forEach(([name, value]) => ground.setAttribute(name, value));
  for (const part of chart.querySelectorAll('.chart > svg, .chart-plot > svg')) {
    const box = part.getBoundingClientRect();
    const copy = part.cloneNode(true);
    const from = [part, ...part.querySelectorAll('*')];
    [copy, ...copy.querySelectorAll('*')].forEach((element, at) => {
      const style = getComputedStyle(from[at]);
      for (const name of drawn) element.setAttribute(name, style.getPropertyValue(name));
      for (const name of ['class', 'href', 'tabindex', 'aria-label', 'aria-hidden']) element.removeAttribute(name);
    });
    for (const [name, value] of Object.entries({ x: box.left - area.left + margin, y: box.top - area.top + margin, width: box.width, height: box.height })) copy.setAttribute(name, value);
    whole.append(copy);
  }
  return { text: new XMLSerializer().serializeToString(whole), ...size };
}

function save(blob, name) {
  const link = Object.assign(document.createElement('a'), { href: URL.createObjectURL(blob), download: name });
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

document.addEventListener('click', async event => {
  const button = event.target.closest('[data-save-chart]');
  if (!button) return;
  const chart = button.closest('[data-chart]');
  const { text, width, height } = drawing(chart);
  const kind = button.dataset.saveChart;
  const file = new Blob([text], { type: 'image/svg+xml' });
  if (kind === 'svg') return save(file, `${chart.dataset.panel}.svg`);
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
  await picture.decode();
  const canvas = Object.assign(document.createElement('canvas'), { width: width * 2, height: height * 2 });
  canvas.getContext('2d').drawImage(picture, 0, 0, canvas.width, canvas.height);
  canvas.toBlob(blob => save(blob, `${chart.dataset.panel}.png`), 'image/png');
});

// [data-days]: drawing across the groups sets the range input that the chart names, from the first day to the last.
let brush;

// The group below the pointer, by its number.
function groupAt(plot, days, x) {
  const box = plot.getBoundingClientRect();
  return Math.min(Math.max(Math.floor(((x - box.left) / box.width) * (days.length - 1)), 0), days.length - 2);
}

function begin(plot, days, from) {
  const frame = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
  frame.setAttribute('class', 'chart-brush');
  return { plot, days, from, to: from, frame };
}

function widen(to) {
  const { days, from, frame } = brush;
  brush.to = to;
  const [first, last] = [Math.min(from, to), Math.max(from, to)];
  const share = 100 / (days.length - 1);
  for (const [name, value] of Object.entries({ x: `${first * share}%`, width: `${(last - first + 1) * share}%`, y: 0, height: '100%' })) frame.setAttribute(name, value);
}

document.addEventListener('pointerdown', event => {
  const plot = event.target.closest?.('.chart-plot[data-days]');
  if (!plot || !plot.dataset.days || event.button !== 0) return;
  const days = plot.dataset.days.split(' ');
  brush = { ...begin(plot, days, groupAt(plot, days, event.clientX)), x: event.clientX };
});

document.addEventListener('pointermove', event => {
  if (brush?.x === undefined || (!brush.frame.isConnected && Math.abs(event.clientX - brush.x) < 8)) return;
  if (!brush.frame.isConnected) brush.plot.querySelector('svg').append(brush.frame);
  hide();
  getSelection().removeAllRanges();
  widen(groupAt(brush.plot, brush.days, event.clientX));
});

document.addEventListener('pointerup', () => {
  if (brush?.frame.isConnected) swallowClick();
  done();
});

function done() {
  if (!brush) return;
  const { plot, days, from, to, frame } = brush;
  brush = undefined;
  if (!frame.isConnected) return;
  frame.remove();
  const last = new Date(Date.parse(days[Math.max(from, to) + 1]) - 86_400_000).toISOString().slice(0, 10);
  setRange(plot.closest('[data-chart]').dataset.chart, days[Math.min(from, to)], last);
}

// The same by keys: Shift with an arrow widens the stretch from the mark in use; it is set when Shift is let go.
function brushByKey(event, mark) {
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  const plot = mark.closest('.chart-plot[data-days]');
  if (!step || !plot?.dataset.days) return false;
  event.preventDefault();
  const days = plot.dataset.days.split(' ');
  if (!brush) {
    const box = mark.getBoundingClientRect();
    const at = groupAt(plot, days, box.left + box.width / 2);
    brush = begin(plot, days, at);
    plot.querySelector('svg').append(brush.frame);
    hide();
    widen(at);
  } else {
    widen(Math.min(Math.max(brush.to + step, 0), days.length - 2));
  }
  return true;
}

document.addEventListener('keyup', event => {
  if (event.key === 'Shift' && brush?.frame.isConnected) done();
});

function setRange(input, from, until) {
  const panel = document.getElementById(`panel-${input}`);
  if (!panel) return;
  const query = new URLSearchParams({ [`${input}.from`]: from, [`${input}.to`]: until });
  const href = current(`${location.pathname}?${query}`, panel);
  htmx.ajax('GET', href, { source: panel, target: `#${panel.id}`, swap: 'outerHTML', push: href });
}
