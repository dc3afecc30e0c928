// A browser of sorts: keeps cookies, and asks again while the application is gone.
export const decoded = text => text.replace(/&quot;/g, '"').replace(/&#x([0-9a-f]+);/gi, (_, code) => String.fromCodePoint(parseInt(code, 16))).replace(/&lt;/g, '<').replace(/&gt;/g, '>').replace(/&amp;/g, '&');

const attribute = (tag, name) => decoded(tag.match(new RegExp(`\\b${name}="([^"]*)"`))?.[1] ?? '');

/** The forms of a page: where each is sent, and what stands in it. */
export function formsOf(html) {
  return [...html.matchAll(/<form\b[^>]*>[^]*?<\/form>/g)].map(([form]) => ({
    tag: form.match(/<form\b[^>]*>/)[0],
    action: attribute(form, 'action'),
    method: attribute(form, 'method').toUpperCase() || 'GET',
    fields: [...form.matchAll(/<(?:input|select|textarea)\b[^>]*>/g)].map(([tag]) => ({ name: attribute(tag, 'name'), value: attribute(tag, 'value'), type: attribute(tag, 'type') })).filter(field => field.name),
  }));
}

export class Visitor {
  constructor(address, { patient = false } = {}) {
    Object.assign(this, { address, patient, cookies: new Map() });
  }

  async ask(path, options = {}) {
    const until = Date.now() + 120_000;
    for (;;) {
      try {
        const answer = await fetch(this.address + path, {
          redirect: 'manual',
          ...options,
          headers: { cookie: [...this.cookies].map(pair => pair.join('=')).join('; '), ...options.headers },
          signal: AbortSignal.timeout(30_000),
        });
        const text = await answer.text();
        if (!this.patient || answer.status < 500) {
          for (const cookie of answer.headers.getSetCookie()) {
            const [name, value] = cookie.split(';')[0].split(/=(.*)/s);
            this.cookies.set(name, value);
          }
          return { status: answer.status, text, location: answer.headers.get('location') };
        }
      } catch (failure) {
        if (!this.patient) return { status: 0, text: String(failure) };
      }
      if (Date.now() > until) throw new Error(`no answer from ${path}`);
      await new Promise(done => setTimeout(done, 50));
    }
  }

  post(path, fields, headers) {
    return this.ask(path, { method: 'POST', body: new URLSearchParams(fields), headers });
  }

  async signIn(person) {
    const [form] = formsOf((await this.ask('/sign-in')).text);
    const token = form.fields.filter(field => field.name.startsWith('__')).map(({ name, value }) => [name, value]);
    await this.post('/sign-in', [...token, ['UserName', person], ['Password', 'harbour-light-42']]);
    return this;
  }
}
