/** Lists of records: found by what they hold and held, with columns of one's choice, kept for everybody. */
import { readFileSync } from 'node:fs';
import { barriers, choose, expect, open, signIn, test, pressOn } from './helpers';

test.beforeEach(async ({ page }) => signIn(page));

test('now Lost, in Negotiation before: found by keyboard, with an address, kept for everybody', async ({
	page,
	browser
}) => {
	await open(page, '/records/deal');
	const count = page.getByTestId('list-count');
	await pressOn(page.getByRole('button', { name: 'Which deals' }));
	// the first word of the condition is open
	await page.keyboard.type('Stage');
	await page.keyboard.press('Enter');
	await expect(count).toHaveText(/not finished: the list is as before/);
	await choose(page.getByLabel(/Which Deals.*what Stage is compared with/).first(), 'Lost');
	await expect(count).toHaveText(/^\d+ deals where Stage is Lost$/);
	await pressOn(page.getByRole('button', { name: /add a condition/ }));
	await page.keyboard.type('Stage');
	await page.keyboard.press('Enter');
	const relation = page.getByRole('button', { name: /how Stage is asked about/ }).last();
	await relation.press('Enter');
	await page.keyboard.type('was');
	await page.getByRole('option', { name: 'was', exact: true }).click();
	await choose(page.getByLabel(/what Stage is compared with/).last(), 'Negotiation');
	await expect(count).toHaveText('3 deals where Stage is Lost and Stage was Negotiation');
	await expect(page.getByLabel('When changes count')).toBeVisible();
	// the address holds it
	await page.reload();
	await expect(count).toHaveText('3 deals where Stage is Lost and Stage was Negotiation');

	await pressOn(page.getByRole('button', { name: 'Keep as a view' }));
	await page.keyboard.type('Lost after negotiation');
	await page.keyboard.press('Enter');
	await expect(
		page.getByText('There is a view called “Lost after negotiation” already.')
	).toBeVisible();
	await page.getByLabel('Name of the view').fill('Talked over, lost');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/\?view=\d+$/);

	const other = await browser.newPage();
	await signIn(other, 'mieke');
	await open(other, '/records/deal');
	await choose(other.getByLabel(/^View:/), 'Talked over, lost');
	await expect(other.getByTestId('list-count')).toHaveText(/^3 deals where/);
	// a reader keeps none, and removes none
	await expect(other.getByRole('button', { name: 'Remove the view' })).toHaveCount(0);
	await other.close();

	// taken back: removed, and put back from the notice
	await page.getByRole('button', { name: 'Remove the view' }).click();
	await expect(page).toHaveURL(/\/records\/deal$/);
	await page.getByRole('button', { name: 'Keep it' }).click();
	await choose(page.getByLabel(/^View:/), 'Talked over, lost');
	await page.getByRole('button', { name: 'Remove the view' }).click();
	await expect(page).toHaveURL(/\/records\/deal$/);
});

test('columns across links, their order, and a file of what is seen', async ({ page }) => {
	await open(page, '/records/deal');
	await page.getByRole('button', { name: 'Columns', exact: true }).click();
	for (const label of ['Net amount', 'Probability'])
		if (await page.getByRole('button', { name: `Leave out ${label}` }).count())
			await page.getByRole('button', { name: `Leave out ${label}` }).click();
	await page.getByRole('button', { name: /^Another column/ }).click();
	await page.keyboard.type('size class');
	await page
		.getByRole('option', { name: /Size class/ })
		.first()
		.click();
	const head = page.getByRole('columnheader', { name: /Customer › Size class/ });
	await expect(head).toBeVisible();
	await pressOn(page.getByRole('button', { name: 'Customer › Size class further left' }));
	await head.getByRole('button', { name: 'Customer › Size class', exact: true }).click();
	await expect(page).toHaveURL(/sort=customer\.size_class/);
	const cells = page.getByRole('gridcell').filter({ hasText: /^(Micro|Small|Medium|Large)$/ });
	await expect(cells.first()).toHaveText('Micro');

	await page.getByRole('link', { name: 'Next page' }).click();
	await expect(page).toHaveURL(/after=/);
	await page.getByRole('link', { name: 'Previous page' }).click();
	await page.getByRole('link', { name: 'To the beginning' }).click();
	await expect(page).not.toHaveURL(/after=|before=/);

	const [file] = await Promise.all([
		page.waitForEvent('download'),
		page.getByRole('link', { name: 'As CSV' }).click()
	]);
	const lines = readFileSync(await file.path(), 'utf8')
		.trim()
		.split('\r\n');
	expect(lines[0]).toMatch(/^No\.,Name,.*Customer › Size class/);
	expect(lines.length).toBeGreaterThan(4000);
	expect(lines[1]).toContain('Micro');

	await page.getByRole('button', { name: 'the usual columns' }).click();
	await expect(head).toHaveCount(0);
});

test('what cannot be read is named, and what nobody finds says so', async ({ page }) => {
	await open(page, '/records/deal?list={"where":{"text":"Stage > "}}');
	await expect(page.getByRole('alert').filter({ hasText: 'The condition' })).toBeVisible();
	await open(page, '/records/deal?view=99999');
	await expect(page.getByText('This view is not there any more')).toBeVisible();
	await open(page, '/records/deal?find=nobody%20is%20called%20so');
	await expect(page.getByText('No record has this in its name.')).toBeVisible();
	await page.getByRole('button', { name: 'All of them' }).click();
	await expect(page.getByTestId('list-count')).toHaveText(/^4\D?\d{3} deals$/);
});

test('who set a value: a rule by name', async ({ page }) => {
	await open(page, '/records/customer');
	await page.getByRole('button', { name: 'Which customers' }).click();
	// of the condition that was begun nothing is said: it asks nothing
	await page.keyboard.press('Escape');
	await page.getByRole('button', { name: 'who set a value' }).click();
	await choose(page.getByLabel(/^Which value/), 'Service plan');
	await choose(page.getByLabel(/^Who set it/), 'a person');
	await expect(page.getByTestId('list-count')).toHaveText(
		/^\d+ customers where Service plan set by a person$/
	);
	await choose(page.getByLabel(/^Who set it/), 'the rule “Service plan by key grower”');
	await expect(page.getByTestId('list-count')).toHaveText(
		/^[\d\u202f,]+ customers where Service plan set by “/
	);
});

test('a bulk change: looked at first, done, taken back with who had set what', async ({ page }) => {
	const list = '/records/contact?view=3';
	await open(page, list);
	const count = page.getByTestId('list-count');
	await expect(count).toHaveText(/^60 contacts where/);
	await page.getByRole('button', { name: 'Change them all' }).click();
	await choose(page.getByLabel(/^What is done/), 'a field is copied or calculated');
	await page.getByLabel(/^Which field is set/).click();
	await page.keyboard.type('Delivery yard');
	await page.keyboard.press('Enter');
	await page.getByLabel(/^What Delivery yard becomes/).click();
	await page.keyboard.type('Site code');
	await page.keyboard.press('Enter');
	await page.getByRole('button', { name: 'Look what it would do' }).click();
	await expect(
		page.getByRole('heading', { name: 'Looked at, nothing stored: 60 of 60 would be changed' })
	).toBeVisible();
	await expect(
		page.getByRole('heading', { name: 'Delivery yard becomes Site code' })
	).toBeVisible();
	// that is not what was meant: the whole code
	await expect(page.getByRole('table', { name: 'Records' })).toContainText('blank → BE5-Yard 2');

	// nothing was stored: the standing rule knows better, which is looked at with two of them first
	await page.getByRole('link', { name: 'To the list' }).click();
	await expect(count).toHaveText(/^60 contacts where/);
	await page.getByRole('button', { name: 'Change them all' }).click();
	await choose(page.getByLabel(/^What is done/), 'the standing rules run');
	await choose(page.getByLabel(/^Which are changed/), 'the first of this list');
	const first = page.getByLabel('How many of the first');
	await first.fill('');
	await expect(first).toHaveValue('');
	await first.fill('none');
	await expect(page.getByRole('alert').filter({ hasText: 'whole number' })).toBeVisible();
	await expect(page.getByRole('button', { name: 'Look what it would do' })).toBeDisabled();
	await first.fill('2');
	await pressOn(page.getByRole('button', { name: 'Look what it would do' }));
	await expect(
		page.getByRole('heading', { name: 'Looked at, nothing stored: 2 of 2 would be changed' })
	).toBeVisible();
	await expect(page.getByRole('main')).toContainText('the first 2 of contacts where');
	await page.getByRole('link', { name: 'To the list' }).click();
	await page.getByRole('button', { name: 'Change them all' }).click();
	await choose(page.getByLabel(/^What is done/), 'the standing rules run');
	await pressOn(page.getByRole('button', { name: 'Look what it would do' }));
	await expect(
		page.getByRole('heading', { name: 'Looked at, nothing stored: 60 of 60 would be changed' })
	).toBeVisible();
	await expect(page.getByRole('table', { name: 'Records' })).toContainText('blank → Yard 2');
	await page.getByRole('link', { name: /blank → Yard 1/ }).click();
	await expect(page.getByRole('table', { name: 'Records' })).not.toContainText('Yard 2');
	await page.getByRole('button', { name: 'Change 60 contacts' }).click();
	await expect(page.getByRole('heading', { name: '60 of 60 contacts changed' })).toBeVisible();
	const done = page.url().replace(/\?.*/, '');
	await open(page, list);
	await expect(count).toHaveText(/^0 contacts where/);

	await open(page, done);
	await pressOn(page.getByRole('button', { name: 'Take it back: look first' }));
	await expect(page.getByRole('heading', { name: 'A bulk change taken back' })).toBeVisible();
	await pressOn(page.getByRole('button', { name: 'Take back 60 records' }));
	await expect(page.getByRole('heading', { name: '60 of 60 records changed' })).toBeVisible();
	await open(page, done);
	await expect(page.getByText('It was taken back')).toBeVisible();
	await open(page, list);
	await expect(count).toHaveText(/^60 contacts where/);
});

test('a field filled from history: the rules that wait for an event say so, and what stands is left', async ({
	page
}) => {
	await open(page, '/records/deal');
	await page.getByRole('button', { name: 'Change them all' }).click();
	await choose(page.getByLabel(/^What is done/), 'the standing rules run');
	const asked = page.getByRole('group', { name: 'Change many deals' });
	await expect(asked).toContainText('nothing happens to the records now: ');
	await expect(asked).toContainText('Times moved back');
	await pressOn(page.getByRole('button', { name: 'Fill one of them from history' }));
	// the keyboard is where it goes on
	await expect(page.getByLabel(/^Which field is set/)).toBeFocused();
	await choose(page.getByLabel(/^Which field is set/), 'Times moved back');
	await pressOn(page.getByRole('button', { name: 'Look what it would do' }));
	await expect(
		page.getByRole('heading', { name: 'Times moved back is filled from history' })
	).toBeVisible();
	// these deals lived by the rules: history says what they have
	await expect(page.getByRole('heading', { name: /^Looked at, nothing stored: / })).toBeVisible({
		timeout: 60_000
	});
	await expect(page.getByRole('link', { name: /^[\d\s]{4,} no change$/ })).toBeVisible();
});

test('ticked records alone, and who may not is not offered it', async ({ page }) => {
	await open(page, '/records/contact?view=3');
	const ticks = page.getByRole('checkbox', { name: /^Tick No\./ });
	await ticks.nth(0).check();
	await ticks.nth(1).check();
	await page.getByRole('button', { name: 'Change the 2 ticked' }).click();
	await page.getByLabel(/^Which field is set/).click();
	await page.keyboard.type('Phone');
	await page.keyboard.press('Enter');
	await page.getByLabel('What Phone becomes').fill('+31 6 00 00 00 00');
	await page.keyboard.press('Tab');
	await page.getByRole('button', { name: 'Look what it would do' }).click();
	await expect(
		page.getByRole('heading', { name: 'Looked at, nothing stored: 2 of 2 would be changed' })
	).toBeVisible();
	await expect(page.getByText('2 ticked contacts')).toBeVisible();

	await signIn(page, 'mieke');
	await open(page, '/records/contact');
	await expect(page.getByRole('button', { name: 'Change them all' })).toHaveCount(0);
	await expect(page.getByRole('checkbox')).toHaveCount(0);
});

test('when records were made and last changed is a column, an order and a period; a page is ticked at once', async ({
	page
}) => {
	await open(page, '/records/deal');
	const count = page.getByTestId('list-count');
	const stamps = page.getByRole('columnheader', { name: /^Last changed/ });
	await pressOn(page.getByRole('button', { name: 'Columns', exact: true }));
	await page.getByRole('button', { name: 'another column' }).click();
	await page.keyboard.type('last changed');
	await page.keyboard.press('Enter');
	await expect(stamps).toBeVisible();
	await stamps.getByRole('button').first().press('Enter');
	await expect(page).toHaveURL(/sort=(%21|!)changed/);
	await stamps.getByRole('button').first().press('Enter');
	await expect(stamps).toHaveAttribute('aria-sort', 'descending');
	await expect(page).toHaveURL(/desc=1/);
	// the deal that is saved now comes first
	await page.getByRole('row').nth(20).getByRole('link').first().click();
	await page.waitForURL(/\/records\/deal\/\d+$/);
	await page.locator('#f-electrical_capacity').fill('42');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText('Saved by release').first()).toBeVisible();
	await expect(page.getByText(/, last changed /)).toBeVisible();
	const number = /\/records\/deal\/(\d+)/.exec(page.url())![1];
	await page.goBack();
	await expect(page.getByRole('row').nth(1)).toContainText(number);

	await pressOn(page.getByRole('button', { name: 'Which deals' }));
	await choose(page.getByLabel('When the record last changed'), 'in the last 7 days');
	await expect(count).toHaveText(/^[\d\s]+ deals where last changed in the last 7 days$/);
	await choose(page.getByLabel('When the record was made'), 'from one day to another');
	await expect(count).toHaveText(/where made from .* to .* · last changed in the last 7 days$/);
	await page.getByLabel('First day of making', { exact: true }).fill('2026-13-01');
	await expect(page.getByText('which is no day: write it as')).toBeVisible();
	await pressOn(page.getByRole('button', { name: 'All of them' }));
	await expect(count).toHaveText(/^[\d\s]+ deals$/);

	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag22aa', 'best-practice'])).toEqual(
		[]
	);
	const all = page.getByLabel('Tick all on this page');
	await all.focus();
	await page.keyboard.press('Space');
	await expect(page.getByRole('button', { name: 'Change the 50 ticked' })).toBeVisible();
	const ticks = page.getByRole('checkbox', { name: /^Tick No\./ });
	await ticks.nth(4).click();
	await ticks.nth(7).click({ modifiers: ['Shift'] });
	await expect(page.getByRole('button', { name: 'Change the 46 ticked' })).toBeVisible();
	await expect(all).toBeChecked({ indeterminate: true });
	await all.click();
	await all.click();
	await expect(page.getByRole('button', { name: 'Change them all' })).toBeVisible();
});

test('an index that a list would use is made by keyboard while others work, and dropped again', async ({
	page
}) => {
	await signIn(page, 'ida');
	const byAmount = JSON.stringify({ sort: { column: 'amount', desc: true } });
	await open(page, `/records/deal?list=${encodeURIComponent(byAmount)}`);
	await page.getByRole('link', { name: 'Indexes', exact: true }).click();
	await expect(page.getByRole('heading', { name: 'Indexes of lists' })).toBeVisible();
	// what nobody keeps as a view is proposed too, where somebody comes from it
	const row = page.getByRole('row').filter({ hasText: 'Amount: filtered or ordered by' });
	await expect(row).toContainText('no view');
	await expect(
		page.getByRole('row').filter({ hasText: 'Stage: filtered or ordered by' })
	).toContainText('Lost after negotiation');
	await pressOn(row.getByRole('button', { name: /^Make the index/ }));
	await expect(row).toContainText('✓ made', { timeout: 30_000 });
	await expect(row).toContainText(' MB');
	await page.reload();
	await expect(row).toContainText('✓ made');
	await pressOn(row.getByRole('button', { name: /^Drop the index/ }));
	await expect(row).toContainText('proposed');

	await signIn(page, 'mieke');
	await open(page, '/indexes');
	await expect(page.getByText('Operators and administrators make and drop them.')).toBeVisible();
	await expect(page.getByRole('button', { name: /the index/ })).toHaveCount(0);
});
