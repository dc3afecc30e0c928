import { openBrowser, signIn } from './tools/browser.mjs';
const browser = await openBrowser();
const context = await browser.newContext({ baseURL: 'http://127.0.0.1:5080' });
const page = await context.newPage();
await signIn(page, 'oskar');
for (const url of process.argv.slice(2)) for (let i = 0; i < 3; i++) { const t = Date.now(); await page.request.get(url); console.log(url, Date.now() - t); }
await browser.close();
