/** By hand and by keys: what is dragged, ticked, picked and put in, wherever a rule has such a place. */
import {
	begin,
	choose,
	expect,
	find,
	open,
	openSheet,
	signIn,
	source,
	test,
	undoAll
} from './helpers';

test.beforeEach(({ page }) => signIn(page));

test('cells of an option grid take a drag, and Home and End go to the ends of a row', async ({
	page
}) => {
	await openSheet(page, '/write/deal/freight_paid_by');
	const cell = (from: string, to: string) =>
		page.getByRole('button', { name: new RegExp(`^${from} gives ${to}(,|$)`) });
	await expect(cell('EXW', 'Buyer')).toHaveAttribute('aria-pressed', 'true');
	await cell('EXW', 'Seller').hover();
	await page.mouse.down();
	await cell('FCA', 'Seller').hover();
	await cell('FAS', 'Seller').hover();
	await page.mouse.up();
	for (const rule of ['EXW', 'FCA', 'FAS'])
		await expect(cell(rule, 'Seller')).toHaveAttribute('aria-pressed', 'true');
	await expect(cell('EXW', 'Buyer')).toHaveAttribute('aria-pressed', 'false');
	await expect(cell('FOB', 'Seller')).toHaveAttribute('aria-pressed', 'false');
	await cell('FAS', 'Seller').focus();
	await page.keyboard.press('Home');
	await expect(cell('FAS', 'Buyer')).toBeFocused();
	await page.keyboard.press('End');
	await expect(page.getByRole('button', { name: 'FAS gives nothing' })).toBeFocused();
	await page.keyboard.press('Control+Home');
	await expect(cell('EXW', 'Buyer')).toBeFocused();
	await undoAll(page);
	await expect(cell('EXW', 'Buyer')).toHaveAttribute('aria-pressed', 'true');
});

test('a text has its fields as chips: put in by picking, taken out whole', async ({ page }) => {
	await openSheet(page, '/write/contact/greeting');
	const text = source(page, 'Text for Greeting');
	await expect(text.locator('.cm-chip')).toHaveText('Given name');
	await text.click();
	await page.keyboard.press('End');
	await page.getByLabel(/^Put a field into Text for Greeting/).click();
	await find(page, 'family');
	await expect(text.locator('.cm-chip')).toHaveText(['Given name', 'Family name']);
	await page.getByRole('button', { name: 'On some records' }).click();
	await expect(
		page.getByRole('table', { name: 'What it gives on some records' }).getByRole('row').first()
	).toContainText(/Dear \S+ \S+/);
	// the chip goes with one key, and comes as a text when it is clicked
	await text.locator('.cm-chip').first().click();
	await expect(text).toContainText('{Given name}');
	await page.keyboard.press('End');
	await page.keyboard.press('Backspace');
	await page.keyboard.press('Backspace');
	await expect(text).not.toContainText('Family name');
	await undoAll(page);
	await expect(text.locator('.cm-chip')).toHaveText('Given name');
});

test('conditions are moved by their handles, and one option may stand behind another', async ({
	page
}) => {
	await openSheet(page, '/write/deal/site_survey_needed');
	await begin(page, 'fixed');
	await find(page, 'stage');
	await page.getByLabel(/how Stage is asked about/).click();
	await page.keyboard.type('stands behind');
	await page.keyboard.press('Enter');
	await choose(page.getByLabel(/what Stage is compared with/), 'Survey');
	await page.getByRole('button', { name: /add a condition$/ }).click();
	await find(page, 'amount');
	await page.getByLabel(/what Amount is compared with/).fill('1000');
	const rows = page.getByRole('group', { name: /^Condition of .* [12]$/ });
	await expect(rows.first()).toContainText('Stage');
	await page.getByRole('button', { name: /^Place 1 of 2 in Condition of/ }).press('ArrowDown');
	await expect(rows.first()).toContainText('Amount');
	await expect(page.getByRole('button', { name: /^Place 2 of 2 in Condition of/ })).toBeFocused();
	await expect(rows.last()).toContainText('stands behind');
	await undoAll(page);
});

test('the columns of a table are taken together, each into a field that fits', async ({ page }) => {
	await openSheet(page, '/write/customer/currency');
	const columns = page.getByLabel(/^Columns taken from Country desk/);
	await expect(columns).toHaveText(/Currency/);
	const before = await columns.textContent();
	await columns.click();
	const free = page.getByRole('option', { selected: false });
	const more = await free.count();
	if (more) {
		await free.first().click();
		await page.keyboard.press('Escape');
		await expect(columns).not.toHaveText(before!);
		await undoAll(page);
	} else await page.keyboard.press('Escape');
});

test('an update for each related record is a purpose of its own, tried at the record that sets it off', async ({
	page
}) => {
	await openSheet(page, '/write/deal/delivery_rule');
	await begin(page, 'when its customer');
	await expect(page.getByText(/For each deal of/)).toBeVisible();
	await page.getByLabel('Country', { exact: true }).click();
	await page.keyboard.press('Escape');
	await choose(page.getByLabel('What Delivery rule gets: value'), 'FAS');
	await page.getByRole('link', { name: /^try it at / }).click();
	await expect(page).toHaveURL(/\/write\/customer\/country\?sample=\d+/);
	const country = page.locator('#s-country');
	await expect(country).toBeVisible();
	await choose(country, (await country.textContent())?.includes('Poland') ? 'Germany' : 'Poland');
	const elsewhere = page.getByTestId('elsewhere');
	await expect(elsewhere).toContainText('Delivery rule');
	await expect(elsewhere).toContainText('FAS');
	await undoAll(page);
	await open(page, '/write/deal/delivery_rule');
	await expect(page.getByText(/For each deal of/)).toHaveCount(0);
});

test('a rule is read in the formula language: a table as tests, cases as an expression', async ({
	page
}) => {
	await openSheet(page);
	await page.getByRole('button', { name: 'More for Size class follows headcount' }).click();
	await page.getByRole('menuitem', { name: 'Show as text' }).click();
	const text = page.getByTestId('as-text');
	await expect(text.getByRole('row', { name: /Headcount/ })).toBeVisible();
	await expect(text.getByRole('row', { name: /^\[10\.\.[56]0\) "Small"$/ })).toBeVisible();
});

test('a decision table takes rows of a spreadsheet, and rows between others', async ({ page }) => {
	await openSheet(page, '/write/deal/discount_limit_percent');
	const cell = (row: number, input: number) =>
		page.getByLabel(new RegExp(`^Row ${row}, input ${input}:`));
	await expect(cell(3, 1)).toHaveText('New build');
	await page.getByRole('button', { name: 'Insert a row behind row 3' }).click();
	await expect(cell(4, 1)).toHaveText('New build');
	await expect(cell(5, 1)).toHaveText('Retrofit');
	// two rows for one case are told at the row
	await expect(
		page
			.getByRole('grid', { name: /Decision table/ })
			.getByText(/●|▲/)
			.first()
	).toBeVisible();
	const first = page.getByRole('grid', { name: /Decision table/ }).locator('[data-at="3 1"]');
	await first.focus();
	await first.evaluate((el) => {
		const data = new DataTransfer();
		data.setData('text/plain', 'Service\tmicro, small\t4\nSpare parts\t-\t2.5');
		el.dispatchEvent(
			new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true })
		);
	});
	await expect(cell(4, 1)).toHaveText('Service');
	await expect(cell(4, 2)).toHaveText('Micro, Small');
	await expect(cell(5, 1)).toHaveText('Spare parts');
	await expect(cell(5, 2)).toHaveText('–');
	await expect(page.getByLabel('Row 5, Discount limit %')).toHaveValue('2.5');
	await undoAll(page);
	await expect(cell(4, 1)).toHaveText('Retrofit');
});
