// Adds records while the application is killed again and again: each form is sent until it is answered, as a browser's user would.
// inserts.mjs ADDRESS HOW_MANY TITLE
import { Visitor, formsOf } from './visitor.mjs';

const [address, count, title] = process.argv.slice(2);
const maren = await new Visitor(address, { patient: true }).signIn('maren');
for (let number = 1; number <= Number(count); number++) {
  const form = formsOf((await maren.ask('/apps/maintenance/defects?defects.new=1')).text).find(form => form.tag.includes('data-form'));
  const fields = new Map(form.fields.filter(field => field.type !== 'checkbox').map(({ name, value }) => [name, value]));
  for (const [name, value] of [['v.title', `${title} ${number}`], ['v.vessel', 'BF-101'], ['v.severity', 'minor'], ['v.state', 'open'], ['v.reported_by', 'Maren Vik'], ['v.reported_at', '2026-03-01T10:00'], ['v.description', '']]) fields.set(name, value);
  const answer = await maren.post(form.action, [...fields]);
  if (answer.status !== 302 && !answer.text.includes('added.')) throw new Error(`record ${number}: ${answer.status} ${answer.text.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ').slice(-400)}`);
}
