import {
	begin,
	cellOf,
	choose,
	expect,
	expectHeld,
	find,
	open,
	openSheet,
	signIn,
	source,
	test,
	writeTest
} from './helpers';

test.beforeEach(async ({ page }) => signIn(page));

/** Takes the newest rule of a sheet out of the draft again. */
async function takeOut(page: import('@playwright/test').Page, name: string) {
	await page.getByRole('button', { name: `More for ${name}` }).click();
	await page.getByRole('menuitem', { name: 'Take out of the draft' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
}

test('a decision table shows the row that matches the sample, and where the others fail', async ({
	page
}) => {
	await openSheet(page, '/write/deal/discount_limit_percent');
	await choose(page.locator('#s-kind'), 'Service');
	const table = page.getByRole('grid', { name: /Decision table/ });
	await expect(table.getByRole('row', { name: /matches the sample/ })).toContainText('6');
	await choose(page.locator('#s-kind'), 'Spare parts');
	await expect(page.getByTestId('here')).toContainText('row 7 matches Kind Spare parts');
	// a slip is told in the cell, and the last readable table stays
	const cell = await writeTest(page, 'Row 7, input 1');
	await cell.fill('"Spare partts"');
	await expect(page.getByText('Did you mean “Spare parts”?').first()).toBeVisible();
	await expect(page.getByText('Shown as the rule last could be read')).toBeVisible();
	await cell.fill('"Spare parts"');
	// two rows for one case: the policy says what that means
	await page.getByLabel('Row 6, input 1: Service').click();
	await page.getByRole('option', { name: 'Spare parts' }).click();
	await page.keyboard.press('Escape');
	await expect(page.getByTestId('here')).toContainText('rows 6, 7 all match');
	await page.getByLabel('What several matching rows mean').click();
	await page.getByRole('option', { name: /^the first counts/ }).click();
	await expect(page.getByTestId('here')).toContainText('row 6 matches');
	await page
		.getByRole('button', { name: 'More for Discount limit by kind and size of the customer' })
		.click();
	await page.getByRole('menuitem', { name: 'Put back as in force' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a decision table is written from nothing, by keyboard, and survives a reload', async ({
	page
}) => {
	await openSheet(page, '/write/deal/fiscal_quarter');
	await begin(page, 'rows over');
	const name = 'Fiscal quarter: by a table';
	await page.getByPlaceholder(/field/).last().fill('probab');
	await page.keyboard.press('Enter');
	await page.getByLabel('Row 1, input 1').fill('< 50');
	await page.getByLabel('Row 1, input 1').press('Enter');
	await page.getByLabel('Row 2, input 1').fill('>= 50');
	await page.getByLabel('Row 1, Fiscal quarter').fill('"early"');
	await page.getByLabel('Row 2, Fiscal quarter').fill('"late"');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect(page.getByLabel('Row 2, input 1')).toHaveValue('>= 50');
	// the steps are those of this tab, and still there
	await expect(page.getByRole('button', { name: 'Undo' })).toBeEnabled();
	await takeOut(page, name);
});

test('a text is composed from fields; what a blank leaves behind goes too', async ({ page }) => {
	await openSheet(page, '/write/customer/registered_name');
	await begin(page, 'text put together');
	const text = source(page, 'Text for Registered name');
	await text.fill('{Service plan} – {Country} ({Headcount + 1})');
	await choose(page.locator('#s-service_plan'), 'On call');
	await choose(page.locator('#s-country'), 'Denmark');
	await page.locator('#s-headcount').fill('9');
	const wrote = page.getByTestId('wrote-registered_name');
	await expect(wrote).toContainText('On call – Denmark (10)');
	await choose(page.locator('#s-country'), '—');
	await expect(wrote).toContainText('On call (10)');
	await page.getByLabel('What becomes of blank parts').click();
	await page.getByRole('option', { name: 'leave no text at all' }).click();
	await expect(wrote).toHaveCount(0);
	await text.fill('{Contry}');
	await expect(page.getByText('Did you mean Country?').first()).toBeVisible();
	await takeOut(page, 'Registered name: put together');
});

test('one text is split into two fields', async ({ page }) => {
	await openSheet(page, '/write/contact/given_name');
	await page.locator('#s-full_name_as_received').fill('Marit  ter Veenstra');
	await expect(page.getByTestId('wrote-given_name')).toContainText('Marit');
	await expect(page.getByTestId('wrote-family_name')).toContainText('ter Veenstra');
	await page
		.getByRole('article', { name: 'Given and family name from the full name' })
		.getByLabel('Where the text is parted')
		.click();
	await page.getByRole('option', { name: 'the last' }).click();
	await expect(page.getByTestId('wrote-family_name')).toContainText('→ Veenstra');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByTestId('wrote-family_name')).toContainText('ter Veenstra');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a reference table is pasted from a spreadsheet, looked up by a rule, and saved as CSV', async ({
	page
}) => {
	await open(page, '/tables');
	await page.getByRole('button', { name: 'New table' }).click();
	await page.waitForURL(/\/tables\/t_/);
	await page.getByLabel('Name of the table').fill('Yard names');
	await page.getByLabel('Name of column 1').fill('Site');
	await page.getByLabel('Name of column 2').fill('Yard');
	await choose(
		page.getByLabel('How key 1 is matched'),
		'begins what is looked for (the longest counts)'
	);
	const yards = 'Rows of Yard names';
	const first = await cellOf(page, yards, 'Site', 1);
	await first.click();
	await first.evaluate((el) => {
		const data = new DataTransfer();
		data.setData('text/plain', 'NL\tNorth\nNL3\tThird\nNL\tTwice\n');
		el.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true }));
	});
	await expect(await cellOf(page, yards, 'Yard', 3)).toHaveText('Twice');
	await expect(page.getByText('key of row 1')).toBeVisible();
	await page.getByRole('button', { name: 'Remove row 3' }).click();
	await expect(page.getByText('Draft saved')).toBeVisible();
	const file = page.waitForEvent('download');
	await page.getByRole('button', { name: 'Save as CSV' }).click();
	expect((await file).suggestedFilename()).toBe('Yard names.csv');

	const address = page.url();
	await openSheet(page, '/write/contact/delivery_yard');
	await begin(page, 'row of a table');
	await page.getByRole('option', { name: 'Yard names' }).click();
	await page.getByLabel('Column for Delivery yard').click();
	await page.getByRole('option', { name: 'Yard' }).click();
	await page.getByLabel(/^What meets the key Site/).click();
	await find(page, 'site code');
	await page.getByRole('button', { name: /Place 2 of 2/ }).focus();
	await page.keyboard.press('ArrowUp');
	await page.locator('#s-site_code').fill('nl3-9');
	await expect(page.getByTestId('wrote-delivery_yard')).toContainText('Third');
	await page.locator('#s-site_code').fill('NL4');
	await expect(page.getByTestId('wrote-delivery_yard')).toContainText('North');
	await takeOut(page, 'Delivery yard by yard names');
	await page.goto(address);
	await page.waitForSelector('[data-ready=true]');
	await page.getByRole('button', { name: 'Remove the table' }).click();
	await expect(page.getByText('Yard names')).toHaveCount(0);
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('rows from a CSV file: a wrong heading changes nothing, a value that does not fit is marked', async ({
	page
}) => {
	await open(page, '/tables/country_desk');
	const give = (text: string) =>
		page
			.locator('input[type=file]')
			.setInputFiles({ name: 'desk.csv', mimeType: 'text/csv', buffer: Buffer.from(text) });
	await give('Country,Regoin\nFrance,South\n');
	await expect(page.getByRole('status').filter({ hasText: 'Regoin' })).toContainText(
		'Nothing was changed'
	);
	await expect(await cellOf(page, 'Rows of Country desk', 'Country', 6)).toHaveText('Poland');
	await give('Currency;Country;Trading region\r\nEUR;France;Nowhere\r\n');
	// nothing is taken in before what does not fit was seen
	const incoming = page.getByRole('region', { name: /^Rows of / });
	await expect(incoming).toContainText('Of 1 rows of');
	await expect(incoming).toContainText('0 fit and 1 do not');
	await expect(incoming.getByRole('row', { name: /Nowhere/ })).toContainText('Trading region');
	await incoming.getByRole('button', { name: 'Take all, mend them here' }).click();
	const region = await cellOf(page, 'Rows of Country desk', 'Trading region', 1);
	await expect(region).toHaveText('Nowhere');
	await expect(region).toHaveAttribute('aria-invalid', 'true');
	await expect(page.getByTestId('station-check')).toContainText('findings');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(await cellOf(page, 'Rows of Country desk', 'Country', 6)).toHaveText('Poland');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a definition is changed in one place and renamed without changing what rules mean', async ({
	page
}) => {
	await open(page, '/definitions');
	const changes = await page.getByTestId('station-write').textContent();
	const card = page.locator('#definition-rate');
	await card.getByLabel(/^Expression of/).fill('if fit = "Strong" then 50 else null');
	await card.getByLabel('Name of the definition').fill('Worth per square metre');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await card.getByRole('link', { name: 'Expected value by fit' }).click();
	await expectHeld(
		source(page, 'What Expected value gets: calculation'),
		'Glass area * Worth per square metre(Fit)'
	);
	await page.locator('#s-glass_area').fill('100');
	await choose(page.locator('#s-fit'), 'Strong');
	await expect(page.getByTestId('wrote-expected_value')).toContainText(/5\u202f?000/);
	await open(page, '/definitions');
	await card.getByLabel(/^Expression of/).fill('if fit = "Stron" then 42 else null');
	await expect(page.getByText('Did you mean “Strong”?').first()).toBeVisible();
	await card
		.getByLabel(/^Expression of/)
		.fill('if fit = "Strong" then 42 else if fit = "Fair" then 25 else null');
	await card.getByLabel('Name of the definition').fill('Rate per m²');
	await expect(page.getByText('Draft saved')).toBeVisible();
	await expect(page.getByTestId('station-write')).toHaveText(changes!);
});

test('options that a rule adds come and go; one given by hand stays', async ({ page }) => {
	await openSheet(page, '/write/customer/permitted_fuels');
	await expect(page.getByLabel(/^How firmly Permitted fuels is set/)).toContainText('gains');
	await choose(page.locator('#s-country'), 'Belgium');
	const wrote = page.getByTestId('wrote-permitted_fuels');
	await expect(wrote).toContainText('Biogas');
	await expect(wrote).toContainText('→ Natural gas, Biogas, Heat pump');
});

test('identifiers are checked at their field, in the form and through the API alike', async ({
	page
}) => {
	await open(page, '/records/customer/1');
	await page.fill('#f-vat_number', 'NL123456789B01');
	await page.getByRole('button', { name: /^Save/ }).click();
	await expect(page.getByText('NL123456789B01 is no VAT number').first()).toBeVisible();
	const status = await page.evaluate(async () => {
		const r = await fetch('/save/customer?id=1', {
			method: 'POST',
			headers: { 'content-type': 'application/json' },
			body: JSON.stringify({ sent: [['location_number', '6291041500214']] })
		});
		return r.status;
	});
	expect(status).toBe(422);
});

test('a deal that is won reaches its customer: the totals, and the history with the reason', async ({
	page
}) => {
	await open(page, '/records/customer/7');
	const orders = page.locator('[data-field=order_value_to_date] output');
	const before = await orders.textContent();
	const saved = await page.evaluate(async () => {
		const r = await fetch('/save/deal', {
			method: 'POST',
			headers: { 'content-type': 'application/json' },
			body: JSON.stringify({
				sent: [
					['name', 'Reaches its customer'],
					['customer', '7'],
					['stage', 'won'],
					['amount', '1234.50'],
					['close_date', '2030-01-01']
				]
			})
		});
		return (await r.json()) as { reached: { type: string; id: string }[] };
	});
	expect(saved.reached).toMatchObject([{ type: 'customer', id: '7' }]);
	await open(page, '/records/customer/7');
	await expect(orders).not.toHaveText(before!);
	await expect(page.locator('[data-field=last_order_on] output')).toHaveText('1 Jan 2030');
	await expect(page.getByText('Order value to date').nth(1)).toBeVisible();
	// the form of a new deal reads its customer, which is fetched when the rule asks for it
	await openSheet(page, '/write/customer/order_value_to_date');
	await page.getByRole('button', { name: /^Narrow/ }).click();
	await expect(page.getByRole('button', { name: /^Watched fields/ })).toContainText(
		'Deal’s Net amount'
	);
});

test('a formula reads through a link: the sample fetches the record and shows its value', async ({
	page
}) => {
	await openSheet(page, '/write/deal/name');
	await choose(page.locator('#s-kind'), 'Spare parts');
	await choose(page.locator('#s-kind'), 'Service');
	await expect(page.getByTestId('wrote-name')).toContainText(/\S+ \S+.*Service/);
});
