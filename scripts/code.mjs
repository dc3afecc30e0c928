// What the authenticator of a demo person shows at the moment: RFC 6238 over HMAC-SHA-1, six digits, thirty seconds.
import { createHmac } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { pathToFileURL } from 'node:url';

const people = new URL('../demo/workspace.yaml', import.meta.url);

export function keyOf(person) {
  return new RegExp(`signIn: ${person}, .*authenticatorKey: ([A-Z2-7]+)`).exec(readFileSync(people, 'utf8'))?.[1];
}

export function code(key, at = Date.now()) {
  const bits = [...key].map(letter => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'.indexOf(letter).toString(2).padStart(5, '0')).join('');
  const bytes = Buffer.from(bits.match(/.{8}/g).map(byte => Number.parseInt(byte, 2)));
  const step = Buffer.alloc(8);
  step.writeBigInt64BE(BigInt(Math.floor(at / 30_000)));
  const hash = createHmac('sha1', bytes).update(step).digest();
  return String((hash.readUInt32BE(hash.at(-1) & 15) & 0x7fffffff) % 1_000_000).padStart(6, '0');
}

if (import.meta.url === pathToFileURL(process.argv[1]).href) {
  console.log(code(keyOf(process.argv[2] ?? 'aud')));
}
