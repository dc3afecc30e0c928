import { openBrowser, signIn } from './tools/browser.mjs';
const [,, out, url, w='1280', h='800', theme='light', who='oskar', full='no', act=''] = process.argv;
const browser = await openBrowser();
const context = await browser.newContext({ viewport: { width: +w, height: +h }, colorScheme: theme, baseURL: process.env.BASE ?? 'http://127.0.0.1:5080' });
const page = await context.newPage();
page.on('console', m => { if (m.type() === 'error') console.log('console:', m.text()); });
page.on('pageerror', e => console.log('pageerror:', e.message));
await signIn(page, who);
await page.goto(url);
await page.waitForLoadState('networkidle');
if (act) { await (new Function('page', `return (async () => { ${act} })()`))(page); await page.waitForTimeout(600); }
await page.screenshot({ path: out, fullPage: full === 'yes' });
await browser.close();
