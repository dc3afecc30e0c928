// Sends bad requests of all kinds: none may be answered by a fault of the server's. requests.mjs ADDRESS
import { Visitor, formsOf } from './visitor.mjs';

const [address] = process.argv.slice(2);
const bad = ['', ' ', '\0', '%', "'", '"', '<b>', '../..', '-1', '0', '99999999999999999999', '1e309', 'NaN', 'ü', '🚢', '\ud800', '=1/0', '=', '${', '[', '{"a":', 'null', '2026-02-30', 'x'.repeat(5000), "'; DROP TABLE defects; --", '\r\nX: y', '00000000-0000-0000-0000-000000000000'];
const counts = new Map();
const faults = [];

function note(what, { status, text }) {
  counts.set(status, (counts.get(status) ?? 0) + 1);
  if (status >= 500 || status === 0) faults.push(`${status} ${what} ${text.slice(0, 200).replace(/\s+/g, ' ')}`);
}

const encoded = text => {
  try {
    return encodeURIComponent(text);
  } catch {
    return '%ED%A0%80';
  }
};

async function queries(visitor, path, names) {
  for (const name of names) {
    for (const value of bad) note(`GET ${path}?${name}=${encoded(value)}`, await visitor.ask(`${path}${path.includes('?') ? '&' : '?'}${name}=${encoded(value)}`));
  }
}

// Each field of each form bad in turn; then the form without it, and one sent as what it is not.
async function forms(visitor, path) {
  const { text } = await visitor.ask(path);
  for (const form of formsOf(text).filter(form => form.method === 'POST' && !form.action.includes('handler=Out'))) {
    const sound = form.fields.map(({ name, value }) => [name, value]);
    const action = form.action.startsWith('/') ? form.action : `${path.split('?')[0]}${form.action}`;
    for (const { name, type } of form.fields) {
      if (name === '__RequestVerificationToken' || type === 'file') continue;
      const rest = sound.filter(([other]) => other !== name);
      for (const value of bad.filter((_, at) => at % 3 === name.length % 3)) note(`POST ${action} ${name}`, await visitor.post(action, [...rest, [name, value]]));
      note(`POST ${action} without ${name}`, await visitor.post(action, rest));
    }
    note(`PUT ${action}`, await visitor.ask(action, { method: 'PUT', body: new URLSearchParams(sound) }));
    note(`POST ${action} as JSON`, await visitor.ask(action, { method: 'POST', body: '{', headers: { 'content-type': 'application/json' } }));
    note(`POST ${action} to no handler`, await visitor.post(action.replace(/handler=\w+/, 'handler=Nobody'), sound));
  }
}

const nobody = new Visitor(address);
const maren = await new Visitor(address).signIn('maren');
const bea = await new Visitor(address).signIn('bea');

await queries(nobody, '/sign-in', ['returnUrl', 'handler']);
await forms(nobody, '/sign-in');
for (const value of bad) note(`GET /${encoded(value)}`, await nobody.ask(`/${encoded(value)}`));

const state = ['handler', 'panel', 'defects.page', 'defects.sort', 'defects.selected', 'defects.search', 'defects.is.state', 'defects.from.due', 'defects.to.due', 'defects.is.vessel', 'defects.checked', 'defects.new', 'defects.after', 'open', 'x.y.z'];
await queries(maren, '/apps/maintenance/defects', state);
await queries(maren, '/apps/maintenance/defect', ['defect', 'handler']);
for (const handler of ['Lookup', 'Choices', 'Image', 'Download', 'Filter', 'Rows', 'Version', 'Bulk']) await queries(maren, `/apps/maintenance/defects?panel=defects&handler=${handler}`, ['field', 'record', 'q', 'does']);
for (const path of ['/apps/maintenance/defects?defects.selected=1', '/apps/maintenance/defects?defects.new=1', '/apps/maintenance/today', '/apps/timetable/timetable_changes']) await forms(maren, path);

const source = (await bea.ask('/build')).text.match(/\/build\/sources\/[0-9a-f]{32}/)[0];
const table = (await bea.ask(source)).text.match(/\/build\/sources\/[0-9a-f]{32}\/[0-9a-f-]{32,36}/)[0];
await queries(bea, source, ['field', 'page', 'only']);
await queries(bea, `${table}/access`, ['role', 'person', 'record']);
await queries(bea, '/build/apps/maintenance/pages/defects', ['panel', 'part', 'handler']);
await queries(bea, '/build/apps/new', ['starter', 'THE_REQUESTS', 'THE_STATE', 'name']);
await queries(bea, '/build/apps/maintenance/versions', ['from', 'to']);
for (const path of [`${table}`, `${table}?field=name`, `${table}/rules/new`, `${table}/names`, `${table}/relations`, `${table}/access?role=clerk`, `${table}/computed`, '/build/sources/new', '/build/apps/new?starter=requests', '/build/apps/maintenance', '/try/maintenance/defects?defects.selected=1']) await forms(bea, path);

const total = [...counts.values()].reduce((sum, count) => sum + count, 0);
console.log(`${total} bad requests: ${[...counts].sort(([one], [other]) => one - other).map(([status, count]) => `${count} × ${status}`).join(', ')}`);
for (const fault of faults.slice(0, 40)) console.log(fault);
process.exitCode = faults.length === 0 ? 0 : 1;
