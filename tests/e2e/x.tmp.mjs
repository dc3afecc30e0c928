import { openBrowser, signIn, password } from './tools/browser.mjs';
const b = await openBrowser();
async function ctx(w=1280,h=800,dark=false){ const c = await b.newContext({ viewport:{width:w,height:h}, baseURL:'http://127.0.0.1:5080', colorScheme: dark?'dark':'light' }); return c.newPage(); }
let p = await ctx();
await p.goto('/sign-in'); await p.screenshot({path:'/tmp/s1.png'});
await p.getByRole('link',{name:'Gatehouse'}).click(); await p.waitForTimeout(500); await p.screenshot({path:'/tmp/s2.png'});
await p.getByRole('link',{name:/Pia/}).click(); await p.waitForTimeout(1500); await p.screenshot({path:'/tmp/s3.png'}); console.log(p.url());
p = await ctx(); await signIn(p,'oskar');
await p.goto('/people/sign-in'); await p.screenshot({path:'/tmp/s4.png'});
await p.goto('/people/sign-in/gatehouse'); await p.screenshot({path:'/tmp/s5.png', fullPage:true});
await p.goto('/view-as'); await p.screenshot({path:'/tmp/s6.png'});
await p.getByRole('button',{name:'Pia Sund'}).click(); await p.waitForTimeout(500);
await p.goto('/apps/timetable/sailings'); await p.waitForTimeout(800); await p.screenshot({path:'/tmp/s7.png'});
await p.goto('/people/audit'); await p.screenshot({path:'/tmp/s8.png'});
const src = await p.request.get('/build'); 
await b.close();
