/** A living table: rows edited in force by whoever keeps them, by two at once, and the records that follow. */
import { barriers, expect, open, signIn, test, pressOn } from './helpers';
import type { Page } from '@playwright/test';

const TABLE = '/tables/district_postcodes';
const RULES = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];
const pending = (page: Page) => page.getByRole('region', { name: 'Not in force yet' });
const edits = (page: Page) => page.getByTestId('edits');
const lastRow = (page: Page) => page.getByRole('grid').getByRole('row').last();

/** Adds a row by keys, from the button in the bar on. */
async function addRow(page: Page, cells: readonly string[]) {
	const add = page.getByRole('button', { name: 'Add a row' });
	await add.focus();
	await page.keyboard.press('Enter');
	await expect(lastRow(page).getByRole('gridcell').first()).toBeFocused();
	for (const [i, text] of cells.entries()) {
		await page.keyboard.press('Enter');
		await page.keyboard.type(text);
		await page.keyboard.press(i < cells.length - 1 ? 'Tab' : 'Enter');
		if (i < cells.length - 1) await page.keyboard.press('Escape');
	}
	await page.keyboard.press('Escape');
}
/** Adds rows as a spreadsheet has them. */
async function pasteRows(page: Page, text: string) {
	await page.getByRole('button', { name: 'Add a row' }).press('Enter');
	const first = lastRow(page).getByRole('gridcell').first();
	await expect(first).toBeFocused();
	await first.evaluate((el, text) => {
		const data = new DataTransfer();
		data.setData('text/plain', text);
		el.dispatchEvent(
			new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true })
		);
	}, text);
}
async function seeEdits(page: Page) {
	if (!(await edits(page).isVisible())) await pressOn(page.getByRole('button', { name: /^Edits/ }));
	await expect(edits(page)).toBeVisible();
}

test('a row added by whoever keeps the table; its records found, one left with a reason, the others brought in; taken back', async ({
	page
}) => {
	await signIn(page, 'mieke');
	await open(page, TABLE);
	await expect(page.getByText('edited by Mieke Rozendal and administrators')).toBeVisible();
	await addRow(page, ['Denmark', '66', '10']);
	await expect(pending(page)).toContainText('1 new');
	// a mistake is told and nothing of it counts
	await expect(lastRow(page)).toContainText('new');
	await page.reload();
	await expect(pending(page)).toContainText('1 new');
	await pending(page).getByLabel('Why').fill('The bridge is open');
	await pending(page).getByLabel('the records it concerns follow').uncheck();
	await pressOn(pending(page).getByRole('button', { name: 'Look what it would do' }));
	await expect(pending(page)).toContainText(/^.*3 of [\d\s]+ records would come out otherwise/s, {
		timeout: 30_000
	});
	await expect(pending(page)).toContainText('Customer: Service district 3');
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await page.emulateMedia({ colorScheme: 'dark' });
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await page.emulateMedia({ colorScheme: 'light' });
	await pressOn(pending(page).getByRole('button', { name: 'Put in force' }));
	await expect(page.getByText(/^In force as edit \d+\./)).toBeVisible();
	await expect(pending(page)).toHaveCount(0);
	await seeEdits(page);
	const mine = edits(page).getByRole('row').filter({ hasText: 'The bridge is open' });
	await expect(mine).toContainText('3 out of line', { timeout: 30_000 });
	await pressOn(mine.getByRole('button', { name: 'What it did' }));
	await expect(edits(page)).toContainText('Denmark · 66 · South Denmark new');
	expect(await barriers(page, 'main', RULES)).toEqual([]);

	// an author leaves one of them and brings the others in
	await signIn(page, 'jonas');
	await open(page, '/line?type=customer&field=service_district');
	const table = page.getByRole('table', { name: 'Records out of line' });
	const row = table.getByRole('row').filter({ hasText: 'Dike Lane Tulips' });
	await expect(row).toContainText(/since edit \d+ of “District postcodes”/);
	await pressOn(page.getByRole('checkbox', { name: 'Tick Dike Lane Tulips' }), 'Space');
	await pressOn(page.getByRole('button', { name: /^Leave the 1 ticked/ }));
	await page.keyboard.type('Has a contract with the north until May');
	await page.keyboard.press('Enter');
	await expect(page.getByText(/^1 customer left as/)).toBeVisible();
	await pressOn(page.getByRole('button', { name: /^Bring all 2 into line: look first/ }));
	await pressOn(page.getByRole('button', { name: 'Change 2 customers' }));
	await expect(page.getByRole('heading', { name: '2 of 2 customers changed' })).toBeVisible();

	// who made the edit takes it back: what followed follows again
	await signIn(page, 'mieke');
	await open(page, TABLE);
	await seeEdits(page);
	await pressOn(mine.getByRole('button', { name: 'Take it back' }));
	await expect(page.getByText(/is taken back, as edit/)).toBeVisible();
	const back = edits(page).getByRole('row').filter({ hasText: 'takes back edit' }).first();
	await expect(back).toContainText('Customers: Service district followed in 2', {
		timeout: 30_000
	});
	await expect(lastRow(page)).not.toContainText('66');
});

test('what does not fit is refused with its row; steps are taken back; two at one row', async ({
	page,
	browser
}) => {
	await signIn(page, 'mieke');
	await open(page, TABLE);
	await addRow(page, ['Atlantis', '1', '1']);
	await pressOn(pending(page).getByRole('button', { name: 'Put in force' }));
	await expect(pending(page).getByRole('alert')).toContainText('Country');
	for (let i = 0; i < 4; i++) await page.keyboard.press('Control+z');
	await expect(pending(page)).toHaveCount(0);
	await page.keyboard.press('Control+Shift+z');
	await page.keyboard.press('Control+Shift+z');
	await expect(pending(page)).toBeVisible();
	await pressOn(pending(page).getByRole('button', { name: 'Discard it' }));
	await expect(pending(page)).toHaveCount(0);

	// the first row, by Mieke and by Ida at once
	const cell = (p: Page) =>
		p.getByRole('grid').getByRole('row').nth(1).getByRole('gridcell').nth(2);
	const write = async (p: Page, district: string) => {
		await cell(p).click();
		await p.keyboard.press('Enter');
		await p.keyboard.press('Control+a');
		await p.keyboard.type(district);
		await p.keyboard.press('Enter');
		await p.keyboard.press('Escape');
	};
	const other = await (await browser.newContext()).newPage();
	await signIn(other, 'ida');
	await open(other, TABLE);
	await write(page, '3');
	await write(other, '5');
	await pressOn(other.getByRole('button', { name: 'Put in force' }));
	await expect(other.getByText(/^In force as edit/)).toBeVisible();
	await expect(pending(page).getByRole('alert')).toContainText('Somebody else edited the same row');
	await expect(pending(page).getByRole('button', { name: 'Put in force' })).toBeDisabled();
	await pressOn(pending(page).getByRole('button', { name: 'Mine in its place' }));
	await pressOn(pending(page).getByRole('button', { name: 'Put in force' }));
	await expect(page.getByText(/^In force as edit/)).toBeVisible();
	// the other page shows it without being asked
	await expect(cell(other)).toHaveText(await cell(page).innerText());
	await seeEdits(page);
	await pressOn(edits(page).getByRole('button', { name: 'Take it back' }).first());
	await expect(page.getByText(/is taken back, as edit/)).toBeVisible();
	await expect(cell(other)).toHaveText('North France');
	await other.context().close();
});

test('whoever was not given a table looks; an administrator says who keeps it; a trial keeps its rows', async ({
	page
}) => {
	await signIn(page, 'jonas');
	await open(page, TABLE);
	await expect(
		page.getByText('Rows are edited by Mieke Rozendal and administrators')
	).toBeVisible();
	await expect(page.getByRole('button', { name: 'Add a row' })).toHaveCount(0);
	// a trial that reads a row is kept with it
	await open(page, '/try');
	await page
		.getByRole('button', {
			name: 'A postal code leads to its district, and the district to its engineer'
		})
		.click();
	await page.getByLabel('Name of the trial').fill('Postal code, district, engineer');
	await page.getByRole('button', { name: 'Keep the changes' }).click();
	await expect(page.getByText('Kept the trial “Postal code, district, engineer”.')).toBeVisible();

	await signIn(page, 'ida');
	await open(page, TABLE);
	await page.getByLabel('Who edits the rows').click();
	await page.getByRole('option', { name: 'Jonas Weverling' }).click();
	await page.keyboard.press('Escape');
	await addRow(page, ['Netherlands', '26', '1']);
	await pressOn(page.getByRole('button', { name: 'Put in force' }));
	await expect(page.getByText(/^In force as edit/)).toBeVisible();

	await signIn(page, 'jonas');
	await open(page, '/try');
	const trial = page.getByRole('row').filter({ hasText: 'Postal code, district, engineer' });
	await expect(trial).toContainText('by rows of “District postcodes” that are others today');
	await expect(trial).toContainText('✓ holds');
	await page.getByRole('button', { name: 'Postal code, district, engineer' }).click();
	await page.getByRole('button', { name: 'Go by today’s rows' }).click();
	await expect(trial).toContainText('✕ fails');

	// now he keeps the table, and takes it back
	await open(page, TABLE);
	await seeEdits(page);
	await pressOn(edits(page).getByRole('button', { name: 'Take it back' }).first());
	await expect(page.getByText(/is taken back, as edit/)).toBeVisible();
	await open(page, '/try');
	await expect(trial).toContainText('others today');
	await page.getByRole('button', { name: 'Postal code, district, engineer' }).click();
	await page.getByRole('button', { name: 'Go by today’s rows' }).click();
	await expect(trial).toContainText('✓ holds');
});

test('a table of many rows comes beside the pages, and after an edit only what that changed', async ({
	page
}) => {
	test.setTimeout(120_000);
	await signIn(page, 'ida');
	await open(page, TABLE);
	const count = async () =>
		Number(
			(await page.getByText(/^[\d\s]+ rows\./).innerText()).split(' rows')[0].replace(/\s/g, '')
		);
	const few = await count();
	// more than come with a page; no Danish postal code begins like them
	const lines = Array.from({ length: 1000 }, (_, i) => `Denmark\t${98_000 + i}\t9`);
	await pasteRows(page, lines.join('\n'));
	await expect(pending(page)).toContainText(/1\s?000 new/);
	await pending(page).getByLabel('Why').fill('Many at once');
	await pressOn(pending(page).getByRole('button', { name: 'Look what it would do' }));
	await expect(pending(page)).toContainText('No record that exists would come out otherwise', {
		timeout: 30_000
	});
	const asked: string[] = [];
	page.on('request', (r) => {
		if (r.url().includes('/standing/')) asked.push(new URL(r.url()).search);
	});
	await pressOn(pending(page).getByRole('button', { name: 'Put in force' }));
	await expect(page.getByText(/^In force as edit/)).toBeVisible();
	await expect.poll(count).toBe(few + 1000);
	expect(asked).toEqual(['']);

	// the page itself has none of them, and says so; what rules make of them stands all the same
	const html = await (await page.request.get(TABLE)).text();
	expect(html).toContain('Its rows are on their way');
	expect(html).not.toContain('98000');
	await open(page, TABLE);
	expect(await count()).toBe(few + 1000);
	await open(page, '/write/customer/service_district');
	await expect(page.getByRole('link', { name: /^Open District postcodes/ })).toContainText(
		/\d\s?\d{3}\s+rows/
	);

	// an edit of one row brings that row
	await open(page, TABLE);
	asked.length = 0;
	await pasteRows(page, 'Denmark\t97999\t9');
	await pending(page).getByLabel('Why').fill('One more');
	await pressOn(page.getByRole('button', { name: 'Put in force' }));
	await expect(page.getByText(/^In force as edit/)).toBeVisible();
	await expect.poll(count).toBe(few + 1001);
	expect(asked).toEqual([expect.stringMatching(/^\?since=/)]);
	await seeEdits(page);
	for (const [why, left] of [
		['One more', few + 1000],
		['Many at once', few]
	] as const) {
		const edit = edits(page).getByRole('row').filter({ hasText: why });
		await pressOn(edit.getByRole('button', { name: 'Take it back' }));
		await expect.poll(count).toBe(left);
	}
});
