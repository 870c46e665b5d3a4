// Takes the pictures in docs/screenshots from a running application with fresh demo data:
//   npm start -- --fresh      and, beside it,      npm run screenshots [-- http://localhost:5280]
import { chromium } from '@playwright/test';
import { fileURLToPath } from 'node:url';

const base = process.argv[2] ?? 'http://localhost:5280';
const folder = fileURLToPath(new URL('../docs/screenshots/', import.meta.url));
const browser = await chromium.launch({
	executablePath: '/usr/bin/chromium',
	args: ['--no-sandbox']
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
// the first visit is over
await page.addInitScript(() => localStorage.setItem('begun', 'yes'));
// what others do comes over a connection that never rests
await page.route('**/draft/events', (r) => r.abort());

await page.goto(`${base}/sign-in`);
await page.fill('#email', 'ida@quillmere.example');
await page.fill('#password', 'glasshouse-1');
await page.keyboard.press('Enter');
await page.waitForURL((u) => !u.pathname.startsWith('/sign-in'));

async function shot(name, path, prepare = async () => {}) {
	await page.goto(base + path);
	await page.waitForSelector('[data-ready=true]');
	await page.waitForLoadState('networkidle');
	await prepare();
	await page.waitForTimeout(1200);
	await page.screenshot({ path: `${folder}${name}.png` });
}

/** Chooses from a list by the label of the choice. */
async function choose(box, name) {
	await page.click(box);
	await page.getByRole('option', { name, exact: typeof name === 'string' }).click();
}

await shot('sheet', '/write/customer/size_class', async () => {
	await page.fill('#s-headcount', '60');
	await page.click('text=Try around each limit');
});
await shot('options', '/write/deal/freight_paid_by', () => choose('#s-delivery_rule', 'DDP'));
await shot('cases', '/write/deal/survey_fee', async () => {
	await page.getByRole('button', { name: /^Case 1:/ }).click();
	await choose('#s-site_survey_needed', 'yes');
});
await shot('table', '/write/deal/discount_limit_percent', async () => {
	await choose('#s-kind', 'Service');
});
await shot('suggested', '/write/customer/account_engineer', async () => {
	await page.getByRole('button', { name: 'Look for rules in the records' }).click();
	await page.getByText('a copy of').waitFor({ timeout: 30_000 });
	await page
		.getByRole('button', { name: /differ/ })
		.first()
		.click();
	await page.evaluate(() => document.querySelector('#suggested').scrollIntoView());
});
await shot('whole', '/whole/customer');
await shot('reference', '/tables/district_postcodes', async () => {
	await page.getByRole('gridcell', { name: 'South Netherlands' }).nth(3).dblclick();
	await page.keyboard.press('Control+a');
	await page.keyboard.type('1');
	await page.keyboard.press('Enter');
	await page.keyboard.press('Escape');
	await page.getByLabel('Why', { exact: true }).fill('Four is driven to from the north');
	await page.getByRole('button', { name: 'Look what it would do' }).click();
	await page.getByText('records would come out otherwise').waitFor();
});
await shot('check', '/check');
await shot('journal', '/journal/~all');
await shot('try', '/try?view=untried&rule=probability', async () => {
	await page.getByRole('button', { name: 'Propose trials for it' }).click();
	await page.getByText('Right: keep it').first().waitFor();
	await page.getByText('Right: keep it').first().scrollIntoViewIfNeeded();
});
await shot('rehearse', '/rehearse', async () => {
	await page.getByRole('button', { name: /^Run/ }).click();
	await page.getByText('The rehearsal runs').waitFor();
	await page.getByText('The rehearsal runs').waitFor({ state: 'detached' });
	await page.getByRole('button', { name: /^▲ 9 values that somebody/ }).click();
	await page.getByText('by hand').first().waitFor();
});
await shot('release', '/release');
await shot('records', '/records/deal?view=1', () =>
	page.getByRole('button', { name: 'Which deals' }).click()
);
await shot('bulk', '/records/customer', async () => {
	await page.getByRole('button', { name: 'Change them all' }).click();
	await page.getByLabel(/^Which field is set/).click();
	await page.getByRole('option', { name: 'Service plan', exact: true }).click();
	await page.getByLabel(/^What Service plan becomes/).click();
	await page.getByRole('option', { name: 'On call', exact: true }).click();
	await page.getByRole('button', { name: 'Look what it would do' }).click();
	await page.getByText('Looked at, nothing stored').waitFor();
});
await shot('line', '/line?type=customer&field=size_class');
await shot('record', '/records/customer/1', () => page.fill('#f-headcount', '50'));
await shot('import', '/records/customer/import', async () => {
	await page.fill(
		'#text',
		'Trading name,Headcount,Size class\nWickwater Roses,49,\nWickwater Herbs,50,Large\nWickwater Tulips,many,'
	);
	await page.getByRole('button', { name: 'Look at it' }).click();
	await page.waitForURL(/imports/);
	await page.getByRole('button', { name: 'Import', exact: true }).click();
	await page.getByText('rows taken over').waitFor();
});
await shot('model', '/model/customer/headcount', () => page.waitForTimeout(500));
await shot('people', '/people', () =>
	page.getByRole('button', { name: 'Change Jonas Weverling' }).click()
);
await browser.close();
