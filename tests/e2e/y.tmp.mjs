import { openBrowser, signIn } from './tools/browser.mjs';
const b = await openBrowser();
async function ctx(w=1280,h=800,dark=false){ const c = await b.newContext({ viewport:{width:w,height:h}, baseURL:'http://localhost:5080', colorScheme: dark?'dark':'light' }); return c.newPage(); }
let p = await ctx(390,844,true); await p.goto('/sign-in'); await p.screenshot({path:'/tmp/t1.png'}); await signIn(p,'oskar');
await p.goto('/people/sign-in/gatehouse'); await p.waitForTimeout(300); await p.screenshot({path:'/tmp/t2.png'});
await p.goto('/people/audit'); await p.waitForTimeout(300); await p.screenshot({path:'/tmp/t3.png'});
await p.goto('/view-as'); await p.getByRole('button',{name:'Pia Sund'}).click(); await p.waitForTimeout(500);
await p.goto('/apps/timetable/sailings'); await p.waitForTimeout(800); await p.screenshot({path:'/tmp/t4.png'});
let m = await ctx(390,844,true); await signIn(m,'maren'); await m.goto('/inbox'); await m.waitForTimeout(600); await m.screenshot({path:'/tmp/t5.png'});
await m.goto('/apps/maintenance/defects?defects.selected=61'); await m.waitForTimeout(900); await m.screenshot({path:'/tmp/t6.png'});
let e = await ctx(390,844,true); await signIn(e,'bea'); await e.goto('/build'); 
await e.getByRole('link',{name:'Fleet',exact:true}).first().click(); await e.getByRole('link',{name:'sailings'}).first().click();
await e.getByRole('link',{name:'Access',exact:true}).click(); await e.getByRole('link',{name:'Port agent',exact:true}).click(); await e.waitForTimeout(500); await e.screenshot({path:'/tmp/t7.png'});
const url = e.url(); let w = await ctx(1280,800,true); await signIn(w,'bea'); await w.goto(url); await w.waitForTimeout(400); await w.screenshot({path:'/tmp/t8.png'});
let x = await ctx(1280,800,true); await signIn(x,'egil'); await x.goto('/apps/crew/certificates'); await x.waitForTimeout(600); await x.screenshot({path:'/tmp/t9.png'});
await x.goto('/apps/maintenance/defects?defects.q=closed'); await x.waitForTimeout(300); const r = await x.request.get('/apps/maintenance/defects?defects.state=closed');
await x.goto('/apps/maintenance/defects?defects.selected=1'); await x.waitForTimeout(600); await x.screenshot({path:'/tmp/t10.png'});
await b.close();
