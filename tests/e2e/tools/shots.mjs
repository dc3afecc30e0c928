// Makes docs/screenshots anew: shots.mjs ADDRESS FOLDER
import { join } from 'node:path';
import { openBrowser, signIn } from './browser.mjs';

const [address, folder] = process.argv.slice(2);
const browser = await openBrowser();

async function shot(name, person, go, { width = 1280, height = 800, dark = false } = {}) {
  const context = await browser.newContext({ baseURL: address, viewport: { width, height }, locale: 'en-GB', colorScheme: dark ? 'dark' : 'light' });
  const page = await context.newPage();
  if (person) await signIn(page, person);
  await go(page);
  await page.waitForLoadState('networkidle');
  await page.evaluate(() => document.fonts.ready);
  await page.screenshot({ path: join(folder, `${name}.png`) });
  await context.close();
}

const at = path => page => page.goto(path);
const list = '/apps/maintenance/defects?is.state=open&is.state=in%20work&is.severity=serious&is.severity=critical';

await shot('sign-in', null, at('/sign-in'));
await shot('source', 'bea', async page => {
  await page.goto('/workshop');
  await page.getByRole('link', { name: 'Fleet', exact: true }).click();
  await page.getByRole('link', { name: 'routes' }).click();
});
await shot('formula', 'bea', async page => {
  await page.goto('/workshop');
  await page.getByRole('link', { name: 'Fleet', exact: true }).click();
  await page.getByRole('link', { name: 'vessels' }).click();
  await page.getByRole('link', { name: 'Add a computed field' }).click();
  await page.getByLabel('Label').fill('Cost a place');
  await page.getByLabel('Formula').fill('SUM(FILTER(defects, state <> "closed").estimated_cots) / passenger_capcity');
  await page.locator('#formula-answer mark').first().waitFor();
});
await shot('app', 'bea', at('/workshop/apps/timetable?role=port-agent'));
await shot('list', 'maren', at(list));
await shot('list-dark', 'maren', at('/apps/timetable/sailings?is.state=arrived&q=kittiwake'), { dark: true });
await shot('record', 'maren', at('/apps/maintenance/vessels?record=BF-101'));
await shot('phone', 'maren', at(list), { width: 390, height: 844 });
await browser.close();
