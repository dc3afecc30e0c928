// Adds records while the application is killed again and again: each form is sent until it is answered, as a browser's user would.
// Then all of them are changed in bulk some times, each time by one more. inserts.mjs ADDRESS HOW_MANY TITLE BULK_CHANGES
import { Visitor, formsOf } from './visitor.mjs';

const [address, count, title, bulks] = process.argv.slice(2);
const maren = await new Visitor(address, { patient: true }).signIn('maren');
for (let number = 1; number <= Number(count); number++) {
  const form = formsOf((await maren.ask('/apps/maintenance/defects?defects.new=1')).text).find(form => form.tag.includes('data-form'));
  const fields = new Map(form.fields.filter(field => field.type !== 'checkbox').map(({ name, value }) => [name, value]));
  for (const [name, value] of [['v.title', `${title} ${number}`], ['v.vessel', 'BF-101'], ['v.severity', 'minor'], ['v.state', 'open'], ['v.reported_by', 'Maren Vik'], ['v.reported_at', '2026-03-01T10:00'], ['v.description', '']]) fields.set(name, value);
  const answer = await maren.post(form.action, [...fields]);
  if (answer.status !== 302 && !answer.text.includes('added.')) throw new Error(`record ${number}: ${answer.status} ${answer.text.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ').slice(-400)}`);
}

const all = `/apps/maintenance/defects?q=${encodeURIComponent(title)}&defects.q=${encodeURIComponent(title)}&handler=Bulk&panel=defects&does=change&all=yes`;
const bulkForm = answer => formsOf(answer.text).find(form => form.action.includes('handler=Bulk'));
for (let time = 1; time <= Number(bulks); time++) {
  const asked = bulkForm(await maren.ask(all));
  const token = asked.fields.find(field => field.name === '__RequestVerificationToken').value;
  const values = [['__RequestVerificationToken', token], ['set.actual_cost', 'yes'], ['v.actual_cost', '= IFBLANK(actual_cost, 0) + 1']];
  const preview = bulkForm(await maren.post(all, [...values, ['step', 'preview']]));
  const begun = await maren.post(all, [...values, ['step', 'begin'], ['request', preview.fields.find(field => field.name === 'request').value]]);
  const bulk = begun.text.match(/\/bulk\/(\d+)/)?.[1];
  if (!bulk) throw new Error(`bulk change ${time}: ${begun.status} ${begun.text.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ').slice(-400)}`);
  while ((await maren.ask(`/bulk/${bulk}`)).text.includes('>Stop<')) await new Promise(done => setTimeout(done, 300));
}
