// node sheet.mjs out.png cols img...
import { openBrowser } from '/work/main/tests/e2e/tools/browser.mjs';
import fs from 'node:fs';
const [out, cols, ...imgs] = process.argv.slice(2);
const b = await openBrowser(); const p = await (await b.newContext({ viewport: { width: 1600, height: 900 } })).newPage();
const html = `<body style="margin:0;background:#888"><div style="display:grid;grid-template-columns:repeat(${cols},1fr);gap:6px">` + imgs.map(i => `<img style="width:100%" src="data:image/png;base64,${fs.readFileSync(i).toString('base64')}">`).join('') + '</div></body>';
await p.setContent(html); await p.waitForTimeout(200);
await p.screenshot({ path: out, fullPage: true }); await b.close();
