/** Grids by the keyboard: from cell to cell, sorted, filtered, sized; rows, columns and options put elsewhere. */
import { cellOf, expect, open, openSheet, signIn, test } from './helpers';

test.beforeEach(async ({ page }) => signIn(page));

const DESK = 'Rows of Country desk';

test('a grid is one tab stop; arrows move, a heading sorts, and a filter leaves rows out', async ({
	page
}) => {
	await open(page, '/tables/country_desk');
	const at = (column: string, row: number) => cellOf(page, DESK, column, row);
	await (await at('Country', 1)).click();
	await page.keyboard.press('ArrowDown');
	await expect(await at('Country', 2)).toBeFocused();
	await page.keyboard.press('Control+End');
	await page.keyboard.press('Control+Home');
	await page.keyboard.press('ArrowRight');
	await expect(await at('Country', 1)).toBeFocused();
	// up to the heading, which sorts
	await page.keyboard.press('ArrowUp');
	await page.keyboard.press('Enter');
	// its first control is the sort; from there on it is a button like others
	await page.keyboard.press('Enter');
	await expect(
		page.getByRole('grid', { name: DESK }).locator('[aria-sort="ascending"]')
	).toContainText('Country');
	await expect(await at('Country', 1)).toHaveText('Belgium');
	await page.keyboard.press('Escape');
	const width = () =>
		page
			.getByRole('grid', { name: DESK })
			.locator('col')
			.nth(1)
			.evaluate((c) => (c as HTMLElement).style.width);
	expect(await width()).toBe('180px');
	await page.keyboard.press('Alt+ArrowRight');
	await expect.poll(width).toBe('196px');
	// one stop for the whole: the next is outside
	await page.keyboard.press('Tab');
	await expect(page.getByRole('grid', { name: DESK }).locator(':focus')).toHaveCount(0);
	await page.getByRole('button', { name: 'Back to their own order' }).click();
	await expect(await at('Country', 1)).toHaveText('Netherlands');

	await page.getByRole('button', { name: 'Filter', exact: true }).click();
	await page.getByLabel('Filter by Trading region').fill('low');
	await expect(page.getByText('2 of 6 shown')).toBeVisible();
	await page.getByLabel('Filter by Trading region').fill('nothing like it');
	await expect(page.getByText('None of 6 passes the filter.')).toBeVisible();
	await page.getByRole('button', { name: 'Show all again' }).click();
	await expect(await at('Country', 6)).toHaveText('Poland');
	// the width stays
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect.poll(width).toBe('196px');
});

test('cells are typed over, left as they were by Escape, cleared, and written where the grid is sorted', async ({
	page
}) => {
	await open(page, '/tables/country_desk');
	const engineer = await cellOf(page, DESK, 'Currency', 3);
	await engineer.click();
	await page.keyboard.type('X');
	await page.keyboard.press('Escape');
	await expect(engineer).toHaveText('EUR');
	await expect(engineer).toBeFocused();
	await page.keyboard.press('Delete');
	await expect(engineer).toHaveText('');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(engineer).toHaveText('EUR');
	// by currency, downwards: Poland comes first, and what is written goes to Poland's row
	await page.getByRole('button', { name: 'Currency', exact: true }).click();
	await page.getByRole('button', { name: /^Currency/ }).click();
	const top = await cellOf(page, DESK, 'Trading region', 1);
	await expect(await cellOf(page, DESK, 'Country', 1)).toHaveText('Poland');
	await top.click();
	await page.keyboard.type('Baltic');
	await page.keyboard.press('Tab');
	await page.getByRole('button', { name: 'Back to their own order' }).click();
	await expect(await cellOf(page, DESK, 'Trading region', 6)).toHaveText('Baltic');
	await expect(await cellOf(page, DESK, 'Trading region', 5)).toHaveText('Baltic');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(await cellOf(page, DESK, 'Trading region', 6)).toHaveText('Central');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('columns of a table and rows and inputs of a decision table move by their handles', async ({
	page
}) => {
	await open(page, '/tables/country_desk');
	await page.getByRole('button', { name: 'Columns · 4' }).click();
	const second = page.getByRole('button', { name: /^Place 2 of 4 .*: Trading region/ });
	await second.focus();
	await page.keyboard.press('ArrowUp');
	await expect(page.getByLabel('Name of column 1')).toHaveValue('Trading region');
	// the focus goes with what is moved
	await expect(
		page.getByRole('button', { name: /^Place 1 of 4 .*: Trading region/ })
	).toBeFocused();
	await expect(await cellOf(page, DESK, 'Trading region', 6)).toHaveText('Central');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByLabel('Name of column 1')).toHaveValue('Country');

	await openSheet(page, '/write/deal/discount_limit_percent');
	const cell = page.getByLabel(/^Row 1, input 1:/);
	await expect(cell).toHaveText('New build');
	await page.getByRole('button', { name: /^Place 1 of 9 .*: row 1/ }).press('ArrowDown');
	await expect(page.getByLabel(/^Row 2, input 2:/)).toHaveText('Micro, Small');
	await expect(page.getByRole('button', { name: /^Place 2 of 9 / })).toBeFocused();
	await page.getByRole('button', { name: 'Undo' }).click();
	await page
		.getByRole('button', { name: /^Place 2 of .* columns of Decision table .*: Kind$/ })
		.press('ArrowRight');
	await expect(page.getByLabel(/^Row 1, input 1:/)).toHaveText('Micro, Small');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(cell).toHaveText('New build');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('options of a list are put in another order, and stay so', async ({ page }) => {
	await open(page, '/options/country');
	const option = (n: number) =>
		page.getByRole('button', { name: new RegExp(`^Place ${n} of .* options of Country`) });
	const second = await option(2).getAttribute('aria-label');
	const name = second!.split(': ').at(-1)!;
	await option(2).press('ArrowUp');
	await expect(page.getByText('The order of Country is stored.')).toBeVisible();
	await expect(option(1)).toHaveAttribute('aria-label', new RegExp(`${name}$`));
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect(option(1)).toHaveAttribute('aria-label', new RegExp(`${name}$`));
	await option(1).press('ArrowDown');
	await expect(option(2)).toHaveAttribute('aria-label', new RegExp(`${name}$`));
	await expect(page.getByText('The order of Country is stored.').first()).toBeVisible();
});

test('a form says what is wrong at its input before it is sent, and keeps what was typed', async ({
	page
}) => {
	await open(page, '/model/customer');
	await page.getByRole('button', { name: 'New field' }).click();
	const field = page.getByLabel('New field');
	await expect(field).toBeFocused();
	await field.fill('  ');
	await page.getByRole('button', { name: 'Add the field' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'Give the field a name.' })).toBeVisible();
	await expect(field).toBeFocused();
	await expect(field).toHaveAttribute('aria-invalid', 'true');
	await field.fill('Headcount');
	await page.getByRole('button', { name: 'Add the field' }).click();
	await expect(
		page.getByRole('alert').filter({ hasText: 'Customer already has a field “Headcount”.' })
	).toBeVisible();
	await expect(field).toHaveValue('Headcount');
});

test('records are sorted by their headings, page by page', async ({ page }) => {
	await open(page, '/records/customer');
	await page.getByRole('button', { name: 'Trading name', exact: true }).click();
	await expect(page).toHaveURL(/sort=trading_name/);
	const first = () => cellOf(page, 'Customers', 'Trading name', 1);
	const up = (await (await first()).textContent())!.trim();
	await page.getByRole('button', { name: /^Trading name/ }).click();
	await expect(page).toHaveURL(/desc=1/);
	const down = (await (await first()).textContent())!.trim();
	expect(up.toLowerCase() < down.toLowerCase()).toBe(true);
	await page.getByRole('link', { name: 'Next page' }).click();
	await expect(page).toHaveURL(/desc=1.*after=/);
	await page.getByRole('button', { name: /^Country/ }).click();
	await expect(page).toHaveURL(/sort=country/);
});

test('panes are made wider by keyboard and pointer, and stay so', async ({ page }) => {
	await openSheet(page);
	const sample = page.getByRole('separator', { name: 'Width of the sample' });
	const box = () => page.getByRole('region', { name: 'Sample' }).boundingBox();
	const before = (await box())!.width;
	await sample.focus();
	await page.keyboard.press('ArrowLeft');
	await page.keyboard.press('ArrowLeft');
	await expect(sample).toHaveAttribute('aria-valuenow', '432');
	expect((await box())!.width).toBe(before + 32);
	const line = (await sample.boundingBox())!;
	await page.mouse.move(line.x + 4, 400);
	await page.mouse.down();
	await page.mouse.move(line.x - 36, 400, { steps: 4 });
	await page.mouse.up();
	await expect(sample).toHaveAttribute('aria-valuenow', '472');
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect(sample).toHaveAttribute('aria-valuenow', '472');
	// as narrow as it may be, and back to the first
	await sample.focus();
	await page.keyboard.press('Home');
	await expect(sample).toHaveAttribute('aria-valuenow', '340');
	await page.keyboard.press('Enter');
	await expect(sample).toHaveAttribute('aria-valuenow', '400');
	const list = page.getByRole('separator', { name: 'Width of the list' });
	await list.focus();
	await page.keyboard.press('ArrowRight');
	await expect(list).toHaveAttribute('aria-valuenow', '264');
	await page.keyboard.press('Enter');
});
