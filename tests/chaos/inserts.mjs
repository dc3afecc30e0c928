// Adds records while the application is killed again and again: each form is sent until it is answered, as a browser's user would.
// inserts.mjs ADDRESS HOW_MANY TITLE
const [address, count, title] = process.argv.slice(2);
const longestWait = 120_000;
let cookies = new Map();

async function ask(path, options = {}) {
  const until = Date.now() + longestWait;
  for (;;) {
    try {
      const answer = await fetch(address + path, {
        redirect: 'manual',
        ...options,
        headers: { cookie: [...cookies].map(pair => pair.join('=')).join('; '), ...options.headers },
        signal: AbortSignal.timeout(20_000),
      });
      const text = await answer.text();
      if (answer.status < 500) {
        for (const cookie of answer.headers.getSetCookie()) {
          const [name, value] = cookie.split(';')[0].split(/=(.*)/s);
          cookies.set(name, value);
        }
        return { status: answer.status, text };
      }
    } catch {
      // The application is gone for a moment.
    }
    if (Date.now() > until) throw new Error(`no answer from ${path}`);
    await new Promise(done => setTimeout(done, 50));
  }
}

const decoded = text => text.replace(/&quot;/g, '"').replace(/&#x([0-9a-f]+);/gi, (_, code) => String.fromCodePoint(parseInt(code, 16))).replace(/&amp;/g, '&');
const post = (path, fields) => ask(path, { method: 'POST', body: new URLSearchParams(fields) });
const inputs = html => [...html.matchAll(/<input\b[^>]*>/g)].map(([tag]) => {
  const value = name => decoded(tag.match(new RegExp(`\\b${name}="([^"]*)"`))?.[1] ?? '');
  return { name: value('name'), value: value('value'), type: value('type') };
}).filter(input => input.name && input.type !== 'checkbox');

const form = inputs((await ask('/sign-in')).text);
await post('/sign-in', [...form.filter(input => input.name.startsWith('__')).map(({ name, value }) => [name, value]), ['UserName', 'maren'], ['Password', 'harbour-light-42']]);

for (let number = 1; number <= Number(count); number++) {
  const { text } = await ask('/apps/maintenance/defects?defects.new=1');
  const [whole, tag] = text.match(/(<form\b[^>]*\bdata-form\b[^>]*>)[^]*?<\/form>/);
  const action = decoded(tag.match(/action="([^"]*)"/)[1]);
  const fields = new Map(inputs(whole).map(({ name, value }) => [name, value]));
  for (const [name, value] of [['v.title', `${title} ${number}`], ['v.vessel', 'BF-101'], ['v.severity', 'minor'], ['v.state', 'open'], ['v.reported_by', 'Maren Vik'], ['v.reported_at', '2026-03-01T10:00'], ['v.description', '']]) fields.set(name, value);
  const answer = await post(action, [...fields]);
  if (answer.status !== 302 && !answer.text.includes('added.')) throw new Error(`record ${number}: ${answer.status} ${answer.text.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ').slice(-400)}`);
}
