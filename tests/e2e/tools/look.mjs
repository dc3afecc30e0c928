// Opens a page as somebody and writes a picture of it: look.mjs ADDRESS PATH OUT [--as PERSON] [--width N] [--height N] [--dark] [--click "role:name"]…
import { parseArgs } from 'node:util';
import { openBrowser, signIn } from './browser.mjs';

const { values, positionals: [address, path, out] } = parseArgs({
  allowPositionals: true,
  options: {
    as: { type: 'string', default: 'bea' },
    width: { type: 'string', default: '1280' },
    height: { type: 'string', default: '800' },
    dark: { type: 'boolean', default: false },
    full: { type: 'boolean', default: false },
    click: { type: 'string', multiple: true, default: [] },
  },
});

const browser = await openBrowser();
const page = await browser.newPage({
  baseURL: address,
  viewport: { width: Number(values.width), height: Number(values.height) },
  locale: 'en-GB',
  colorScheme: values.dark ? 'dark' : 'light',
});
page.on('console', message => message.type() === 'error' && console.error(message.text()));
page.on('pageerror', error => console.error(error.message));
if (values.as !== 'nobody') await signIn(page, values.as);
await page.goto(path);
for (const step of values.click) {
  const [role, name] = step.split(':');
  await page.getByRole(role, { name }).first().click();
  await page.waitForLoadState('networkidle');
}
await page.waitForLoadState('networkidle');
await page.screenshot({ path: out, fullPage: values.full });
await browser.close();
