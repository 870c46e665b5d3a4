import { chromium } from '@playwright/test';
const [,, out, path, ...steps] = process.argv;
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
const c = await b.newContext({ viewport: { width: 1280, height: 800 } });
const page = await c.newPage();
const who = process.env.WHO ?? 'jonas';
await page.goto('http://localhost:5390/sign-in');
await page.fill('#email', `${who}@quillmere.example`); await page.fill('#password', { jonas: 'glasshouse-2', ida: 'glasshouse-1' }[who]); await page.keyboard.press('Enter');
await page.waitForURL((u) => !u.pathname.startsWith('/sign-in'));
await page.goto('http://localhost:5390' + path); await page.waitForSelector('[data-ready=true]'); await page.waitForLoadState('networkidle');
let n = 0;
for (const s of steps) { if (s === 'shot') { await page.screenshot({ path: out.replace('.png', `${n++}.png`) }); continue; } await eval(`(async () => { ${s} })()`); await page.waitForTimeout(300); }
await page.screenshot({ path: out });
await b.close();
