import { chromium } from 'playwright-core';
const [email, pw] = (process.env.AS ?? 'ida:glasshouse-1').split(':');
const BASE = process.env.BASE ?? 'http://localhost:5390';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
const c = await b.newContext({
	viewport: { width: 1280, height: Number(process.env.H ?? 800) },
	colorScheme: process.env.DARK ? 'dark' : 'light',
	baseURL: BASE
});
const p = await c.newPage();
p.on('console', (m) => ['error', 'warning'].includes(m.type()) && console.log('CONSOLE', m.text()));
p.on('pageerror', (e) => console.log('PAGEERROR', e.message));
p.setDefaultTimeout(8000);
await p.goto('/sign-in');
await p.evaluate(() => localStorage.setItem('begun', 'yes'));
await p.getByLabel(/e-?mail/i).fill(`${email}@quillmere.example`);
await p.getByLabel(/^password/i).fill(pw);
await p.keyboard.press('Enter');
await p.waitForSelector('[data-ready=true]');
for (const s of process.argv.slice(2)) {
	const i = s.indexOf(':');
	const [k, v] = [s.slice(0, i), s.slice(i + 1)];
	try {
		if (k === 'path') {
			await p.goto(v);
			await p.waitForSelector('[data-ready=true]');
		} else if (k === 'click') {
			const [role, name] = v.split('=');
			await p
				.getByRole(role, { name: name.startsWith('/') ? new RegExp(name.slice(1)) : name })
				.first()
				.click();
		} else if (k === 'fill') {
			const [l, val] = v.split('=');
			await p.getByLabel(l).first().fill(val);
		} else if (k === 'label') await p.getByLabel(v).first().click();
		else if (k === 'keys') await p.keyboard.type(v);
		else if (k === 'press') await p.keyboard.press(v);
		else if (k === 'wait') await p.waitForTimeout(Number(v));
		else if (k === 'option') await p.getByRole('option', { name: v }).first().click();
		else if (k === 'shot') await p.screenshot({ path: `/tmp/${v}.png` });
		else if (k === 'full') await p.screenshot({ path: `/tmp/${v}.png`, fullPage: true });
		else if (k === 'text') console.log(await p.locator(v).allInnerTexts());
		else if (k === 'snap') console.log(await p.locator(v).ariaSnapshot());
	} catch (e) {
		console.log('STEP', s, e.message.slice(0, 400));
		await p.screenshot({ path: '/tmp/fail.png' });
		break;
	}
}
await b.close();
