// Connects a database with a table of calls, drafts an app over it and publishes it, as a builder would; prints the address of its list.
// connect.mjs ADDRESS KIND SETTING=VALUE…
import { openBrowser, signIn } from '../tests/e2e/tools/browser.mjs';

const [baseURL, kind, ...settings] = process.argv.slice(2);
const name = `Calls in ${kind}`;
const browser = await openBrowser();
const page = await (await browser.newContext({ baseURL })).newPage();
await signIn(page, 'bea');
await page.goto('/build');
await page.getByRole('link', { name: 'Connect a source' }).click();
await page.getByRole('navigation', { name: 'Kind' }).getByRole('link', { name: kind, exact: true }).click();
await page.getByLabel('Name of the source').fill(name);
for (const setting of settings) {
  const [label, value] = setting.split('=');
  await page.getByLabel(label, { exact: true }).fill(value);
}
await page.getByRole('button', { name: 'Connect', exact: true }).click();
await page.getByRole('heading', { name }).waitFor();
await page.getByRole('button', { name: 'Draft an app' }).click();
await page.getByLabel('Name of the app').fill(name);
await page.getByRole('button', { name: 'Draft the app' }).click();
await page.getByRole('link', { name: 'Publish', exact: true }).click();
await page.getByLabel('Notes on version 1').fill('To be measured');
await page.getByRole('button', { name: 'Publish' }).click();
await page.getByText('Version 1 is live').waitFor();
await page.goto('/');
await page.getByRole('link', { name, exact: true }).click();
await page.locator('[data-list] tbody tr').first().waitFor();
console.log(page.url());
await browser.close();
