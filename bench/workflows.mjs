// What a guard adds to a save, and how long after a save its reaction begins: workflows.mjs ADDRESS HOW_MANY
// It adds records to the demo, with the demo's guard and reaction on and off. The database says when a record came and when a run's first
// step began: psql runs in the environment that ./rostrum bench sets.
import { execFileSync } from 'node:child_process';
import { Visitor, formsOf } from '../tests/chaos/visitor.mjs';

const [address, count] = process.argv.slice(2);
const maren = await new Visitor(address).signIn('maren');
const bea = await new Visitor(address).signIn('bea');
const median = numbers => [...numbers].sort((one, other) => one - other)[Math.floor(numbers.length / 2)];

async function turn(name, on) {
  const page = `/build/workflows/${name}/versions`;
  const form = formsOf((await bea.ask(page)).text).find(known => known.action.includes('handler=Turn'));
  await bea.post(`${page}?handler=Turn&on=${on}`, form.fields.map(({ name: field, value }) => [field, value]));
}

async function save(title, severity) {
  const form = formsOf((await maren.ask('/apps/maintenance/defects?defects.new=1')).text).find(known => known.tag.includes('data-form'));
  const fields = new Map(form.fields.filter(field => field.type !== 'checkbox').map(({ name, value }) => [name, value]));
  for (const [name, value] of [['v.title', title], ['v.vessel', 'BF-101'], ['v.severity', severity], ['v.state', 'open'], ['v.reported_by', 'Bench'], ['v.reported_at', ''], ['v.due', '2027-01-01'], ['v.description', '']]) fields.set(name, value);
  const began = performance.now();
  const answer = await maren.post(form.action, [...fields]);
  if (answer.status !== 302 && !answer.text.includes('added.')) throw new Error(`${answer.status} ${answer.text.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ').slice(-300)}`);
  return performance.now() - began;
}

const stamp = Date.now();
const times = { on: [], off: [] };
await turn('tell_the_signal_room_of_critical_defects', false);
for (let round = 0; round < Number(count); round++) {
  for (const state of ['on', 'off']) {
    if (round % 10 === 0) {
      await turn('no_second_open_defect', state === 'on');
      await save(`Bench ${stamp} warm ${state} ${round}`, 'minor');
    }
  }
  // In blocks of ten, so that each state is measured as often at each moment.
  const state = Math.floor(round / 10) % 2 === 0 ? 'on' : 'off';
  if (round % 10 === 0) await turn('no_second_open_defect', state === 'on');
  times[state].push(await save(`Bench ${stamp} ${state} ${round}`, 'minor'));
}
await turn('no_second_open_defect', true);
await turn('tell_the_signal_room_of_critical_defects', true);
console.log(`a save: ${median(times.off).toFixed(1)} ms without a guard, ${median(times.on).toFixed(1)} ms with one (medians of ${times.on.length})`);
for (let round = 0; round < Number(count); round++) await save(`Bench critical ${stamp} ${round}`, 'critical');
console.log(`critical defects saved: ${count}; see the runs of “Tell the signal room…” for when each began`);
