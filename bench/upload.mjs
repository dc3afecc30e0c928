// What memory the upload of a file of 100 MB takes: upload.mjs ADDRESS PID
// Makes an own table with a field of files, an app over it, and sends the file as a form would; the application's memory is looked at meanwhile.
import { readFileSync } from 'node:fs';
import { openBrowser, signIn } from '../tests/e2e/tools/browser.mjs';

const [baseURL, pid] = process.argv.slice(2);
const megabytes = 100;
const name = `Papers ${Date.now() % 100_000}`;
const slug = name.toLowerCase().replace(' ', '-');
const browser = await openBrowser();
const context = await browser.newContext({ baseURL });
const page = await context.newPage();
await signIn(page, 'bea');
await page.goto('/build/tables/new?empty=true');
await page.getByLabel('Name', { exact: true }).first().fill(name);
await page.locator('[name="label.0"]').fill('Name');
await page.locator('[name="label.1"]').fill('Scans');
await page.locator('[name="type.1"]').selectOption('Files');
await page.getByRole('button', { name: 'Make the table' }).click();
await page.getByRole('heading', { name }).waitFor();
const table = page.url();
await page.goto(`${table}?field=scans`);
await page.getByLabel('Maximum size').fill(String(megabytes));
await page.getByRole('button', { name: 'Save', exact: true }).click();
await page.waitForLoadState('networkidle');
await page.goto(table);
await page.getByRole('checkbox', { name }).check();
await page.getByRole('button', { name: 'Draft an app' }).click();
await page.getByLabel('Name of the app').fill(name);
await page.getByRole('button', { name: 'Draft the app' }).click();
await page.getByRole('link', { name: 'Publish', exact: true }).click();
await page.getByLabel('Notes on version 1').fill('To be measured');
await page.getByRole('button', { name: 'Publish' }).click();
await page.getByText('Version 1 is live').waitFor();
const list = `/apps/${slug}/${slug.replace('-', '_')}`;
await page.goto(`${list}?${slug.replace('-', '_')}.new=1`);
const token = await page.locator('input[name=__RequestVerificationToken]').first().getAttribute('value');
const cookie = (await context.cookies()).map(one => `${one.name}=${one.value}`).join('; ');
await browser.close();

const resident = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;
const content = new Uint8Array(megabytes * 1024 * 1024);
for (let round = 0; round < 4; round++) {
  // Another file each time: one that is known is kept once.
  crypto.getRandomValues(content.subarray(0, 1000));
  const rest = resident();
  let most = rest;
  const looking = setInterval(() => { most = Math.max(most, resident()); }, 20);
  const began = performance.now();
  const answer = await fetch(`${baseURL}${list}?handler=Upload&panel=${slug.replace('-', '_')}&field=scans&name=scan-${round}.bin`, {
    method: 'POST', body: content, headers: { cookie, RequestVerificationToken: token, 'Content-Type': 'application/octet-stream' },
  });
  clearInterval(looking);
  console.log(`${megabytes} MB, ${answer.status} ${(await answer.text()).slice(0, 80)}: ${((performance.now() - began) / 1000).toFixed(1)} s; ${rest.toFixed(0)} MB resident before, at most ${most.toFixed(0)}, ${(most - rest).toFixed(0)} more`);
}
