import {
	barriers,
	choose,
	expect,
	expectHeld,
	importPasted,
	open,
	signIn,
	test,
	pressOn
} from './helpers';

test.beforeEach(async ({ page }) => signIn(page));

test('the form decides while typing as the server does on saving, and history tells why', async ({
	page
}) => {
	await open(page, '/records/customer/1');
	const size = page.locator('[data-field=size_class]');
	await expect(size.locator('output')).toHaveText('Small');
	// Locked: there is nothing to type into
	await expect(size.locator('input, select')).toHaveCount(0);
	await page.locator('#f-headcount').fill('50');
	await expect(size.locator('output')).toHaveText('Medium');
	await expect(size).toContainText(
		'was Small, because Headcount 50 is in [50..250), the third band'
	);
	// back to the stored value is no change
	await page.locator('#f-headcount').fill('48');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText('Nothing was changed')).toBeVisible();
	await page.locator('#f-headcount').fill('50');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText('Saved by release 3: 1 field from you, 1 by rules')).toBeVisible();
	const row = page.getByRole('row', { name: /Size class Small Medium/ });
	await expect(row).toContainText(
		'Headcount 50 is in [50..250), the third band. Size class follows headcount of v3'
	);
	await page.reload();
	await expect(size.locator('output')).toHaveText('Medium');
	await expect(size).toContainText('because Headcount 50');
	// from the reason to the rule, with this record as the sample
	await size.getByRole('link', { name: 'rule' }).click();
	await expect(page.getByRole('heading', { name: 'Brackwater Tulips' })).toBeVisible();
	await open(page, '/records/customer/1?form=short');
	await page.locator('#f-headcount').fill('48');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.locator('[data-field=size_class] output')).toHaveText('Small');
	await expect(page.getByText('by the short form').first()).toBeVisible();
});

test('a new record: what cannot be read stays in the box and is not saved', async ({ page }) => {
	await open(page, '/records/customer/new?form=short');
	await page.locator('#f-trading_name').fill('Copperhouse Herbs');
	await page.locator('#f-headcount').fill('fifty');
	await page.getByRole('button', { name: 'Create customer' }).click();
	await expect(page.locator('[data-field=headcount]')).toContainText('“fifty” is no number');
	await expect(page).toHaveURL(/new/);
	await page.locator('#f-headcount').fill('250');
	await choose(page.locator('#f-key_grower'), 'yes');
	await expectHeld(page.locator('#f-service_plan'), 'Full care');
	// overruled by hand after the tick: kept
	await choose(page.locator('#f-service_plan'), 'On call');
	await expectHeld(page.locator('#f-service_plan'), 'On call');
	await page.getByRole('button', { name: 'Create customer' }).click();
	await expect(page.getByRole('heading', { name: 'Copperhouse Herbs' })).toBeVisible();
	await expect(page.locator('[data-field=size_class] output')).toHaveText('Large');
	await expectHeld(page.locator('#f-service_plan'), 'On call');
});

test('the form says which options are left, and which rule says so', async ({ page }) => {
	await open(page, '/records/lead/new');
	await choose(page.locator('#f-crop'), 'Tulip');
	await expect(page.getByTestId('limit-product_interest')).toHaveText(
		/^Product interest is limited to Climate computer, .* now, as Crop is Tulip, by “Product interest limited by crop”$/
	);
	await choose(page.locator('#f-crop'), 'Tomato');
	await expect(page.getByTestId('limit-product_interest')).toHaveCount(0);
});

test('a link is found by typing', async ({ page }) => {
	await open(page, '/records/lead/2');
	const box = page.locator('#f-owner');
	await box.click();
	await box.pressSequentially('Mieke');
	await page.getByRole('option', { name: /Mieke Rozendal/ }).click();
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText('1 field from you, 0 by rules')).toBeVisible();
	await expect(page.getByRole('row', { name: /Owner .* Mieke Rozendal/ })).toBeVisible();
});

test('two people at one record see it, field by field', async ({ page, context }) => {
	await open(page, '/records/customer/3');
	const other = await context.newPage();
	await open(other, '/records/customer/3');
	await other.locator('#f-phone').fill('+31 20 555 0000');
	await other.getByRole('button', { name: 'Save' }).click();
	await expect(other.getByText('Saved by release')).toBeVisible();
	await page.locator('#f-registered_name').fill('North Quay Ltd');
	await page.getByRole('button', { name: 'Save' }).click();
	const box = page.getByRole('alert');
	await expect(box).toContainText('Somebody else saved this record');
	await expect(box.getByRole('row', { name: /Phone/ })).toContainText('+31205550000');
	await page.getByRole('button', { name: /Go on from what is stored now/ }).click();
	await expect(page.locator('#f-phone')).toHaveValue('+31205550000');
	await expect(page.locator('#f-registered_name')).toHaveValue('North Quay Ltd');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText('Saved by release')).toBeVisible();
});

test('import: each row has its outcome', async ({ page }) => {
	await open(page, '/records/customer/import');
	await page
		.locator('#text')
		.fill(
			'Trading name,Headcount,Size class,Remark\nWickwater Roses,49,,x\nWickwater Roses,50,Large,y\nWickwater Roses,many,,z'
		);
	await page.getByRole('button', { name: 'Look at it' }).click();
	await expect(page.getByRole('row', { name: /^Headcount/ })).toContainText('49');
	await expect(page.getByText('Left out: Remark')).toBeVisible();
	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag21aa', 'best-practice'])).toEqual(
		[]
	);
	// tried first: what each row would do, and nothing is stored
	await pressOn(page.getByRole('button', { name: 'Try it' }));
	await expect(page.getByText('nothing stored: 2 of 3 rows would be')).toBeVisible({
		timeout: 20_000
	});
	await expect(page.getByRole('row', { name: /^2 would be created/ })).toContainText(
		'Size class Small because Headcount 49 is in [10..50)'
	);
	await pressOn(page.getByRole('button', { name: 'Import', exact: true }));
	await expect(page.getByText('2 of 3 rows taken over, 1 refused')).toBeVisible();
	await expect(page.getByRole('row', { name: /^2 created/ })).toContainText(
		'Size class Small because Headcount 49 is in [10..50)'
	);
	await expect(page.getByRole('row', { name: /^3 created/ })).toContainText(
		'only “Size class follows headcount” sets it'
	);
	await expect(page.getByRole('row', { name: /^4/ })).toContainText('“many” is no number');
	// what is to be mended comes out as it came in
	const [file] = await Promise.all([
		page.waitForEvent('download'),
		page.getByRole('link', { name: 'The rows to mend' }).click()
	]);
	expect(await (await file.createReadStream()).toArray().then(String)).toBe(
		'Trading name,Headcount,Size class,Remark\r\nWickwater Roses,many,,z\r\n'
	);
	// the jobs tell of both, and the same file is known again
	await open(page, '/jobs');
	await expect(page.getByRole('row', { name: /^import pasted rows/ }).first()).toContainText(
		'done'
	);
	await expect(page.getByRole('row', { name: /^dry run pasted rows/ }).first()).toContainText(
		'done'
	);
	await open(page, '/records/customer/import');
	await page
		.locator('#text')
		.fill(
			'Trading name,Headcount,Size class,Remark\nWickwater Roses,49,,x\nWickwater Roses,50,Large,y\nWickwater Roses,many,,z'
		);
	await page.getByRole('button', { name: 'Look at it' }).click();
	await expect(page.getByText('This very file was imported before')).toBeVisible();
	await expect(page.getByRole('button', { name: 'Import', exact: true })).toBeDisabled();
	await page.getByLabel('Import it again all the same').check();
	await expect(page.getByRole('button', { name: 'Import', exact: true })).toBeEnabled();
});

test('the API decides the same, with a token made under Settings', async ({
	page,
	request,
	baseURL
}) => {
	await signIn(page, 'ida');
	await open(page, '/settings');
	await page.getByLabel('Name of a new token').fill('Web shop');
	await page.getByRole('button', { name: 'Make a token' }).click();
	const token = await page.getByTestId('token').innerText();
	const headers = { authorization: `Bearer ${token}` };
	const made = await request.post(`${baseURL}/api/v1/records/customer`, {
		headers,
		data: { values: { trading_name: 'Api Herbs', headcount: 51, size_class: 'micro' } }
	});
	expect(made.status()).toBe(201);
	const body = await made.json();
	expect(body.values.size_class).toBe('medium');
	expect(body.setAside).toMatchObject([{ field: 'size_class', sent: 'micro', stands: 'medium' }]);
	const changed = await request.patch(`${baseURL}/api/v1/records/customer/${body.id}`, {
		headers,
		data: { values: { headcount: '9.5' } }
	});
	expect((await changed.json()).values.size_class).toBe('micro');
	const got = await (
		await request.get(`${baseURL}/api/v1/records/customer/${body.id}`, { headers })
	).json();
	expect(got).toMatchObject({
		version: 2,
		values: { size_class: 'micro' },
		setBy: { size_class: { by: 'rule', release: 3 }, headcount: { by: 'api' } }
	});
	const bad = await request.post(`${baseURL}/api/v1/records/customer`, {
		headers,
		data: { values: { headcount: 'many' } }
	});
	expect([bad.status(), (await bad.json()).faults]).toEqual([
		400,
		[{ field: 'headcount', message: 'Headcount: “many” is no number.' }]
	]);
	expect((await request.get(`${baseURL}/api/v1/records/customer/1`)).status()).toBe(401);
	expect(
		(await request.post(`${baseURL}/api/v1/records/customer`, { headers, data: '[[[' })).status()
	).toBe(400);
	await open(page, `/records/customer/${body.id}`);
	await expect(page.getByText('by the API').first()).toBeVisible();
});

test('a field is added as data and used at once in a form and a formula', async ({ page }) => {
	await open(page, '/model/customer');
	await page.getByRole('button', { name: 'New field' }).click();
	await page.getByLabel('New field').fill('Boiler age');
	await choose(page.getByLabel(/^What it is/), 'number');
	await page.getByRole('button', { name: 'Add the field' }).click();
	await expect(page.getByText('Customer has the field “Boiler age” now.')).toBeVisible();
	await expect(page).toHaveURL(/\/model\/customer\/boiler_age$/);
	await open(page, '/records/customer/5');
	await page.locator('#f-boiler_age').fill('12');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText('1 field from you')).toBeVisible();
	await open(page, '/write/customer/boiler_age');
	await expect(page.getByRole('heading', { name: 'Boiler age' })).toBeVisible();
});

test('a check blocks a save at its field, in the form and past it; the import is not asked what people are', async ({
	page
}) => {
	await open(page, '/records/deal/new');
	await page.locator('#f-name').fill('Tern Island retrofit');
	await choose(page.locator('#f-heat_pump'), 'yes');
	const capacity = page.locator('[data-field=electrical_capacity]');
	await expect(capacity).toContainText('Electrical capacity is required.');
	await page.getByRole('button', { name: 'Create deal' }).click();
	await expect(capacity.getByRole('alert')).toContainText('Electrical capacity is required.');
	await expect(page).toHaveURL(/new$/);
	await page.locator('#f-electrical_capacity').fill('63');
	// Locked: without a kind there is no limit, and nobody sets one by hand
	await expect(page.locator('[data-field=discount_limit_percent] output')).toHaveText('—');
	await choose(page.locator('#f-kind'), 'Retrofit');
	await expect(page.locator('[data-field=discount_limit_percent] output')).toContainText('5');
	await page.locator('#f-name').fill('Tern Island retrofit');
	await page.locator('#f-discount_percent').fill('7');
	await expect(page.locator('[data-field=discount_percent]')).toContainText(
		'▲ A discount of 7 % is more than the limit of 5 %.'
	);
	await page.getByRole('button', { name: 'Create deal' }).click();
	await expect(page.getByRole('heading', { name: 'Tern Island retrofit' })).toBeVisible();
	await open(page, '/records/deal/import');
	await page
		.locator('#text')
		.fill(
			'Name,Heat pump,Stage,Close date\nImported,yes,Won,2020-01-01\nLate,no,Survey,2020-01-01'
		);
	await importPasted(page);
	await expect(page.getByText('1 of 2 rows taken over, 1 refused')).toBeVisible();
	await expect(page.getByRole('row', { name: /^3/ })).toContainText(
		'has passed, and the deal is still at Survey'
	);
});

test('a form with something typed is not left by mistake, and an ended session signs in in place', async ({
	page
}) => {
	await open(page, '/records/lead/new');
	await page.locator('#f-company_as_typed').fill('Nobody of that name');
	// nothing happened, and why
	await expect(page.getByTestId('nothing-customer')).toContainText(
		'no customer matches Company as typed Nobody of that name'
	);
	const journal = page.getByRole('link', { name: 'Journal', exact: true });
	await journal.click();
	const dialog = page.getByTestId('leaving');
	await expect(dialog).toContainText('Company as typed is stored nowhere');
	await page.keyboard.press('Escape');
	await expect(page).toHaveURL(/lead\/new/);
	await expect(page.locator('#f-company_as_typed')).toHaveValue('Nobody of that name');
	// a moment is typed on the workspace's clock, and shown so
	await page.locator('#f-status_changed_at').fill('2026-11-24 09:30');
	await page.context().clearCookies();
	await page.getByRole('button', { name: 'Create lead' }).click();
	const again = page.getByTestId('sign-in-again');
	await expect(again).toBeVisible();
	await expect(page.locator('#again-password')).toBeFocused();
	await page.locator('#again-password').fill('wrong');
	await page.keyboard.press('Enter');
	await expect(again.getByRole('alert')).toContainText('●');
	await page.locator('#again-password').fill('glasshouse-2');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/lead\/\d+$/);
	await expect(page.locator('#f-status_changed_at')).toHaveValue('2026-11-24 09:30');
	await expect(page.getByRole('row', { name: /Customer.*nothing happened/ })).toContainText(
		'no customer matches'
	);
	// its own display form is read as well
	await page.locator('#f-status_changed_at').fill('24 Nov 2026, 10:15');
	await journal.click();
	await dialog.getByRole('button', { name: 'Save, then leave' }).click();
	await expect(page).toHaveURL(/journal/);
});

test('an ended session in the sheet: the edit is stored once signed in again', async ({ page }) => {
	await open(page, '/write/customer/label_lines');
	const why = page.getByLabel('Why the rule exists').first();
	const had = await why.inputValue();
	await page.context().clearCookies();
	await why.fill('Two lines fit a long name');
	const again = page.getByTestId('sign-in-again');
	await expect(again).toBeVisible();
	await page.locator('#again-password').fill('glasshouse-2');
	await page.keyboard.press('Enter');
	await expect(again).toBeHidden();
	await expect(page.getByText('Draft saved')).toBeVisible();
	await why.fill(had);
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('a record as it was, what points to it, and what would happen if, for a reader too', async ({
	page
}) => {
	await signIn(page, 'jonas');
	await open(page, '/records/customer/62');
	await expect(page.getByRole('heading', { name: 'Related records' })).toBeVisible();
	await page.fill('#f-phone', '+31 10 000 00 00');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText('Saved by release 3')).toBeVisible();
	const before = page.getByRole('textbox', { name: 'As it was on' });
	await before.fill('2026-01-05');
	await page.keyboard.press('Tab');
	await expect(page).toHaveURL(/on=2026-01-05/);
	const was = page.getByRole('region', { name: 'As it was' });
	// it was made some days later, before history began
	await expect(was).toContainText('It was not there yet');
	await before.fill('2026-02-01');
	await page.keyboard.press('Tab');
	await expect(was.getByRole('row', { name: /^Phone/ })).toContainText('Phoneblank+31100000000');
	await page.reload();
	await expect(was).toContainText('As it was at the end of 1 Feb 2026');
	await page.getByRole('button', { name: 'as it is now' }).click();
	await expect(was).toHaveCount(0);
	await page.getByRole('link', { name: /^\d+ deals?$/ }).click();
	await expect(page.getByTestId('list-count')).toHaveText(
		/^\d+ [a-z]+ where Customer is Peatfield West Cucumbers$/
	);

	// nothing of what a reader tries is stored, and leaving asks nothing
	await signIn(page, 'mieke');
	await open(page, '/records/customer/62');
	await expect(page.getByRole('button', { name: 'Save' })).toHaveCount(0);
	await pressOn(page.getByRole('button', { name: 'What would happen if …' }));
	await page.fill('#f-headcount', '250');
	const would = page.getByRole('region', { name: 'What would happen' });
	await expect(would).toContainText('Size class Small → Large because Headcount 250 is >= 250');
	await pressOn(would.getByRole('button', { name: 'Why: Size class follows headcount' }));
	await expect(page.getByText('Discounts and reports go by it').last()).toBeVisible();
	await page.keyboard.press('Escape');
	// and what it would come to at other records
	await page.fill('#f-trading_name', 'Fen East');
	await expect(would.getByTestId('elsewhere')).toContainText('Fen East service 2026');
	await page.fill('#f-location_number', '1234567890123');
	await expect(would).toContainText('The change would be refused');
	await page.keyboard.press('Enter');
	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag22aa'])).toEqual([]);
	await page.reload();
	await expect(page.locator('#f-headcount')).toHaveText('32');
	await pressOn(page.getByRole('button', { name: 'What would happen if …' }));
	await page.fill('#f-headcount', '9');
	await page.getByRole('link', { name: 'Contacts', exact: true }).click();
	await expect(page).toHaveURL(/records\/contact/);
});

test('a record is deleted by keyboard, looked at where it was, and put back as it was', async ({
	page
}) => {
	await open(page, '/records/contact');
	await page.getByRole('row').nth(3).getByRole('link').first().press('Enter');
	await page.waitForURL(/\/records\/contact\/\d+$/);
	const title = (await page.getByRole('heading', { level: 1 }).textContent())!;
	const address = new URL(page.url()).pathname;
	const mail = await page.getByLabel('E-mail', { exact: true }).inputValue();
	await pressOn(page.getByRole('button', { name: 'Delete' }));
	await pressOn(page.getByRole('button', { name: 'Yes, delete it' }));
	await expect(page.getByText(`${title} was deleted.`)).toBeVisible();
	await page.getByRole('button', { name: 'Look at it' }).click();
	await page.waitForURL(`**${address}/deleted`);
	await expect(page.getByText(/deleted .* by Jonas .*, by the full form/)).toBeVisible();
	const held = page.getByRole('region', { name: 'What it held' });
	await expect(held.getByRole('row', { name: /^E-mail / })).toContainText(mail);
	const lines = page.getByRole('region', { name: 'History' }).getByRole('row');
	await expect(lines.nth(1)).toContainText('deleted');
	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag22aa', 'best-practice'])).toEqual(
		[]
	);
	// a reader sees it, and cannot put it back
	await signIn(page, 'mieke');
	await open(page, address);
	await expect(held).toBeVisible();
	await expect(page.getByRole('button', { name: 'Put it back' })).toHaveCount(0);
	await signIn(page);
	await open(page, address);
	await pressOn(page.getByRole('button', { name: 'Put it back' }));
	await page.waitForURL(`**${address}`);
	await expect(page.getByRole('heading', { level: 1 })).toHaveText(title);
	await expect(page.getByLabel('E-mail', { exact: true })).toHaveValue(mail);
	// its history goes on
	await expect(lines.getByText('deleted', { exact: true }).first()).toBeVisible();
	await expect(page.getByText('● failed')).toHaveCount(0);
	await open(page, `${address}/deleted`);
	await expect(page).toHaveURL(new RegExp(`${address}$`));
	const never = await page.goto('/records/contact/999999');
	expect(never!.status()).toBe(404);
});

test('an import is taken back: looked at first, what it made deleted', async ({ page }) => {
	await open(page, '/records/customer/import');
	await page.locator('#text').fill('Trading name,Headcount\nTaken Back One,9\nTaken Back Two,10');
	await importPasted(page);
	await pressOn(page.getByRole('button', { name: 'Take it back: look first' }));
	await expect(
		page.getByRole('heading', { name: 'The import of pasted rows taken back' })
	).toBeVisible();
	await expect(
		page.getByRole('heading', { name: 'Looked at, nothing stored: 2 of 2 would be changed' })
	).toBeVisible();
	const rows = page.getByRole('table', { name: 'Records' });
	await expect(rows.getByRole('row', { name: /Taken Back One/ })).toContainText('would be deleted');
	await pressOn(page.getByRole('button', { name: 'Take back 2 records' }));
	await expect(page.getByRole('heading', { name: '2 of 2 records changed' })).toBeVisible();
	await open(page, '/records/customer?find=Taken%20Back');
	await expect(page.getByText('No record has this in its name.')).toBeVisible();
	await page.goBack();
	const done = page.url();
	await page.getByRole('link', { name: 'What it takes back' }).click();
	await expect(page.getByText('It was taken back')).toBeVisible();
	await expect(page.getByRole('button', { name: /Take it back/ })).toHaveCount(0);
	// taken back in its turn: they are made again, under their numbers
	await open(page, done);
	const number = /No\. (\d+)/.exec(
		await rows.getByRole('row', { name: /Taken Back One/ }).innerText()
	);
	await pressOn(page.getByRole('button', { name: 'Take it back: look first' }));
	await expect(rows.getByRole('row', { name: /Taken Back Two/ })).toContainText(
		'would be made again'
	);
	await pressOn(page.getByRole('button', { name: 'Take back 2 records' }));
	await expect(page.getByRole('heading', { name: '2 of 2 records changed' })).toBeVisible();
	await rows.getByRole('link', { name: 'Taken Back One' }).click();
	await expect(page).toHaveURL(`/records/customer/${number![1]}`);
	await expect(page.locator('#f-headcount')).toHaveValue('9');
});

test('the history of a record that changed often is reached part by part, by keyboard', async ({
	page
}) => {
	test.slow();
	await open(page, '/records/customer');
	const headers = { origin: new URL(page.url()).origin };
	const send = async (id: string | null, name: string) => {
		const r = await page.request.post(`/save/customer${id ? `?id=${id}` : ''}`, {
			headers,
			data: { sent: [['trading_name', name]], release: 3 }
		});
		return ((await r.json()) as { id: string }).id;
	};
	const id = await send(null, 'Often Changed 0');
	for (let i = 1; i <= 104; i++) await send(id, `Often Changed ${i}`);
	await open(page, `/records/customer/${id}`);
	const history = page.getByRole('region', { name: 'History' });
	await expect(history.getByRole('cell', { name: 'Often Changed 104', exact: true })).toBeVisible();
	await expect(history).toContainText('The newest 40 changes.');
	await expect(history.getByText('Often Changed 3', { exact: true })).toHaveCount(0);
	// what it was made with, and what the next change found
	const first = history.getByRole('cell', { name: 'Often Changed 0', exact: true }).last();
	await pressOn(history.getByRole('link', { name: 'Older changes' }));
	await expect(first).toBeVisible();
	await expect(history.getByRole('link', { name: 'Older changes' })).toHaveCount(0);
	// what it became in the first of the newer changes is not of this part
	await expect(history.getByRole('cell', { name: 'Often Changed 5', exact: true })).toHaveCount(0);
	await page.reload();
	await expect(first).toBeVisible();
	expect(await barriers(page, '#history', ['wcag2a', 'wcag2aa', 'wcag22aa'])).toEqual([]);
	await pressOn(history.getByRole('link', { name: 'The newest changes' }));
	await expect(history.getByRole('cell', { name: 'Often Changed 104', exact: true })).toBeVisible();
	expect(new URL(page.url()).searchParams.has('before')).toBe(false);
});

test('jobs that ended are found by what they did and for whom, by keyboard', async ({ page }) => {
	await open(page, '/records/customer/import');
	// a file that was imported before asks whether it is meant
	const name = `Found ${Date.now()}`;
	await page.locator('#text').fill(`Trading name,Headcount\n${name},9\n${name} As Well,10`);
	await importPasted(page);
	await open(page, '/jobs');
	const ended = page.getByRole('table', { name: 'Jobs that ended' });
	const rows = ended.locator('tbody tr');
	await choose(page.getByLabel('What they did'), 'import');
	await expect(page).toHaveURL(/kind=import/);
	await expect(rows.first()).toContainText('import');
	await expect(
		rows.filter({ hasNot: page.getByRole('cell', { name: 'import', exact: true }) })
	).toHaveCount(0);
	await page.getByLabel('For whom').focus();
	await page.keyboard.press('Enter');
	await page.keyboard.type('for Jonas');
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/by=\d+/);
	await page.reload();
	await expect(rows.first()).toContainText('Jonas');
	await choose(page.getByLabel('What they did'), 'replay');
	await expect(rows).toHaveText(['None of these.']);
	await page.goto('/jobs?kind=party');
	await expect(page.getByText('“kind” in the address must be one of')).toBeVisible();
});
