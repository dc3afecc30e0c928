import { openBrowser, signIn } from './tools/browser.mjs';
const b = await openBrowser();
async function ctx(w=1280,h=800,dark=false){ const c = await b.newContext({ viewport:{width:w,height:h}, baseURL:'http://localhost:5080', colorScheme: dark?'dark':'light' }); return c.newPage(); }
let p = await ctx(); await signIn(p,'oskar');
await p.goto('/view-as'); await p.getByRole('button',{name:'Pia Sund'}).click(); await p.waitForTimeout(500);
await p.goto('/apps/timetable/sailings'); await p.waitForTimeout(800); await p.screenshot({path:'/tmp/s1.png'});
await p.goto('/people/audit'); await p.screenshot({path:'/tmp/s2.png'});
await p.getByRole('button',{name:'Oskar Lind'}).click(); await p.waitForTimeout(200); await p.screenshot({path:'/tmp/s3.png'});
await p.goto('/people/roles/compare?one=port-agent&other=clerk'); await p.screenshot({path:'/tmp/s4.png'});
await p.goto('/build/apps/timetable/public'); await p.getByLabel('Page', {exact:true}).selectOption('Routes'); await p.getByLabel('With the rights of').selectOption('Auditor'); await p.getByRole('button',{name:'Make a link'}).click(); await p.waitForTimeout(500); await p.screenshot({path:'/tmp/s5.png'});
const link = new URL(await p.locator('#made').inputValue()).pathname;
let v = await ctx(); await v.goto(link); await v.waitForTimeout(700); await v.screenshot({path:'/tmp/s6.png'});
let m = await ctx(); await signIn(m,'maren'); await m.goto('/apps/maintenance/defects?defects.selected=61'); await m.waitForTimeout(900); await m.locator('#sheet').getByRole('button',{name:/Watch/}).click(); await m.waitForTimeout(400); await m.screenshot({path:'/tmp/s7.png'});
let e = await ctx(); await signIn(e,'bea'); await e.goto('/apps/maintenance/defects?defects.selected=61'); await e.waitForTimeout(500); await e.locator('#sheet').getByLabel('Title').fill('Bow thruster rattles at slow speed'); await e.locator('#sheet').getByRole('button',{name:'Save'}).click(); await e.waitForTimeout(3500);
await m.goto('/inbox'); await m.waitForTimeout(600); await m.screenshot({path:'/tmp/s8.png'});
await m.goto('/account'); await m.waitForTimeout(400); await m.screenshot({path:'/tmp/s9.png'});
// access page
await e.goto('/build'); 
await e.getByRole('link',{name:'Fleet',exact:true}).first().click(); await e.getByRole('link',{name:'sailings'}).first().click();
await e.getByRole('link',{name:'Access',exact:true}).click(); await e.getByRole('link',{name:'Port agent',exact:true}).click(); await e.waitForTimeout(500); await e.screenshot({path:'/tmp/s10.png', fullPage:true});
await b.close();
