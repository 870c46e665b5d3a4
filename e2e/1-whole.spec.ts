/** The whole: where fields come from and go to, versions, what order means, samples side by side, the first visit. */
import fs from 'node:fs';
import type { Page } from '@playwright/test';
import { barriers, choose, expect, open, openSheet, signIn, test, pressOn } from './helpers';

test.beforeEach(({ page }) => signIn(page));

const RULES = ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'];
const focused = (page: Page) => page.evaluate(() => document.activeElement?.id ?? '');

test('a field is seen with what it comes from and goes to, by keys alone', async ({ page }) => {
	await openSheet(page);
	await page.getByRole('link', { name: 'Where it comes from and goes to' }).press('Enter');
	await expect(page.getByRole('heading', { level: 1 })).toHaveText(
		'Where Size class comes from and goes to'
	);
	const picture = page.getByRole('group', { name: /^Fields and rules/ });
	await expect(picture.getByRole('link')).not.toHaveCount(0);
	await expect(
		picture.getByRole('link', { name: /^Discount limit %, field of Deal/ })
	).toBeVisible();
	await picture.getByRole('link', { name: /^Size class, field of Customer/ }).focus();
	await page.keyboard.press('ArrowLeft');
	expect(await focused(page)).toMatch(/^box-rule size_(lift|class)$/);
	await page.keyboard.press('ArrowLeft');
	expect(await focused(page)).toMatch(/^box-field customer\./);
	await page.keyboard.press('ArrowRight');
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/\/write\/customer\/size_class#rule-size_/);
});

test('a matrix of rules by fields leads to both', async ({ page }) => {
	await open(page, '/whole/deal');
	await choose(page.getByLabel('Shown as'), 'as a matrix');
	await expect(page).toHaveURL(/as=matrix/);
	const grid = page.getByRole('grid', { name: 'Rules by fields' });
	await expect(grid.getByLabel('Net amount writes Net amount')).toHaveText('■');
	await expect(grid.getByLabel('Net amount reads Amount', { exact: true })).toHaveText('○');
	await expect(grid.getByLabel(/^Discount within its limit checks or limits/)).toHaveText('▲');
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await grid.getByRole('link', { name: 'Probability by stage' }).focus();
	await page.keyboard.press('ArrowDown');
	await page.keyboard.press('End');
	await page.keyboard.press('Home');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/\/write\/deal\/freight_paid_by#rule-freight/);
	await page.goto('/whole/deal/nothing');
	await expect(page.locator('body')).toContainText('There is no field “nothing” on Deal.');
});

test('the versions of a rule say what differs, on the release page and on paper too', async ({
	page
}) => {
	await openSheet(page);
	await page.getByRole('button', { name: 'More for Size class follows headcount' }).click();
	await page.getByRole('menuitem', { name: 'Versions and what differs' }).click();
	await expect(page.getByRole('heading', { level: 1 })).toHaveText('Size class follows headcount');
	const draft = page.getByRole('listitem').filter({ hasText: 'Draft' });
	await expect(draft.locator('del').first()).toHaveText('10 to below 50: Small');
	await expect(draft.locator('ins').first()).toHaveText('10 to below 60: Small');
	await expect(page.getByText('As in Release 2.')).toBeVisible();
	await draft.getByRole('button', { name: 'The whole rule in Draft' }).click();
	await expect(draft).toContainText('always equals; without a result: clears it');
	expect(await barriers(page, 'main', RULES)).toEqual([]);

	await open(page, '/release');
	await page.getByRole('button', { name: /^What differs in Size class follows/ }).click();
	await expect(page.getByLabel('What differs', { exact: true })).toContainText('10 to below 60');

	await page.getByRole('link', { name: 'On paper' }).first().click();
	const paper = page.locator('article.paper');
	await expect(paper).toContainText(/SHA-256 [0-9a-f]{64}/);
	await expect(paper.getByRole('heading', { name: 'Reference tables' })).toBeVisible();
	await page.emulateMedia({ media: 'print', colorScheme: 'dark' });
	await expect(page.getByRole('navigation', { name: 'Readiness of the draft' })).toBeHidden();
	expect(await page.evaluate(() => getComputedStyle(document.body).backgroundColor)).toBe(
		'rgb(255, 255, 255)'
	);
});

test('rules go out as a DMN file and come back, looked at before they are taken', async ({
	page
}) => {
	await open(page, '/release');
	const part = page.getByRole('region', { name: 'As a DMN file' });
	await part.getByRole('button', { name: 'What is lost for other programs?' }).click();
	await expect(part).toContainText('Season notice to the contacts: ▲ not in the file');
	const [file] = await Promise.all([
		page.waitForEvent('download'),
		part.getByRole('link', { name: 'Download' }).click()
	]);
	const xml = fs.readFileSync(await file.path(), 'utf8');
	expect(xml).toContain('https://www.omg.org/spec/DMN/20230324/MODEL/');
	const give = (text: string) =>
		part
			.getByLabel('Take one in')
			.setInputFiles({ name: 'rules.dmn', mimeType: 'application/xml', buffer: Buffer.from(text) });

	await give('<!DOCTYPE x [<!ENTITY a "b">]><definitions/>');
	await expect(part.getByRole('alert')).toContainText('declares a document type or entities');
	await give(xml.replace('<dmn:text>[10..60)</dmn:text>', '<dmn:text>[10..70)</dmn:text>'));
	const taken = page.getByTestId('dmn-taken');
	await expect(taken).toContainText('Size class follows headcount: It was edited elsewhere');
	await expect(taken.getByText('as in the draft')).not.toHaveCount(0);
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await taken.getByRole('button', { name: 'Take 1 into the draft' }).click();
	await expect(taken).toHaveCount(0);
	await expect(page.getByText('Draft saved')).toBeVisible();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a look-up says what the existing records find, and the keys that find nothing', async ({
	page
}) => {
	await openSheet(page, '/write/customer/service_district');
	await page.getByRole('button', { name: 'What all customers would find' }).click();
	const look = page.getByTestId('match-look');
	await expect(look).toContainText(/find one row/);
	await look.getByRole('button', { name: /find none$/ }).click();
	await expect(look).toContainText('Most often without one:');
	await look.getByRole('button', { name: /find one row$/ }).click();
	await look
		.getByRole('link', { name: /^row \d+/ })
		.first()
		.click();
	await expect(page).toHaveURL(/\/tables\/district_postcodes\?row=\d+$/);
	await page.getByRole('button', { name: 'Find anything' }).click();
	await expect(
		page.getByRole('combobox').and(page.getByPlaceholder(/^Find a field/))
	).toBeFocused();
	await page.keyboard.type('release 2');
	await expect(page.getByRole('option').first()).toContainText('Release 2');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/\/paper\/2$/);
});

test('what is found late and stands first is where Enter goes; who has moved on stays there', async ({
	page
}) => {
	let late = () => {};
	await page.route('**/look/names', async (route) => {
		await new Promise<void>((go) => (late = go));
		await route.continue();
	});
	const first = page.getByRole('option').first();
	const chosen = page.locator('[role=option][data-selected]');
	for (const moves of [false, true]) {
		await openSheet(page);
		await page.getByRole('button', { name: 'Find anything' }).click();
		await expect(
			page.getByRole('combobox').and(page.getByPlaceholder(/^Find a field/))
		).toBeFocused();
		await page.keyboard.type('release 2');
		await expect(first).toBeVisible();
		await expect(first).not.toContainText('Release 2');
		if (moves) await page.keyboard.press('ArrowDown');
		const before = await chosen.textContent();
		late();
		await expect(first).toContainText('Release 2');
		await expect(moves ? chosen : first).toHaveText(moves ? before! : /^Release 2/);
		await expect(moves ? chosen : first).toHaveAttribute('data-selected', '');
		await page.keyboard.press(moves ? 'Escape' : 'Enter');
		if (!moves) await expect(page).toHaveURL(/\/paper\/2$/);
	}
});

test('a rule says whether its place below another matters, by a record', async ({ page }) => {
	await openSheet(page);
	const said = page.getByTestId('order-counts');
	await expect(said).toContainText('Where “Size class lifted by turnover and balance sheet”');
	await said.getByRole('button', { name: 'Show it' }).click();
	await expect(page.getByRole('heading', { name: 'A customer that both take' })).toBeVisible();
	await expect(page.getByTestId('wrote-size_class')).toContainText(
		'Size class lifted by turnover and balance sheet'
	);
});

test('samples stand side by side, kept by name; and it can be pretended that one was otherwise', async ({
	page
}) => {
	await openSheet(page);
	const head = page.locator('#s-headcount');
	await head.fill('7');
	await expect(page.getByTestId('wrote-size_class')).toContainText('Micro');
	await page.getByRole('button', { name: 'Keep it beside' }).click();
	await head.fill('300');
	await page.getByRole('button', { name: 'Keep it beside' }).click();
	const beside = page.getByRole('table', { name: 'Samples side by side' });
	await expect(beside.getByRole('row', { name: /^Size class/ })).toContainText(/Micro\s*Large/);
	await beside.getByLabel('Name of the sample Brackwater Tulips', { exact: true }).fill('tiny');
	await page.keyboard.press('Tab');
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect(beside.getByLabel('Name of the sample tiny')).toHaveValue('tiny');
	await beside.getByRole('button', { name: 'Take tiny up' }).click();
	await expect(head).toHaveValue('7');

	await page.getByRole('button', { name: 'Pretend it was …' }).click();
	await page.locator('#was-headcount').fill('300');
	await expect(page.getByTestId('pretended')).toContainText('Headcount 300');
	await page.getByRole('button', { name: 'Now the change' }).click();
	await page.getByRole('button', { name: 'Back to the stored values' }).click();
	await expect(page.getByTestId('pretended')).toHaveCount(0);
	await expect(head).toHaveValue('48');
});

test('the first visit says what is wrong and where to begin, once', async ({ page }) => {
	await page.addInitScript(() => {
		if (sessionStorage.getItem('first')) return;
		sessionStorage.setItem('first', 'yes');
		localStorage.removeItem('begun');
	});
	await openSheet(page);
	const begin = page.getByRole('region', { name: 'Where to begin' });
	await expect(begin).toContainText(/\d+ findings?/);
	await expect(begin).toContainText(/trials/);
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await pressOn(begin.getByRole('button', { name: 'Do not show this again' }));
	await expect(begin).toHaveCount(0);
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect(begin).toHaveCount(0);
	await page.keyboard.press('?');
	await expect(page.getByRole('dialog')).toContainText(
		'touches no live record until it is released'
	);
});

test('an address leads back to its place through signing in', async ({ page }) => {
	await page.context().clearCookies();
	await page.goto('/write/customer/account_engineer#rule-engineer_country');
	await page.fill('#email', 'jonas@quillmere.example');
	await page.fill('#password', 'glasshouse-2');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/\/write\/customer\/account_engineer#rule-engineer_country$/);
});

test('what opens has no barriers', async ({ page }) => {
	await openSheet(page, '/write/deal/supply_phases');
	const opened: [name: string, open: () => Promise<void>][] = [
		['purposes', () => page.getByRole('button', { name: /^How .* gets its value/ }).click()],
		[
			'the menu of a rule',
			() => page.getByRole('button', { name: /^More for Three phases/ }).click()
		],
		['a word', () => page.getByLabel(/^How firmly Supply phases is set/).click()],
		['why', () => page.getByRole('button', { name: 'Why' }).first().click()],
		['another sample', () => page.getByRole('button', { name: 'another sample' }).click()],
		['the finder', () => page.keyboard.press('/')],
		['help', () => page.keyboard.press('?')]
	];
	for (const [name, show] of opened) {
		await show();
		await page.waitForTimeout(150);
		// what opens lies beside the landmarks, and a list that is walked from its box scrolls along
		const found = await barriers(page, 'body', RULES);
		const real = found.filter((f) => !/^(region|scrollable-region-focusable):/.test(f));
		expect(real, name).toEqual([]);
		await page.keyboard.press('Escape');
		await page.waitForTimeout(100);
	}
});

test('nothing runs off the side at the widths there are', async ({ page }) => {
	for (const [width, height, path] of [
		[1280, 650, '/write/customer/size_class'],
		[1024, 700, '/write/customer/size_class'],
		[1024, 700, '/whole/customer/size_class'],
		[390, 800, '/records/customer/1'],
		[390, 800, '/records/customer'],
		[390, 800, '/records/lead/new']
	] as const) {
		await page.setViewportSize({ width, height });
		await open(page, path);
		const over = await page.evaluate(
			() => document.documentElement.scrollWidth - document.documentElement.clientWidth
		);
		expect(over, `${path} at ${width}`).toBeLessThanOrEqual(0);
	}
});
