import { readFileSync } from 'node:fs';
import { type Locator } from '@playwright/test';
import { barriers, choose, expect, expectHeld, open, openSheet, signIn, test } from './helpers';

test.beforeEach(async ({ page }) => signIn(page, 'jonas'));

const WCAG = ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'];

const paste = (cell: Locator, text: string) =>
	cell.evaluate((el, text) => {
		const data = new DataTransfer();
		data.setData('text/plain', text);
		el.dispatchEvent(
			new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true })
		);
	}, text);

test('a trial is written by keys: rows from a spreadsheet, a sequence, what must not happen', async ({
	page
}) => {
	test.slow();
	await open(page, '/try');
	await page.getByRole('button', { name: 'A new trial' }).first().click();
	await page.keyboard.type('customer');
	await page.keyboard.press('Enter');
	await page.getByLabel('Name of the trial').fill('Headcount around the limits');
	await page.getByLabel('Group of the trial').fill('Sizes');
	await expect(page.getByText('It expects nothing yet.')).toBeVisible();
	await page.getByRole('button', { name: 'Column that is sent' }).click();
	await page.keyboard.type('headcount');
	await page.keyboard.press('Enter');
	await page.getByRole('button', { name: 'Column that is expected' }).click();
	await page.keyboard.type('size class');
	await page.keyboard.press('Enter');
	const cell = (row: number, what: string) => page.getByLabel(`${what}, row ${row}`);
	await paste(
		cell(1, 'Headcount sent'),
		'9\tMicro\n10\tSmall\n11\tSmall\n49\tSmall\nblank\tblank\nmany\tLarge'
	);
	// what cannot be read stays in its cell, with the reason
	await expect(page.getByText(/^● Headcount/)).toBeVisible();
	await expect(cell(6, 'Headcount sent')).toHaveValue('many');
	await cell(6, 'Headcount sent').fill('50');
	await page.keyboard.press('Enter');
	// the draft moved that limit
	await expect(page.getByText('got Small')).toBeVisible();
	await page.getByRole('button', { name: 'Keep the trial' }).click();
	await expect(page.getByTestId('station-try')).toContainText('89/92');
	await expect(page.getByText('▲ Sizes: 0 of 1 hold')).toBeVisible();

	// it is kept with all its rows, and mended where the rule is right
	await page.reload();
	await page.getByRole('button', { name: 'Headcount around the limits' }).click();
	await expect(cell(5, 'Headcount sent')).toHaveValue('blank');
	await cell(6, 'Size class expected').fill('Small');
	await page.keyboard.press('Tab');
	await page.getByRole('button', { name: 'and then another change' }).click();
	await page.getByRole('button', { name: 'Leave out row 6' }).click();
	await page.getByRole('button', { name: 'Cancel' }).click();
	await page.getByRole('button', { name: 'Headcount around the limits' }).click();
	await expect(cell(6, 'Size class expected')).toHaveValue('Large');
	await page
		.getByRole('button', { name: 'The rule is right: expect what the draft gives' })
		.click();
	await expect(cell(6, 'Size class expected')).toHaveValue('Small');
	await expect(page.getByTestId('station-try')).toContainText('90/92');
	expect(await barriers(page, 'main', WCAG)).toEqual([]);
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(page.getByTestId('station-try')).toContainText('89/91');
	// taken away by mistake
	await page.getByRole('button', { name: 'Put it back' }).click();
	await expect(page.getByTestId('station-try')).toContainText('90/92');
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(page.getByTestId('station-try')).toContainText('89/91');
});

test('trials come from a file and go to one; what is wrong with one names its place', async ({
	page
}) => {
	await open(page, '/try');
	const download = page.waitForEvent('download');
	await page.getByRole('button', { name: 'To a file' }).click();
	const path = await (await download).path();
	const all = JSON.parse(readFileSync(path, 'utf8')) as Record<string, unknown>[];
	expect(all).toHaveLength(91);
	const file = (trials: unknown) => ({
		name: 'mine.json',
		mimeType: 'application/json',
		buffer: Buffer.from(JSON.stringify(trials))
	});
	const input = page.getByLabel('From a file');
	await input.setInputFiles(file([all[0], { ...all[1], expect: [{ field: 'x' }] }]));
	await expect(page.getByText(/^● \[1\] expect\[0\] must name what it expects/)).toBeVisible();
	await input.setInputFiles(file({ trials: all }));
	await expect(page.getByText('● mine.json holds no list of trials.')).toBeVisible();
	// lines of a spreadsheet, out and in
	const lines = page.waitForEvent('download');
	await page.getByRole('button', { name: 'As CSV' }).click();
	const csv = readFileSync(await (await lines).path(), 'utf8');
	expect(csv).toContain('sent: Customer › Headcount');
	const [head] = csv.split('\r\n');
	const text = (line: string) => ({
		name: 'mine.csv',
		mimeType: 'text/csv',
		buffer: Buffer.from(
			`Record type,sent: Customer › Headcount,gives: Customer › Size class\n${line}\n`
		)
	});
	expect(head).toContain('Record type');
	await input.setInputFiles(text('Customer,many,Micro'));
	await expect(page.getByText(/^● Line 2, sent: Customer › Headcount:/)).toBeVisible();
	await input.setInputFiles(file([{ ...all[0], id: 'brought', name: 'Brought in' }]));
	await expect(page.getByTestId('station-try')).toContainText('90/92');
	await page.getByRole('button', { name: 'Brought in' }).click();
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(page.getByTestId('station-try')).toContainText('89/91');
});

test('a refusal, a field that is required and a rule that keeps out, after a first change', async ({
	page
}) => {
	await open(page, '/try');
	await page.getByRole('button', { name: 'A new trial' }).first().click();
	await page.keyboard.type('deal');
	await page.keyboard.press('Enter');
	const expectAlso = async (change: number, what: string) => {
		await page.getByRole('button', { name: `Expect something of change ${change}` }).click();
		await page.keyboard.type(what);
		await page.keyboard.press('Enter');
	};
	const send = async (change: number, field: string) => {
		await page.getByRole('button', { name: `a value that is sent, change ${change}` }).click();
		await page.keyboard.type(field);
		await page.keyboard.press('Enter');
	};
	await send(1, 'Heat pump');
	await choose(page.getByLabel(/^Heat pump, change 1/), 'yes');
	await expectAlso(1, 'whether the change is refused');
	await expect(page.locator('.opened').getByText('✓ holds')).toBeVisible();
	await page.getByRole('button', { name: 'and then another change' }).click();
	await send(2, 'Heat pump');
	await choose(page.getByLabel(/^Heat pump, change 2/), 'no');
	await expectAlso(2, 'Electrical capacity');
	await choose(page.getByLabel(/What is expected of Electrical capacity/), 'is required');
	await expect(page.getByText(/✕ it is not required/)).toBeVisible();
	await choose(page.getByLabel(/What is expected of Electrical capacity/), 'is not required');
	await expectAlso(2, 'Three phases');
	await expect(page.locator('.opened').getByText('“Three phases for a heat pump”')).toBeVisible();
	await choose(page.getByLabel(/^Whether the rule writes/), 'writes');
	await expect(page.locator('.opened').getByText('✕ it wrote nothing')).toBeVisible();
	await choose(page.getByLabel(/^Whether the rule writes/), 'writes nothing');
	await expect(page.locator('.opened').getByText('✕')).toHaveCount(0);
	await page.getByRole('button', { name: 'Keep the trial' }).click();
	const name = page.getByRole('button', { name: /^Heat pump yes: refused/ });
	await expect(name).toBeVisible();
	await name.click();
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(page.getByTestId('station-try')).toContainText('89/91');
});

test('what nobody tried is shown at the rule, proposed, and told right or wrong', async ({
	page
}) => {
	test.slow();
	await openSheet(page, '/write/deal/probability');
	const number = page.getByTestId('tried-probability');
	await expect(number).toHaveText(/4\/11\s+tried/);
	// point by point, where the rule stands
	await number.focus();
	await page.keyboard.press('Enter');
	const points = page.getByTestId('points-probability');
	await expect(points.getByRole('listitem').filter({ hasText: 'not tried:' })).toHaveCount(7);
	await expect(points.getByRole('link', { name: /^tried: / })).toHaveCount(4);
	expect(await barriers(page, '#rule-probability', WCAG)).toEqual([]);
	const further = page.getByRole('link', { name: 'Trials for what is not tried' });
	await further.click();
	await expect(page).toHaveURL(/view=untried&rule=probability/);
	await expect(points.getByRole('listitem').filter({ hasText: 'not tried:' })).toHaveCount(7);
	await page.getByRole('button', { name: 'Propose trials for it' }).click();
	await expect(page.getByText(/^Stage .* gives Probability is/).first()).toBeVisible();
	expect(await barriers(page, 'main', WCAG)).toEqual([]);
	// wrong: the rule, with that very record as the sample
	const said = page.getByText(/^Stage .* gives Probability is/).first();
	const wrong = await said.innerText();
	const item = said.locator('xpath=ancestor::li[1]');
	await item.getByRole('link', { name: 'Wrong: open the rule' }).click();
	await expect(page).toHaveURL(/\/write\/deal\/probability#rule-probability/);
	const stage = /^Stage (.*?)(,| gives)/.exec(wrong)![1];
	await expectHeld(page.locator('#s-stage'), stage === 'blank' ? '—' : stage);
	await number.click();
	await further.click();
	await page.getByRole('button', { name: 'Propose trials for it' }).click();
	await page.getByRole('button', { name: 'Right: keep it' }).first().click();
	await expect(page.getByTestId('station-try')).toContainText('90/92');
	await page.getByRole('button', { name: /^All \d+ of this rule are right/ }).click();
	await expect(page.getByText('✓ Everything is tried.')).toBeVisible();
	await openSheet(page, '/write/deal/probability');
	await expect(number).toHaveText(/11\/11\s+tried/);
});

test('each cell of a decision table says whether a record was tried that fails there alone', async ({
	page
}) => {
	await openSheet(page, '/write/deal/discount_limit_percent');
	const table = page.locator('#rule-discount_limit .decision');
	const cell = table.getByRole('link', { name: /^all of row 8 but Kind: / });
	await expect(cell).toHaveCount(1);
	// a cell that asks for nothing has none
	await expect(table.getByRole('link', { name: /^all of row 6 but Size class/ })).toHaveCount(0);
	const number = page.getByTestId('tried-discount_limit');
	await number.focus();
	await page.keyboard.press('Enter');
	const points = page.getByTestId('points-discount_limit');
	const which = points.getByRole('listitem').filter({ hasText: /all of row \d but / });
	await expect(which.first()).toBeVisible();
	await expect(table.getByRole('link', { name: /^all of row \d but / })).toHaveCount(
		await which.count()
	);
});

test('small mistakes that no trial would notice are shown with the trial that would', async ({
	page
}) => {
	test.slow();
	await open(page, '/try?view=strength');
	await page.getByRole('button', { name: 'Try the mistakes' }).click();
	await expect(page.getByText(/small\s+mistakes are noticed by a trial\./)).toBeVisible({
		timeout: 60_000
	});
	await page.getByRole('button', { name: 'Discount within its limit' }).click();
	await expect(page.getByText('○ nobody would notice').first()).toBeVisible();
	expect(await barriers(page, 'main', WCAG)).toEqual([]);
	const [before] = (await page.getByTestId('station-try').textContent())!.match(/\d+\/\d+/)!;
	await page.getByRole('button', { name: 'Right: keep that trial' }).first().click();
	await expect(page.getByTestId('station-try')).not.toContainText(before);
	await expect(page.getByText('the draft or its trials were edited since')).toBeVisible();
});

test('any two versions are compared in terms of rules and by the trials, one from a file too', async ({
	page
}) => {
	await open(page, '/release');
	await page.getByRole('link', { name: 'Compare any two versions' }).click();
	await expect(page.getByText('between Release 3 and The draft.')).toBeVisible();
	await expect(page.getByText('10 to below 60: Small')).toBeVisible();
	await expect(page.getByText(/^Headcount 50: Size class is Medium/)).toBeVisible();
	expect(await barriers(page, 'main', WCAG)).toEqual([]);
	await choose(page.getByLabel(/^The later one/), 'Release 2');
	await expect(page).toHaveURL(/from=3&to=2/);
	await expect(page.getByText('taken out').first()).toBeVisible();
	const response = await page.request.get('/releases/3');
	const file = (name: string, text: string) => ({
		name,
		mimeType: 'application/json',
		buffer: Buffer.from(text)
	});
	const input = page.getByLabel('A release or bundle from a file');
	await input.setInputFiles(file('odd.json', '{"format": "something else"}'));
	await expect(page.getByText('● odd.json: format must be "rigid-rule/release".')).toBeVisible();
	await input.setInputFiles(file('third.json', await response.text()));
	await expect(page.getByText('Release 3 and third.json say the same.')).toBeVisible();
	// and on the records, as any other version
	const less = JSON.parse(await response.text());
	const bands = less.rules.find((r: { id: string }) => r.id === 'size_class').body;
	bands.limits.find((l: { at: string }) => l.at === '50').at = '60';
	await input.setInputFiles(file('less.json', JSON.stringify(less)));
	const rehearse = page.getByRole('button', { name: 'Rehearse less.json against Release 3' });
	await expect(rehearse).toBeEnabled();
	await rehearse.focus();
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/\/rehearse\?id=/);
	await expect(
		page.getByText('would come out differently: “less.json” against release 3.')
	).toBeVisible({
		timeout: 60_000
	});
	await expect(page.getByText('from release 3 to “less.json”')).toBeVisible();
	// the draft is not rehearsed by that
	await expect(page.getByTestId('station-rehearse')).not.toContainText('less');
});

test('what grows in an opened trial stays in view', async ({ page }) => {
	await open(page, '/try#t8');
	// the page has come to rest at the trial that its address names
	await expect(page.getByTestId('station-try')).toContainText(/\d+\/\d+ hold/);
	await page.waitForLoadState('load');
	const more = page.getByRole('button', { name: 'and then another change' });
	await more.click();
	// and is gone on with by keys
	await expect(page.getByRole('button', { name: 'a value that is sent, change 2' })).toBeFocused();
	await expect(page.getByRole('heading', { name: /^Change 2/ })).toBeInViewport();
	await page.keyboard.press('Enter');
	await page.keyboard.type('phone');
	await page.keyboard.press('Enter');
	await expect(page.getByLabel('Phone, change 2', { exact: true })).toBeInViewport();
	await page.getByRole('button', { name: 'Cancel' }).click();
});

test('a sample is taken from a stored record with what it links to, and somebody makes the change', async ({
	page
}) => {
	test.slow();
	await open(page, '/try');
	await page.getByRole('button', { name: 'A new trial' }).first().click();
	await page.keyboard.type('deal');
	await page.keyboard.press('Enter');
	await page.getByLabel('Name of the trial').fill('As it is stored');
	const take = page.getByRole('button', { name: 'as a record is stored …' });
	await take.click();
	await page.getByLabel('Take', { exact: true }).pressSequentially('Brackwater');
	await page
		.getByRole('option', { name: /Brackwater/ })
		.first()
		.click();
	await expect(
		page.getByText(/^As “.*Brackwater.*” is stored now, with \d+ linked records?\. /i)
	).toBeVisible();
	await expect(take).toBeVisible();
	await expect(page.getByText(/\d+ linked records? at hand/)).toBeVisible();
	// the person who makes the change is one of the records
	const who = page.getByLabel('Who makes change 1');
	await expect(who).toHaveValue('Jonas Weverling');
	await who.fill('');
	await who.pressSequentially('Mieke');
	await page.getByRole('option', { name: /Mieke Rozendal/ }).click();
	await expect(who).toHaveValue('Mieke Rozendal');
	// what follows through the link to its customer is known
	await page.getByRole('button', { name: 'Expect something of change 1' }).click();
	await page.keyboard.type('discount limit');
	await page.keyboard.press('Enter');
	await expect(page.getByText('✓ holds').first()).toBeVisible();
	await page.getByRole('button', { name: 'Keep the trial' }).click();
	const kept = page.getByRole('row', { name: /As it is stored/ });
	await expect(kept).toContainText('✓ holds');
	await page.reload();
	await page.getByRole('button', { name: 'As it is stored' }).click();
	await expect(who).toHaveValue('Mieke Rozendal');
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(kept).toHaveCount(0);
});

test('of two who have one trial open, neither writes over the other unawares', async ({
	page,
	browser,
	baseURL
}) => {
	test.slow();
	const other = await (await browser.newContext({ baseURL })).newPage();
	await signIn(other, 'ida');
	const name = (p: typeof page) => p.getByLabel('Name of the trial');
	const keep = (p: typeof page) => p.getByRole('button', { name: /^Keep the (trial|changes)$/ });
	await open(page, '/try');
	await page.getByRole('button', { name: 'A new trial' }).first().click();
	await page.keyboard.type('customer');
	await page.keyboard.press('Enter');
	await name(page).fill('Written by two');
	await page.getByRole('button', { name: 'Expect something of change 1' }).click();
	await page.keyboard.type('size class');
	await page.keyboard.press('Enter');
	await keep(page).click();
	await expect(page.getByText('Kept the trial “Written by two”.')).toBeVisible();

	await open(other, '/try');
	for (const p of [page, other])
		await p.getByRole('button', { name: 'Written by two', exact: true }).click();
	await name(page).fill('Written by Jonas');
	await name(other).fill('Written by Ida');
	await keep(page).click();
	// whoever is still writing is told, and what they wrote stays
	await expect(other.getByText('Somebody stored this trial otherwise meanwhile.')).toBeVisible();
	await expect(name(other)).toHaveValue('Written by Ida');
	expect(await barriers(other, 'main', WCAG)).toEqual([]);
	await other.getByRole('button', { name: 'Take theirs instead' }).click();
	await expect(name(other)).toHaveValue('Written by Jonas');

	// taken away by the one, what the other wrote can be kept all the same
	await name(other).fill('Written by Ida after all');
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(other.getByText('Somebody took this trial away meanwhile.')).toBeVisible();
	await expect(name(other)).toHaveValue('Written by Ida after all');
	await keep(other).click();
	await expect(other.getByText('Kept the trial “Written by Ida after all”.')).toBeVisible();

	// nor is removed what somebody stored since and this page has not heard of
	await open(page, '/try');
	await page.getByRole('button', { name: 'Written by Ida after all', exact: true }).click();
	await page.route(/\/trials$/, (r) => r.abort());
	await name(other).fill('Written by Ida at last');
	await keep(other).click();
	await expect(other.getByText('Kept the trial “Written by Ida at last”.')).toBeVisible();
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(page.getByText(/stored this trial otherwise .* not removed/)).toBeVisible();
	await page.unroute(/\/trials$/);
	await expect(name(page)).toHaveValue('Written by Ida at last', { timeout: 15_000 });
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(page.getByText('Removed “Written by Ida at last”.')).toBeVisible();
	await other.context().close();
});
