/** The model as data: record types, fields and forms, option lists; live at once, and taken back. */
import { barriers, choose, expect, open, signIn, test } from './helpers';

test.beforeEach(({ page }) => signIn(page));

const RULES = ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'];

test('a field is named, moved and taken off the forms, and each step is undone', async ({
	page
}) => {
	await open(page, '/model/customer/headcount');
	const name = page.getByLabel('Name of Headcount');
	await name.fill('Country');
	await name.press('Enter');
	await expect(page.getByRole('alert').filter({ hasText: '●' })).toHaveText(
		'● Customer already has a field “Country”.'
	);
	await expect(name).toHaveValue('Country');
	await name.press('Escape');
	await expect(name).toHaveValue('Headcount');
	await name.fill('People at work');
	await name.press('Enter');
	await expect(page.getByRole('heading', { name: 'People at work' })).toBeVisible();
	// the list of fields and the rules that speak of it know at once
	const row = page.getByRole('row', { name: /People at work/ });
	await expect(row).toContainText('number');
	await expect(page.getByRole('link', { name: 'Size class follows headcount' })).toBeVisible();

	const handle = page.getByRole('button', {
		name: /^Place \d+ of \d+ in the fields of Customer: People/
	});
	const before = await handle.getAttribute('aria-label');
	await handle.press('ArrowUp');
	await expect(handle).not.toHaveAttribute('aria-label', before!);
	await expect(handle).toBeFocused();
	await page.getByLabel('on the short form').uncheck();
	await expect(row.getByRole('cell').nth(4)).toHaveText('');

	for (const step of ['short form', 'order of fields', 'name']) {
		await page.getByRole('button', { name: 'Undo' }).click();
		await expect(page.getByText(`Undone: ${step}`)).toBeVisible();
	}
	await expect(page.getByRole('heading', { name: 'Headcount' })).toBeVisible();
	await expect(handle).toHaveCount(0);
	await expect(page.getByText('Draft saved')).toBeVisible();
	await page.reload();
	await page.waitForSelector('[data-ready=true]');
	await expect(page.getByRole('heading', { name: 'Headcount' })).toBeVisible();
	await expect(page.getByLabel('on the short form')).toBeChecked();
	for (const part of ['main', 'aside']) expect(await barriers(page, part, RULES)).toEqual([]);
});

test('a new record type gets fields, a link with a free name for its other side, and records', async ({
	page
}) => {
	await open(page, '/model');
	await expect(page).toHaveURL(/\/model\/customer$/);
	await page.getByRole('button', { name: 'New record type' }).click();
	await page.getByLabel('One of them is a').fill('Boiler house');
	await page.getByLabel('One of them is a').press('Enter');
	await expect(page).toHaveURL(/\/model\/boiler_house$/);
	await page.getByRole('button', { name: 'New field' }).click();
	await page.getByLabel('New field').fill('Grower');
	await choose(page.getByLabel(/^What it is/), 'link');
	await choose(page.getByLabel(/^Links to/), 'Customer');
	await expect(page.getByLabel('Other side is called')).toHaveAttribute(
		'placeholder',
		'boiler houses'
	);
	await page.getByLabel('Other side is called').fill('deals');
	await page.getByRole('button', { name: 'Add the field' }).click();
	await expect(page.getByRole('alert').filter({ hasText: '●' })).toHaveText(
		'● Customer already has something called “deals”.'
	);
	await page.getByLabel('Other side is called').fill('');
	await page.getByRole('button', { name: 'Add the field' }).click();
	await expect(page.getByLabel('Other side of Grower')).toHaveValue('boiler houses');
	await page.getByLabel('in the list').check();

	await open(page, '/records/boiler_house/new');
	await page.locator('#f-name').fill('North');
	await page.getByRole('button', { name: 'Create boiler house' }).click();
	await expect(page.getByText('1 field from you')).toBeVisible();

	// it is not removed while there are records of it, and says how many
	await open(page, '/model/boiler_house');
	await page.getByRole('button', { name: 'Remove the record type …' }).click();
	await expect(page.getByText('There are 1 boiler houses.')).toBeVisible();
	await expect(page.getByRole('button', { name: 'Remove Boiler house' })).toBeDisabled();
	await open(page, '/records/boiler_house');
	await page.getByRole('link', { name: 'North' }).click();
	await page.getByRole('button', { name: 'Delete' }).click();
	await page.getByRole('button', { name: 'Yes, delete it' }).click();
	await expect(page).toHaveURL(/\/records\/boiler_house$/);
	await open(page, '/model/boiler_house');
	await page.getByRole('button', { name: 'Remove the record type …' }).click();
	await page.getByRole('button', { name: 'Remove Boiler house' }).click();
	await expect(page.getByText('Boiler house is removed.')).toBeVisible();
	await expect(page).toHaveURL(/\/model\/customer$/);
});

test('another type is looked at first: what comes along, what is lost, and what stands against it', async ({
	page
}) => {
	await open(page, '/model/lead');
	await page.getByRole('button', { name: 'New field' }).click();
	await page.getByLabel('New field').fill('Beds');
	await page.getByRole('button', { name: 'Add the field' }).click();
	await expect(page.getByRole('heading', { name: 'Beds' })).toBeVisible();
	for (const [id, beds] of [
		['1', '12'],
		['2', 'a dozen']
	]) {
		await open(page, `/records/lead/${id}`);
		await page.locator('#f-beds').fill(beds);
		await page.getByRole('button', { name: 'Save' }).click();
		await expect(page.getByText('Saved by release')).toBeVisible();
	}
	await open(page, '/model/lead/beds');
	await page.getByRole('button', { name: 'Another type …' }).click();
	await choose(page.getByLabel(/^What it is/), 'number');
	const look = page.getByRole('region', { name: 'Another type for Beds' });
	await expect(look).toContainText('Of 2 values 1 come along, 1 would be lost.');
	await expect(look.getByRole('row', { name: /a dozen/ })).toContainText('is no number');
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await look.getByRole('button', { name: 'Change it and lose 1' }).click();
	await expect(page.getByText('number', { exact: true }).first()).toBeVisible();
	// what was lost is told in the history of its record
	await open(page, '/records/lead/2');
	await expect(page.getByRole('row', { name: /Beds/ }).first()).toContainText('a dozen');

	// what the release in force needs is not changed under it
	await open(page, '/model/customer/headcount');
	await page.getByRole('button', { name: 'Another type …' }).click();
	await choose(page.getByLabel(/^What it is/), 'date');
	const refused = page.getByRole('region', { name: 'Another type for Headcount' });
	await expect(refused).toContainText('Release in force: “Size class follows headcount”');
	await expect(refused.getByRole('button', { name: /^Change it/ })).toBeDisabled();

	// removed, with what that costs
	await open(page, '/model/lead/beds');
	await page.getByRole('button', { name: 'Remove it …' }).click();
	await expect(page.getByText('1 leads hold a value in it.')).toBeVisible();
	await page.getByRole('button', { name: 'Remove it and lose 1' }).click();
	await expect(page.getByText('Beds is removed from Lead.')).toBeVisible();
	await open(page, '/records/lead/1');
	await expect(page.getByRole('row', { name: /Beds/ }).first()).toContainText('12');

	// the journal tells both apart from what people entered
	await open(page, '/journal/~all?road=model');
	const grid = page.getByRole('grid', { name: 'What it did, record by record' });
	await expect(grid.getByRole('row')).toHaveCount(3);
	await expect(grid.getByRole('row').nth(1)).toContainText('taken out');
	await expect(grid.getByRole('row').nth(1)).toContainText('the field was removed');
	await expect(grid.getByRole('row').nth(2)).toContainText('became another kind');
	await page.getByRole('link', { name: /^the model took out 2/ }).press('Enter');
	await expect(page).toHaveURL(/what=model/);
	await expect(grid.getByRole('row')).toHaveCount(3);
	await choose(page.getByLabel(/^By which road/), 'any road');
	await expect(grid.getByRole('row')).toHaveCount(3);
	expect(await barriers(page, 'main', RULES)).toEqual([]);
});

test('options come in lines, stand in an order, and go only where nothing holds them', async ({
	page
}) => {
	await open(page, '/options/channel');
	await page.getByLabel('New options, one a line').fill('Radio\n\nPodcast\nradio');
	await page.getByRole('button', { name: 'Add', exact: true }).click();
	await expect(page.getByText('2 options more.')).toBeVisible();
	const row = page.getByRole('row', { name: /podcast/ });
	// stored before what is counted below
	const coded = page.waitForResponse(
		(r) => r.url().endsWith('/draft/model') && (r.request().postData() ?? '').includes('"PC"')
	);
	await row.getByLabel('Code of Podcast').fill('PC');
	await row.getByLabel('Code of Podcast').press('Enter');
	await coded;
	await row.getByRole('button', { name: 'Uses' }).click();
	const uses = page.getByRole('region', { name: 'Uses of Podcast' });
	await expect(uses).toContainText('No rule, definition, table or trial speaks of it.');
	// it takes long to be stored; meanwhile it is back, and looked at again
	let store!: () => void;
	const slow = new Promise<void>((r) => (store = r));
	await page.route('**/draft/model', (r) => slow.then(() => r.continue()));
	const answers: boolean[] = [];
	page.on('response', (r) => {
		if (r.url().endsWith('/draft/model')) answers.push(r.ok());
	});
	await uses.getByRole('button', { name: 'Remove “Podcast”' }).click();
	await expect(row).toHaveCount(0);
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(row.getByLabel('Code of Podcast')).toHaveValue('PC');
	await row.getByRole('button', { name: 'Uses' }).click();
	await expect(uses).toBeVisible();
	store();
	// the removal, and what took it back
	await expect.poll(() => answers).toEqual([true, true]);
	await expect(uses).toBeVisible();
	await page.unroute('**/draft/model');
	await page
		.getByRole('row', { name: /trade_fair/ })
		.getByRole('button', { name: 'Uses' })
		.click();
	const held = page.getByRole('region', { name: 'Uses of Trade fair' });
	await expect(held).toContainText(/\d\s+leads\s+have it as Enquiry channel/);
	await expect(held.getByRole('button', { name: 'Remove “Trade fair”' })).toBeDisabled();
	for (const name of ['Podcast', 'Radio']) {
		await page
			.getByRole('row', { name: new RegExp(name.toLowerCase()) })
			.getByRole('button', { name: 'Uses' })
			.click();
		// gone from the page at once, and stored a moment later: a page that is closed before keeps it
		const stored = page.waitForResponse(
			(r) =>
				r.url().endsWith('/draft/model') &&
				(r.request().postData() ?? '').includes(name.toLowerCase())
		);
		await page.getByRole('button', { name: `Remove “${name}”` }).click();
		await expect(page.getByLabel(`Name of ${name}`)).toHaveCount(0);
		expect((await stored).ok()).toBe(true);
	}
});

test('two people at one field: the second hears of it, and nothing is written over', async ({
	page,
	browser
}) => {
	await open(page, '/model/district');
	await page.getByLabel('What one of them is called').fill('District');
	const other = await browser.newPage();
	await signIn(other, 'ida');
	await open(other, '/model/district');
	await page.getByLabel('What one of them is called').press('Enter');
	await expect(page.getByRole('heading', { level: 1 })).toHaveText('District');
	const theirs = other.getByLabel('What one of them is called');
	await theirs.fill('Area');
	await theirs.press('Enter');
	await expect(other.getByRole('alert').filter({ hasText: '●' })).toContainText(
		'Somebody else changed District meanwhile'
	);
	await expect(other.getByRole('heading', { level: 1 })).toHaveText('District');
	await other.close();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByRole('heading', { level: 1 })).toHaveText('Service district');
});
