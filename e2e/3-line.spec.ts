/** What is not as the rules in force would have it: found, brought into line after a look, left with a reason. */
import { barriers, choose, expect, open, openSheet, signIn, test, pressOn } from './helpers';

test.beforeEach(async ({ page }) => signIn(page));

const yards = '/line?type=contact&field=delivery_yard';

test('yards from before their rule: some left with a reason, the rest brought in, taken back', async ({
	page
}) => {
	// the ledger says so, the sheet leads there
	await openSheet(page, '/write/contact/delivery_yard');
	await expect(page.getByLabel('60 values out of line')).toBeVisible();
	await page.getByRole('link', { name: '60 stored values are out of line' }).press('Enter');
	const heading = page.getByRole('heading', { name: 'Contacts · Delivery yard' });
	await expect(heading).toContainText('60');
	const table = page.getByRole('table', { name: 'Records out of line' });
	const row = (name: string) => table.getByRole('row').filter({ hasText: name });
	await expect(row('Jurre Szymczyk')).toContainText('computed from Site code NL5-Yard 2');

	// by keyboard: two are left, and one of them taken up again
	for (const name of ['Jurre Szymczyk', 'Marit Vestermark'])
		await pressOn(page.getByRole('checkbox', { name: `Tick ${name}` }), 'Space');
	await pressOn(page.getByRole('button', { name: 'Leave the 2 ticked as they are …' }));
	await page.keyboard.type('Moves in spring, see the file');
	await page.keyboard.press('Enter');
	await expect(page.getByText('2 contacts left as they are.')).toBeVisible();
	await expect(heading).toContainText('58');
	await page.getByRole('link', { name: '2 of Delivery yard: Left as it is' }).press('Enter');
	await expect(row('Marit Vestermark')).toContainText('Moves in spring, see the file');
	await pressOn(page.getByRole('checkbox', { name: 'Tick Marit Vestermark' }), 'Space');
	await pressOn(page.getByRole('button', { name: 'Take the 1 ticked up again' }));
	await expect(page.getByText('1 contact taken up again.')).toBeVisible();
	await page.reload();
	await expect(row('Jurre Szymczyk')).toBeVisible();
	await expect(row('Marit Vestermark')).toHaveCount(0);
	// the record says so
	await row('Jurre Szymczyk').getByRole('link', { name: 'Jurre Szymczyk' }).click();
	await expect(page.getByTestId('line-delivery_yard')).toContainText(
		'out of line: its rule gives Yard 2; left so by Jonas'
	);

	await open(page, yards);
	await pressOn(page.getByRole('button', { name: 'Bring all 59 into line: look first' }));
	await expect(
		page.getByRole('heading', { name: 'Looked at, nothing stored: 59 of 59 would be changed' })
	).toBeVisible();
	await expect(
		page.getByRole('heading', { name: 'Delivery yard is brought into line' })
	).toBeVisible();
	await pressOn(page.getByRole('button', { name: 'Change 59 contacts' }));
	await expect(page.getByRole('heading', { name: '59 of 59 contacts changed' })).toBeVisible();
	const done = page.url().replace(/\?.*/, '');
	await open(page, `${yards}&is=open`);
	await expect(page.getByText('None, as they are now.')).toBeVisible();
	await open(page, done);
	await pressOn(page.getByRole('button', { name: 'Take it back: look first' }));
	await pressOn(page.getByRole('button', { name: 'Take back 59 records' }));
	await expect(page.getByRole('heading', { name: '59 of 59 records changed' })).toBeVisible();
	await open(page, `${yards}&is=left`);
	await page.getByRole('button', { name: 'Take the one up again' }).click();
	await open(page, yards);
	await expect(heading).toContainText('60');
});

test('what people set against the rules is apart; the list of records finds it; a reader looks', async ({
	page
}) => {
	await open(page, '/line?type=customer&field=service_plan&is=hand');
	const table = page.getByRole('table', { name: 'Records out of line' });
	await expect(table.getByRole('row')).toHaveCount(13);
	await page.getByRole('link', { name: 'As a list of records' }).click();
	await expect(page.getByTestId('list-count')).toHaveText(
		'12 customers where Service plan set by hand against its rule'
	);
	await page.getByRole('button', { name: 'Which customers' }).click();
	await page.keyboard.press('Escape');
	await choose(page.getByLabel(/^How it is out of line/), 'out of line');
	await choose(page.getByLabel(/^Which value is out of line/), 'Size class');
	await expect(page.getByTestId('list-count')).toHaveText(
		'37 customers where Size class out of line'
	);

	await signIn(page, 'mieke');
	await open(page, yards);
	await expect(page.getByRole('table', { name: 'Records out of line' })).toBeVisible();
	await expect(page.getByRole('checkbox')).toHaveCount(0);
	await expect(page.getByRole('button', { name: /Bring all|Leave all|anew/ })).toHaveCount(0);
});

test('out of line is accessible, light and dark', async ({ page }) => {
	for (const colorScheme of ['light', 'dark'] as const) {
		await page.emulateMedia({ colorScheme });
		await open(page, yards);
		await page.getByRole('button', { name: /^Leave all/ }).click();
		expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag22aa'])).toEqual([]);
	}
});
