import { chromium } from '@playwright/test';
const [,, url, out, ...acts] = process.argv;
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox','--disable-background-networking','--use-gl=angle','--use-angle=swiftshader','--enable-unsafe-swiftshader'] });
const p = await b.newPage({ viewport: { width: 1280, height: 800 } });
p.on('pageerror', e => console.log('ERR', e.message)); p.on('console', m => { if (m.type()==='error') console.log('CON', m.text()); });
await p.goto('http://127.0.0.1:4700/');
await p.getByTestId('file-picker').setInputFiles(url!);
await p.waitForURL(/projects/);
await p.waitForTimeout(4000);
for (const a of acts) { await new Function('p', `return (async()=>{${a}})()`)(p); }
await p.waitForTimeout(800);
await p.screenshot({ path: out! });
await b.close();
