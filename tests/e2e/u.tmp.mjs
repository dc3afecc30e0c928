import { openBrowser, signIn } from './tools/browser.mjs';
const browser = await openBrowser();
const context = await browser.newContext({ baseURL: 'http://127.0.0.1:5080' });
const page = await context.newPage();
await signIn(page, 'bea');
await page.goto('/build/apps/timetable/pages/punctuality?panel=lateness&part=cost');
await page.waitForTimeout(6000);
console.log((await page.locator('#dock, .dock').first().innerText()).slice(0, 3000));
await browser.close();
