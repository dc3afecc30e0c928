// How long each screen of people and access takes with ten thousand people (bench/people.sql): people.mjs ADDRESS TIMES
import { Visitor } from '../tests/chaos/visitor.mjs';

const [address, times] = process.argv.slice(2);
const oskar = await new Visitor(address).signIn('oskar');
const someone = /href="(\/people\/[0-9a-f]{32})"/.exec((await oskar.ask('/people?q=Bench+77')).text)[1];
const commands = JSON.parse((await oskar.ask('/commands')).text);
const dataset = commands.find(known => known.words === 'Defects' && known.kind === 'dataset').go;
const screens = [
  '/people', '/people?q=Bench+77', '/people?role=bench_role_7', '/people?group=bench_group_9', '/people?state=without+a+role', someone,
  '/people/groups', '/people/groups/bench_group_9', '/people/roles', '/people/roles/bench_role_7', '/people/roles/compare?one=bench_role_7&other=bench_role_8',
  '/people/attributes', '/people/attributes/import', '/people/invitations', '/people/sign-in', '/people/audit', '/view-as', '/account', '/inbox',
  `${dataset}/access`, `${dataset}/access?role=bench_role_7`, `${dataset}/access?person=${someone.slice(8)}`, '/build/apps/maintenance',
];
const median = numbers => [...numbers].sort((one, other) => one - other)[Math.floor(numbers.length / 2)];
for (const screen of screens) {
  const took = [];
  for (let round = 0; round <= Number(times); round++) {
    const began = performance.now();
    const answer = await oskar.ask(screen);
    if (answer.status !== 200) throw new Error(`${screen} ${answer.status}`);
    took.push(performance.now() - began);
  }
  const [first, ...others] = took;
  console.log(`${median(others).toFixed(0).padStart(6)} ms  ${Math.max(...others).toFixed(0).padStart(6)} at most  ${first.toFixed(0).padStart(6)} the first  ${screen.replace(/[0-9a-f]{32}/g, '…')}`);
}

// Each change has every node read the workspace again: the page after one waits for that.
const after = [];
for (let round = 0; round < Number(times); round++) {
  await oskar.post('/people/roles/bench_role_7', [['label', `Bench role seven, ${round}`]]);
  const began = performance.now();
  await oskar.ask('/people');
  after.push(performance.now() - began);
}
console.log(`${median(after).toFixed(0).padStart(6)} ms  ${Math.max(...after).toFixed(0).padStart(6)} at most  /people after a role was changed`);
