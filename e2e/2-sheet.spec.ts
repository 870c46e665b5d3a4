import {
	begin,
	choose,
	expect,
	expectHeld,
	find,
	open,
	openSheet,
	signIn,
	source,
	test,
	pressOn,
	undoAll
} from './helpers';

test.beforeEach(async ({ page }) => {
	await signIn(page);
	await openSheet(page);
});

test('the sample answers at every keystroke, with the reason, and says why nothing happened', async ({
	page
}) => {
	const box = page.locator('#s-headcount');
	await expect(page.getByText('Size class: Headcount did not change.')).toBeVisible();
	for (const [typed, gives, because] of [
		['9', 'Micro', 'Headcount 9 is in [0..10), the first band'],
		['60', 'Medium', 'Headcount 60 is in [60..250), the third band'],
		['18000', 'Large', 'Headcount 18\u202f000 is >= 250, the fourth band']
	]) {
		await box.fill(typed);
		const card = page.getByTestId('wrote-size_class');
		await expect(card).toContainText(`Small → ${gives}`);
		await expect(card).toContainText(because);
	}
	await box.fill('fifty');
	await expect(page.getByRole('alert').filter({ hasText: /./ })).toContainText(
		'“fifty” is no number'
	);
	await expect(page.getByTestId('wrote-size_class')).toContainText('Large');
	await box.fill('');
	await expect(page.getByTestId('wrote-size_class')).toContainText('Small → blank');
	await expect(page.getByTestId('wrote-size_class')).not.toContainText('Large');
	await box.fill('48');
	await expect(page.getByTestId('wrote-size_class')).toHaveCount(0);
});

test('the server sends the sheet without working anything out', async ({ page }) => {
	const sent = await (await page.request.get('/write/customer/size_class')).text();
	expect(sent).toContain('Working out what the draft makes of it');
	await page.goto('/write/customer/size_class');
	await expect(page.getByText('Working out what the draft makes of it')).toHaveCount(0);
	await expect(page.getByRole('heading', { name: 'Nothing happened' })).toBeVisible();
});

test('a limit moved in the draft changes the sample at once, fails or mends trials, is saved, undone and redone', async ({
	page
}) => {
	const tries = page.getByTestId('station-try');
	await expect(tries).toContainText('89/91');
	await page.locator('#s-headcount').fill('55');
	await expect(page.getByTestId('wrote-size_class')).toHaveCount(0);
	const limit = page.getByRole('slider', { name: 'Limit between Small and Medium' });
	await expect(limit).toHaveAttribute('aria-valuenow', '60');
	// by keyboard: ten down
	await limit.focus();
	await page.keyboard.press('PageDown');
	await expect(limit).toHaveAttribute('aria-valuenow', '50');
	await expect(page.getByTestId('wrote-size_class')).toContainText('Small → Medium');
	await expect(tries).toContainText('91/91');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(limit).toHaveAttribute('aria-valuenow', '60');
	await expect(tries).toContainText('89/91');
	await page.getByRole('button', { name: 'Redo' }).click();
	await expect(tries).toContainText('91/91');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await page.reload();
	await expect(limit).toHaveAttribute('aria-valuenow', '50');
	// back to how the demo has it, typed
	await page.getByLabel('from').nth(2).fill('60');
	await expect(tries).toContainText('89/91');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a limit is dragged', async ({ page }) => {
	const limit = page.getByRole('slider', { name: 'Limit between Small and Medium' });
	await limit.scrollIntoViewIfNeeded();
	const box = (await limit.boundingBox())!;
	await page.mouse.move(box.x + box.width / 2, box.y + 40);
	await page.mouse.down();
	await page.mouse.move(box.x + box.width / 2 - 60, box.y + 40, { steps: 2 });
	// a hand that rests on the way: the drag is one step all the same
	await page.waitForTimeout(1300);
	await page.mouse.move(box.x + box.width / 2 - 55, box.y + 40, { steps: 2 });
	await page.mouse.up();
	const at = Number(await limit.getAttribute('aria-valuenow'));
	expect(at).toBeLessThan(60);
	expect(at).toBeGreaterThan(10);
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(limit).toHaveAttribute('aria-valuenow', '60');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('what the sample shows is kept as a trial and runs from then on', async ({ page }) => {
	await page.locator('#s-headcount').fill('9');
	await page.getByRole('button', { name: 'Keep as a trial' }).click();
	await expect(page.getByLabel('Name of the trial')).toHaveValue(
		'Headcount 9 gives Size class Micro'
	);
	await page.keyboard.press('Enter');
	await expect(page.getByTestId('station-try')).toContainText('90/92');
	await open(page, '/try');
	await page.getByRole('button', { name: 'Headcount 9 gives Size class Micro' }).click();
	await expect(
		page.getByText('“Size class follows headcount”: Headcount 9 is in [0..10), the first band')
	).toBeVisible();
	await page.getByRole('button', { name: 'Remove this trial' }).click();
	await expect(page.getByTestId('station-try')).toContainText('89/91');
});

test('hold, watched fields, guard and entry points are words of the sentence', async ({ page }) => {
	await openSheet(page, '/write/customer/service_plan');
	await choose(page.locator('#s-key_grower'), 'no');
	const wrote = page.getByTestId('wrote-service_plan');
	await expect(wrote).toContainText('Yearly check');
	// entry point: only the import
	await page.getByRole('button', { name: 'Narrow Service plan by key grower' }).click();
	await page.getByRole('button', { name: /Entry points/ }).click();
	await page.getByLabel('import').check();
	await page.keyboard.press('Escape');
	await expect(wrote).toHaveCount(0);
	await expect(
		page.getByText('Service plan: it does not apply on this entry point.')
	).toBeVisible();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(wrote).toContainText('Yearly check');
	// a guard, as text, with a mistake first
	await page.getByRole('button', { name: 'add a condition' }).click();
	await page.keyboard.press('Escape');
	await page.getByRole('button', { name: /Condition of .*: as FEEL/ }).click();
	const guard = source(page, 'Condition of Service plan by key grower');
	await guard.fill('Headcont > 100');
	await expect(page.getByText('Did you mean Headcount?').first()).toBeVisible();
	await guard.fill('Headcount > 100');
	await expect(
		page.getByText('Service plan: “Headcount is more than 100” is not so: Headcount is 48.')
	).toBeVisible();
	await undoAll(page);
	await expect(page.getByRole('button', { name: 'add a condition' })).toBeVisible();
	await expect(wrote).toContainText('Yearly check');
	// hold
	await page.getByLabel(/^How firmly Service plan is set/).click();
	await page.getByRole('option', { name: /^always equals/ }).click();
	await expect(page.getByText('only rules set it').first()).toBeVisible();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
	await expect(page.getByTestId('station-write')).toContainText('2 changes');
});

test('a formula is marked where it is wrong, and its value stands beside it', async ({ page }) => {
	await openSheet(page, '/write/deal/net_amount');
	const text = source(page, 'What Net amount gets: calculation');
	await expectHeld(text, "Amount * Share left('Discount %')");
	await page.locator('#s-amount').fill('200');
	await page.locator('#s-discount_percent').fill('7.5');
	await expect(page.getByTestId('wrote-net_amount')).toContainText('185 EUR');
	await text.fill('Amount * Kind');
	await expect(page.getByText('Shown as the rule last could be read')).toBeVisible();
	await expect(page.getByTestId('wrote-net_amount')).toContainText('185 EUR');
	await expect(
		page.getByText('“*” cannot join a number and a choice of Deal kind').first()
	).toBeVisible();
	await expect(page.getByTestId('station-check')).toContainText('5 findings');
	await text.fill('Amount / 2');
	await expect(page.getByTestId('wrote-net_amount')).toContainText('100 EUR');
	await page.getByRole('button', { name: 'More for Net amount' }).click();
	await page.getByRole('menuitem', { name: 'Put back as in force' }).click();
	await expectHeld(text, /Discount/);
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a first rule is written from nothing by an administrator, by keyboard alone', async ({
	page
}) => {
	await openSheet(page, '/write/customer/registered_name');
	await expect(page.getByText('No rule writes this field')).toBeVisible();
	await page.getByRole('button', { name: /^How Registered name gets its value/ }).focus();
	await page.keyboard.press('Enter');
	await find(page, 'calculation');
	const text = source(page, 'What Registered name gets: calculation');
	await text.focus();
	await page.keyboard.type('if Key grower then null else "Heat"');
	await page.locator('#s-key_grower').focus();
	await choose(page.locator('#s-key_grower'), 'no');
	await expect(page.getByTestId('wrote-registered_name')).toContainText('Heat');
	await page.getByRole('button', { name: /^More for/ }).focus();
	await page.keyboard.press('Enter');
	await page.getByRole('menuitem', { name: 'Take out of the draft' }).press('Enter');
	await expect(page.getByText('No rule writes this field')).toBeVisible();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('two authors: the second is told, sees both versions, and takes either', async ({
	page,
	browser,
	baseURL
}) => {
	const other = await browser.newPage({ baseURL });
	await signIn(other, 'ida');
	// a page that hears nothing of others until it stores
	await other.route('**/draft/events', (r) => r.abort());
	for (const p of [page, other]) await openSheet(p, '/write/lead/follow_up_urgency');
	const why = (p: typeof page) => p.getByLabel('Why the rule exists');
	await why(page).fill('Mine.');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await why(other).fill('Theirs.');
	const two = other.getByRole('region', { name: /^Two versions of/ });
	await expect(two).toContainText(/Jonas Weverling changed “.+” while you did/);
	await expect(why(other)).toHaveValue('Mine.');
	await pressOn(two.getByRole('button', { name: 'What differs' }));
	await expect(two).toContainText('Theirs.');
	await pressOn(two.getByRole('button', { name: 'Take mine' }));
	await expect(why(other)).toHaveValue('Theirs.');
	await expect(other.getByText('Draft saved')).toBeVisible();
	// the first one hears of it by itself
	await expect(why(page)).toHaveValue('Theirs.');
	await other.close();
	await why(page).fill('People met at a fair expect an answer the same day.');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('two authors see each other at a rule, and what the other stores; a step survives a reload', async ({
	page,
	browser,
	baseURL
}) => {
	const other = await browser.newPage({ baseURL });
	await signIn(other, 'ida');
	for (const p of [page, other]) await openSheet(p, '/write/lead/follow_up_urgency');
	const why = (p: typeof page) => p.getByLabel('Why the rule exists');
	const before = await why(page).inputValue();
	await why(other).focus();
	await expect(page.getByText('Ida Faro is here')).toBeVisible();
	await why(other).fill('Said by Ida.');
	await expect(why(page)).toHaveValue('Said by Ida.');
	// a step of one's own is there after a reload, and takes back nothing of hers
	const name = page.getByLabel('Name of the rule');
	const called = await name.inputValue();
	await name.fill('Called by Jonas');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await expect(other.getByLabel('Name of the rule')).toHaveValue('Called by Jonas');
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(name).toHaveValue(called);
	await expect(why(page)).toHaveValue('Said by Ida.');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await other.close();
	await expect(page.getByText('Ida Faro is here')).toHaveCount(0);
	await why(page).fill(before);
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('keys: / finds anything, f a field, ? lists the keys, numbers go to the stations, none while typing', async ({
	page
}) => {
	await page.keyboard.press('f');
	await expect(page.getByLabel('Find a field')).toBeFocused();
	await page.keyboard.type('net am');
	await page.getByLabel('Find a field').fill('phone');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/customer\/phone$/);
	await page.locator('h1').click();
	await page.keyboard.press('?');
	await expect(page.getByRole('dialog')).toContainText('Keyboard');
	await page.keyboard.press('Escape');
	await page.keyboard.press('2');
	await expect(page).toHaveURL(/check$/);
	// anything, from any page, typing errors forgiven; records too
	const finder = page.getByRole('combobox', { name: 'Find anything' });
	await page.keyboard.press('/');
	await expect(finder).toBeFocused();
	await page.keyboard.type('frieght');
	await expect(page.getByRole('option').first()).toContainText('Freight paid by');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/deal\/freight_paid_by/);
	await page.locator('h1').click();
	await page.keyboard.press('/');
	await expect(finder).toBeFocused();
	await page.keyboard.type('brackwater');
	await expect(
		page.getByRole('option', { name: /^Brackwater .*customer no\. \d+/ }).first()
	).toBeVisible();
	await page.keyboard.press('Escape');
	await expect(finder).toHaveCount(0);
});

test('a check blocks at its field, with its values; a required field and limited options show in the sample', async ({
	page
}) => {
	await openSheet(page, '/write/deal/close_date');
	await choose(page.locator('#s-stage'), 'Quotation');
	await page.locator('#s-close_date').fill('2020-01-31');
	await page.locator('#s-close_date').blur();
	await expect(page.getByTestId('said-close_date')).toContainText(
		'blocks at Close date: Close date 2020-01-31 has passed, and the deal is still at Quotation.'
	);
	await choose(page.locator('#s-stage'), 'Won');
	await expect(page.getByTestId('said-close_date')).toHaveCount(0);

	await openSheet(page, '/write/deal/electrical_capacity');
	await choose(page.locator('#s-heat_pump'), 'yes');
	await page.locator('#s-electrical_capacity').fill('');
	await expect(page.getByTestId('said-electrical_capacity')).toContainText(
		'Electrical capacity is required.'
	);
	await page.getByLabel(/^Entry point:/).click();
	await page.getByRole('option', { name: 'import' }).click();
	await expect(page.getByTestId('said-electrical_capacity')).toHaveCount(0);

	await openSheet(page, '/write/lead/product_interest');
	await choose(page.locator('#s-crop'), 'Herbs');
	const offered = async (n: number) => {
		await page.locator('#s-product_interest').click();
		await expect(page.getByRole('option').first()).toBeVisible();
		await expect(page.getByRole('option', { name: 'Fogging' })).toHaveCount(n);
		await page.keyboard.press('Escape');
	};
	await offered(0);
	await page.getByRole('button', { name: 'Herbs allows Fogging' }).click();
	await offered(1);
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a rule is duplicated and named by keyboard; two of one name are told, and an empty name is not kept', async ({
	page
}) => {
	await openSheet(page, '/write/customer/label_lines');
	const names = page.getByLabel('Name of the rule');
	const called = await names.first().inputValue();
	await page.getByRole('button', { name: `More for ${called}` }).focus();
	await page.keyboard.press('Enter');
	await page.keyboard.type('Dup');
	await page.keyboard.press('Enter');
	await expect(names.nth(1)).toBeFocused();
	await expect(names.nth(1)).toHaveValue(`${called} (copy)`);
	await page.keyboard.type(called);
	await expect(page.getByText('Another rule of Customer has this name').first()).toBeVisible();
	await page.keyboard.press('Control+a');
	await page.keyboard.press('Delete');
	await page.keyboard.press('Tab');
	await expect(names.nth(1)).toHaveValue(`${called} (copy)`);
	await expect(page.getByText('Another rule of Customer has this name')).toHaveCount(0);
	await page.getByRole('button', { name: `More for ${called} (copy)` }).click();
	await page.getByRole('menuitem', { name: 'Take out of the draft' }).click();
	await expect(names).toHaveCount(1);
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a formula is asked what a blank gives, and the sample shows it', async ({ page }) => {
	await openSheet(page, '/write/deal/net_amount');
	await page.locator('#s-amount').fill('');
	const word = page.getByRole('combobox', { name: /^What a blank gives/ });
	await expect(word).toHaveText('nothing and clears the field');
	await choose(word, 'a value');
	await page.getByLabel('What Net amount gets where it is blank').fill('0');
	await expect(page.getByTestId('wrote-net_amount')).toContainText('→ 0 EUR');
	await expect(page.getByTestId('wrote-net_amount')).toContainText('because Amount is blank');
	await choose(word, 'not said yet');
	const finding = page.getByText('Nobody said what a blank amount gives').first();
	await expect(finding).toBeVisible();
	await page.getByRole('button', { name: 'Say: blank gives no result' }).first().click();
	await expect(finding).toHaveCount(0);
	await expect(word).toHaveText('nothing and clears the field');
	await expect(page.getByTestId('station-write')).toContainText('2 changes');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('rules of a field are put in another order by dragging and by keyboard', async ({ page }) => {
	await openSheet(page, '/write/customer/label_lines');
	await begin(page, 'calculation');
	await source(page, 'What Label lines gets: calculation').last().fill('3');
	await page.getByLabel(/^How firmly Label lines is set: follows/).click();
	await page.getByRole('option', { name: /^is filled with/ }).click();
	const names = page.getByLabel('Name of the rule');
	await expect(names.nth(1)).toHaveValue('Label lines: calculated');
	const place = (n: number) =>
		page.getByRole('button', { name: new RegExp(`^Place ${n} of 2 in the claim order`) });
	// both rules in view, so that nothing scrolls between taking and dropping
	await page.setViewportSize({ width: 1280, height: 1700 });
	const [grip, first] = [await place(2).boundingBox(), await names.first().boundingBox()];
	await page.mouse.move(grip!.x + 8, grip!.y + 12);
	await page.mouse.down();
	for (let i = 1; i <= 10; i++)
		await page.mouse.move(grip!.x + 8, grip!.y + 12 + ((first!.y - grip!.y) * i) / 10);
	// the other rule makes room, then it is let go
	await expect(names.nth(0)).toHaveValue('Label lines: calculated');
	await page.mouse.up();
	await expect(page.getByText('Draft saved')).toBeVisible();
	await expect(names.nth(0)).toHaveValue('Label lines: calculated');
	await place(1).focus();
	await page.keyboard.press('ArrowDown');
	await expect(names.nth(1)).toHaveValue('Label lines: calculated');
	await page.getByRole('button', { name: 'More for Label lines: calculated' }).click();
	await page.getByRole('menuitem', { name: 'Take out of the draft' }).click();
	await expect(names).toHaveCount(1);
	await expect(page.getByTestId('station-write')).toContainText('2 changes');
	await expect(page.getByText('Draft saved')).toBeVisible();
});
