/** Rules that the records propose: seen with what they explain, used, shown by example. */
import { barriers, expect, expectHeld, openSheet, signIn, source, test, pressOn } from './helpers';

test.beforeEach(({ page }) => signIn(page));

const panel = 'section[aria-labelledby=suggested]';

test('a proposal says how many it explains and which differ, and becomes a rule by one key', async ({
	page
}) => {
	await openSheet(page, '/write/customer/account_engineer');
	const suggested = page.locator(panel);
	await pressOn(suggested.getByRole('button', { name: 'Look for rules in the records' }));
	const copied = suggested.getByRole('listitem').filter({ hasText: 'a copy of' });
	await expect(copied).toContainText('a copy of Service district › Engineer', { timeout: 20_000 });
	await pressOn(copied.getByRole('button', { name: /differ/ }));
	await expect(suggested.getByRole('columnheader')).toContainText([
		'Customer',
		'has',
		'the rule would give'
	]);
	await expect(suggested.locator('td').filter({ hasText: 'blank' }).first()).toBeVisible();
	expect(await barriers(page, panel, ['wcag2a', 'wcag2aa', 'wcag22aa', 'best-practice'])).toEqual(
		[]
	);

	await pressOn(copied.getByRole('button', { name: 'Use' }));
	const name = page.getByRole('textbox', { name: 'Name of the rule' }).last();
	await expect(name).toBeFocused();
	await expect(name).toHaveValue('Account engineer from service district › engineer');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText(/Account engineer from/)).toHaveCount(0);
});

test('a field that no rule writes is looked at by itself', async ({ page }) => {
	await openSheet(page, '/write/customer/trading_name');
	await expect(page.locator(panel)).toContainText('Registered name', { timeout: 20_000 });
});

test('wanted values typed into a few records are agreed with first', async ({ page }) => {
	await openSheet(page, '/write/contact/greeting');
	const suggested = page.locator(panel);
	await suggested.getByRole('button', { name: 'Look for rules in the records' }).click();
	await expect(suggested).toContainText('put together: Dear {Given name}', { timeout: 20_000 });
	await suggested.getByRole('button', { name: 'Show it by example instead' }).click();
	const look = suggested.getByRole('button', { name: 'Look for rules that agree' });
	await expect(look).toBeDisabled();
	const boxes = suggested.getByRole('textbox', { name: /should be$/ });
	await expect(boxes).toHaveCount(4);
	for (const i of [0, 1]) {
		const given = await suggested.locator('tbody tr').nth(i).locator('td').nth(1).innerText();
		await boxes.nth(i).fill(given.toUpperCase());
	}
	await look.click();
	await expect(suggested).toContainText('2 of 2 examples', { timeout: 20_000 });
	await suggested.getByRole('button', { name: 'Use' }).first().click();
	await expectHeld(source(page, /^What Greeting gets/), 'upper case(Given name)');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a reader is proposed nothing', async ({ page }) => {
	await signIn(page, 'mieke');
	await openSheet(page, '/write/contact/full_name_as_received');
	await expect(page.locator(panel)).toHaveCount(0);
	const refused = await page.request.post('/look/suggest', {
		data: { type: 'contact', field: 'greeting', examples: [] }
	});
	expect(refused.status()).toBe(403);
});
