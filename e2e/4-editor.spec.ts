/** Formulas written with help, by keyboard; notices; the dark theme; two authors on one draft. */
import {
	barriers,
	expect,
	expectHeld,
	open,
	openSheet,
	signIn,
	source,
	test,
	writeTest
} from './helpers';

test.beforeEach(async ({ page }) => signIn(page));

test('a formula is written by keyboard with what is offered, and read back as the same', async ({
	page
}) => {
	await openSheet(page, '/write/deal/net_amount');
	const text = source(page, 'What Net amount gets: calculation');
	await text.focus();
	await page.keyboard.press('Control+a');
	await page.keyboard.type('Amo');
	const list = page.locator('.cm-tooltip-autocomplete');
	// what has just opened takes no key yet, so that nobody accepts what they did not see
	const seen = () => page.waitForTimeout(250);
	await expect(list).toContainText('Amount');
	// type and the sample's value stand beside it
	await expect(list.locator('li').first()).toContainText('a number');
	await expect(list.locator('li').first()).toContainText('EUR');
	await seen();
	await page.keyboard.press('Enter');
	await expectHeld(text, 'Amount');
	// across a link
	await page.keyboard.type(' * Customer.Head');
	await expect(list).toContainText('Headcount');
	await seen();
	await page.keyboard.press('Tab');
	await expectHeld(text, 'Amount * Customer.Headcount');
	// what nobody would guess is found by plain words
	await page.keyboard.press('Control+a');
	await page.keyboard.type('if blank');
	await expect(list).toContainText('otherwise');
	// a function tells what it wants at the cursor
	await page.keyboard.press('Control+a');
	await page.keyboard.type('decimal(');
	await expect(page.locator('.cm-signature')).toContainText('decimal(');
	await page.keyboard.press('Escape');
	// options stand behind their choice
	await page.keyboard.press('Control+a');
	await page.keyboard.type('if Kind = "Serv');
	await expect(list).toContainText('Service');
	await seen();
	await page.keyboard.press('Enter');
	await expectHeld(text, 'if Kind = "Service"');
	await page.getByRole('button', { name: 'More for Net amount' }).click();
	await page.getByRole('menuitem', { name: 'Put back as in force' }).click();
	await expectHeld(text, /Discount/);
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a habit from elsewhere is mended by one key', async ({ page }) => {
	await openSheet(page, '/write/deal/net_amount');
	const text = source(page, 'What Net amount gets: calculation');
	await text.fill('IF(Kind == Service, Amount * 0,5, Amount)');
	await expect(page.getByRole('button', { name: /^Write if Kind/ })).toBeVisible();
	await text.press('Control+Enter');
	await expectHeld(text, 'if Kind = "Service" then Amount * 0.5 else Amount');
	await page.getByRole('button', { name: 'More for Net amount' }).click();
	await page.getByRole('menuitem', { name: 'Put back as in force' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a field of the ledger goes into the formula that is being written', async ({ page }) => {
	await openSheet(page, '/write/deal/net_amount');
	const text = source(page, 'What Net amount gets: calculation');
	await text.focus();
	await page.keyboard.press('Control+a');
	await page.keyboard.press('Backspace');
	await page.getByRole('button', { name: 'Put Discount % into the formula' }).focus();
	await page.keyboard.press('Enter');
	await expectHeld(text, "'Discount %'");
	await page.getByRole('button', { name: 'More for Net amount' }).click();
	await page.getByRole('menuitem', { name: 'Put back as in force' }).click();
	await expectHeld(text, /Share left/);
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('undo says what it took back, and leaves what a colleague wrote meanwhile', async ({
	page,
	browser,
	baseURL
}) => {
	const other = await browser.newPage({ baseURL });
	await signIn(other, 'ida');
	for (const p of [page, other]) await openSheet(p, '/write/lead/follow_up_urgency');
	const why = (p: typeof page) => p.getByLabel('Why the rule exists');
	const before = await why(page).inputValue();
	await why(page).fill('Mine.');
	await expect(page.getByText('Draft saved')).toBeVisible();
	// the other page has not seen it, and changes another piece of the same rule
	const name = other.getByLabel('Name of the rule').first();
	const named = await name.inputValue();
	await name.fill('Renamed by Ida');
	await expect(other.getByText('Draft saved')).toBeVisible();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText(/^Undone: why/)).toBeVisible();
	await expect(why(page)).toHaveValue(before);
	await expect(page.getByText('Draft saved')).toBeVisible();
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect(page.getByLabel('Name of the rule').first()).toHaveValue('Renamed by Ida');
	await expect(why(page)).toHaveValue(before);
	await page.getByLabel('Name of the rule').first().fill(named);
	await expect(page.getByText('Draft saved')).toBeVisible();
	await other.close();
});

test('the dark theme is chosen, stays, and can be read', async ({ page }) => {
	await open(page, '/write/customer/size_class');
	await page.getByRole('button', { name: 'Light or dark' }).click();
	await page.getByRole('menuitem', { name: 'Dark' }).click();
	const ground = () =>
		page.evaluate(() => getComputedStyle(document.documentElement).backgroundColor);
	expect(await ground()).toBe('rgb(26, 28, 31)');
	for (const path of [
		'/write/customer/size_class',
		'/write/deal/net_amount',
		'/check',
		'/records/customer/1',
		'/release'
	]) {
		await open(page, path);
		await page.waitForLoadState('networkidle');
		expect(await ground()).toBe('rgb(26, 28, 31)');
		expect(await barriers(page, 'body', ['color-contrast']), path).toEqual([]);
	}
	await page.getByRole('button', { name: 'Light or dark' }).click();
	await page.getByRole('menuitem', { name: 'As the system' }).click();
	expect(await ground()).toBe('rgb(246, 243, 236)');
});

test('what is selected in a cell is still selected when its editor comes', async ({ page }) => {
	await openSheet(page, '/write/deal/discount_limit_percent');
	await writeTest(page, 'Row 2, input 1');
	await page.keyboard.press('Escape');
	const cell = page.getByRole('textbox', { name: 'Row 2, input 1' });
	await expect(cell).toHaveValue('"New build"');
	await cell.evaluate((e) => {
		(e as HTMLTextAreaElement).focus();
		(e as HTMLTextAreaElement).setSelectionRange(1, 4);
	});
	const editor = page.locator('.cm-content').and(cell);
	await expect(editor).toBeFocused();
	await page.keyboard.insertText('Net');
	await expectHeld(editor, '"Net build"');
	await expect(page.getByText('Did you mean', { exact: false }).first()).toBeVisible();
	await page.getByRole('heading', { name: /^Discount limit %/ }).click();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(cell).toHaveValue('"New build"');
	await expect(page.getByText('Draft saved')).toBeVisible();
});
