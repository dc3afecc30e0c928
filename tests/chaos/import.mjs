// Imports a file of dockings while the application is killed again and again: import.mjs ADDRESS ROWS YARD
import { Visitor, formsOf } from './visitor.mjs';

const [address, count, yard] = process.argv.slice(2);
const bea = await new Visitor(address, { patient: true }).signIn('bea');
const rows = '/apps/maintenance/dockings?handler=ImportRows&panel=dockings';
const tokenOf = answer => formsOf(answer.text).flatMap(form => form.fields).find(field => field.name === '__RequestVerificationToken').value;

const file = ['Vessel,Yard,Planned start,Planned end,Budget'];
for (let number = 1; number <= Number(count); number++) file.push(`BF-101,${yard},2031-01-01,2031-02-01,${number}`);
const form = new FormData();
form.set('__RequestVerificationToken', tokenOf(await bea.ask(rows)));
form.set('file', new Blob([file.join('\n')]), 'dockings.csv');
const { location: planned, text } = await bea.ask(rows, { method: 'POST', body: form });
if (!planned) throw new Error(`the file is not taken: ${text.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ').slice(-400)}`);

// All of it is tried first; what is pressed is pressed again where no answer came, as a person would.
const press = async (what, fields = []) => bea.post(`${planned}?handler=${what}`, [['__RequestVerificationToken', tokenOf(await bea.ask(planned))], ...fields]);
const into = ['vessel', 'yard', 'planned_start', 'planned_end', 'budget'].map((field, at) => [`into.${at}`, field]);
await press('Plan', [...into, ['mode', 'Add']]);
const pause = () => new Promise(done => setTimeout(done, 300));
while (!(await bea.ask(planned)).text.includes('would be added')) await pause();
const begun = await press('Begin');
if (!begun.location?.startsWith('/bulk/')) throw new Error(`the import does not begin: ${begun.status} ${begun.text.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ').slice(-400)}`);
while ((await bea.ask(begun.location)).text.includes('>Stop<')) await pause();
