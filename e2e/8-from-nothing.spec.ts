/**
 * Every need, written from nothing by somebody who knows no formula: from the page of the field to the
 * finished rule, each action counted. Most take a few; none more than twelve.
 */
import type { Page } from '@playwright/test';
import { Acts } from './acts';
import { expect, importPasted, open, openSheet, signIn, source, test } from './helpers';

test.beforeEach(async ({ page }) => signIn(page));

/** Most actions from the page of a field to a finished rule, rows of tables and texts of messages apart. */
const MOST = 12;
const taken: Record<string, number> = {};

/** Takes away the rules that the demo has at a field, so that the new one stands alone. */
async function alone(page: Page, path: string) {
	await openSheet(page, path);
	for (;;) {
		const more = page.getByRole('button', { name: /^More for (?!case|Condition)/ }).first();
		if (!(await more.isVisible())) break;
		await more.click();
		await page.getByRole('menuitem', { name: /^(Remove|Take out of the draft)$/ }).click();
	}
}

function finished(need: string, a: Acts, apart = 0) {
	taken[need] = a.count - apart;
	expect(a.count - apart, need).toBeLessThanOrEqual(MOST);
}
test.afterAll(() => console.log('actions', JSON.stringify(taken)));

/** Nothing is left to be said of the rule, and nothing is wrong with it. */
async function sound(page: Page) {
	await expect(page.getByText(/^◌?\s*Still to say/)).toHaveCount(0);
	await expect(page.getByText('● blocks')).toHaveCount(0);
	await expect(page.getByText('Draft saved')).toBeVisible();
}
const wrote = (page: Page, field: string) => page.getByTestId(`wrote-${field}`);
async function sample(page: Page, field: string, option: string) {
	const box = page.locator(`#s-${field}`);
	if (!(await box.isVisible())) await page.getByRole('button', { name: /more fields$/ }).click();
	await box.click();
	await page.getByRole('option', { name: option, exact: true }).click();
}
async function type(page: Page, field: string, text: string) {
	const box = page.locator(`#s-${field}`);
	if (!(await box.isVisible())) await page.getByRole('button', { name: /more fields$/ }).click();
	await box.fill(text);
}

test('written from nothing and released, two rules decide the same on both forms, the import and the API', async ({
	page,
	request,
	baseURL
}) => {
	test.slow();
	await signIn(page, 'ida');
	const a = new Acts(page);
	await openSheet(page, '/write/customer/registered_name');
	await a.begin('copy');
	await a.find('trading name');
	await openSheet(page, '/write/customer/key_grower');
	await a.begin('fixed');
	await a.find('glass area');
	await a.fill(page.getByLabel(/what Glass area is compared with/), '90000');
	await a.choose(page.getByLabel('What Key grower gets: value'), 'yes');
	await sound(page);

	await open(page, '/release');
	await page.getByLabel('What this release is for').fill('Two rules written from nothing.');
	await page.getByLabel(/not hold.*all the same/).fill('They speak of the rules before.');
	await page.getByRole('button', { name: /^Release the draft as version/ }).click();
	// the server looks the draft through first, and a machine may be slow
	await expect(page.getByText(/is in force on every entry point/)).toBeVisible({ timeout: 25_000 });

	// both forms
	for (const form of ['full', 'short']) {
		await open(page, `/records/customer/new?form=${form}`);
		if (form === 'short') await expect(page.locator('#f-glass_area')).toHaveCount(0);
		await page.locator('#f-trading_name').fill(`Ferry ${form}`);
		if (form === 'full') {
			await page.locator('#f-glass_area').fill('90000');
			await expect(page.locator('#f-registered_name')).toHaveValue('Ferry full');
		}
		await page.getByRole('button', { name: /^Save|^Create/ }).click();
		await page.waitForURL(/\/records\/customer\/\d+/);
		await open(page, page.url().replace(/\?.*/, ''));
		await expect(page.locator('#f-registered_name')).toHaveValue(`Ferry ${form}`);
		await expect(page.locator('#f-key_grower')).toContainText(form === 'full' ? 'yes' : '—');
	}
	// a file
	await open(page, '/records/customer/import');
	await page.locator('#text').fill('Trading name,Glass area\nFerry file,90000\nFerry less,89999');
	await importPasted(page);
	await expect(page.getByRole('row', { name: /^2 created/ })).toContainText(
		'Registered name Ferry file'
	);
	await expect(page.getByRole('row', { name: /^2 created/ })).toContainText('Key grower yes');
	await expect(page.getByRole('row', { name: /^3 created/ })).not.toContainText('Key grower');
	// other systems
	await open(page, '/settings');
	await page.getByLabel('Name of a new token').fill('From nothing');
	await page.getByRole('button', { name: 'Make a token' }).click();
	const token = await page.getByTestId('token').innerText();
	const made = await request.post(`${baseURL}/api/v1/records/customer`, {
		headers: { authorization: `Bearer ${token}` },
		data: { values: { trading_name: 'Ferry other', glass_area: '90000' } }
	});
	expect(JSON.stringify(await made.json())).toMatch(/Ferry other.*Ferry other/);
});

test('N1: a date when one field changes', async ({ page }) => {
	await alone(page, '/write/customer/details_checked_on');
	const a = new Acts(page);
	await a.begin('day of');
	await a.click(page.getByLabel('Phone', { exact: true }));
	await a.press('Escape');
	finished('N1', a);
	await type(page, 'phone', '+31 20 794 0399');
	await expect(wrote(page, 'details_checked_on')).toContainText('because Phone changed');
	await sound(page);
});

test('N2: bands of a number', async ({ page }) => {
	await alone(page, '/write/customer/size_class');
	const a = new Acts(page);
	await a.begin('bands');
	await a.find('headcount');
	await expect(page.getByLabel(/^Limit between/)).toHaveCount(3);
	const apart = a.count;
	const results = page.getByLabel(/^Size class for/);
	for (const [i, o] of ['Micro', 'Small', 'Medium', 'Large'].entries())
		await a.choose(results.nth(i), o);
	const rows = a.count - apart;
	await a.choose(page.getByLabel(/^What a blank/), /^no result|^nothing|^gives nothing/);
	finished('N2', a, rows);
	await type(page, 'headcount', '900');
	await expect(wrote(page, 'size_class')).toContainText('Large');
	await sound(page);
});

test('N3: typed text into a link', async ({ page }) => {
	await alone(page, '/write/lead/customer');
	const a = new Acts(page);
	await a.begin('record that matches');
	await a.find('company as typed');
	finished('N3', a);
	await type(page, 'company_as_typed', 'BRACKWATER  tulip');
	await expect(wrote(page, 'customer')).toContainText('Brackwater Tulip');
	await sound(page);
});

test('N4: a district by country and postal code', async ({ page }) => {
	await alone(page, '/write/customer/service_district');
	const a = new Acts(page);
	await a.begin('row of a table');
	await a.click(page.getByRole('option', { name: 'District postcodes' }));
	finished('N4', a);
	await sample(page, 'country', 'Netherlands');
	await type(page, 'postal_code', '9711');
	await expect(wrote(page, 'service_district')).toContainText(
		'by “Service district by district postcodes”'
	);
	await sound(page);
});

test('N5: amounts by cases', async ({ page }) => {
	await alone(page, '/write/lead/expected_value');
	const a = new Acts(page);
	await a.begin('cases');
	await a.find('fit');
	await a.choose(page.getByLabel(/what Fit is compared with/), 'Strong');
	await a.fill(page.getByLabel('Case 1: what Expected value gets: value'), '42000');
	finished('N5', a);
	// a further case is a row
	await page.getByRole('button', { name: 'Add a case' }).click();
	await a.find('fit');
	await a.choose(page.getByLabel(/Case 2 .*what Fit is compared with/), 'Fair');
	await a.fill(page.getByLabel('Case 2: what Expected value gets: value'), '25000');
	await a.choose(page.getByLabel(/^Otherwise: what Expected value gets/), /^leave/);
	await sample(page, 'fit', 'Fair');
	await expect(wrote(page, 'expected_value')).toContainText(/25\u202f?000/);
	await expect(page.locator('[data-case="2"]')).toContainText('the sample');
	await sound(page);
});

test('N6: a message to each contact', async ({ page }) => {
	await alone(page, '/write/customer/~messages');
	const a = new Acts(page);
	await a.begin('each related');
	await a.pick(page.getByLabel('E-mail address it goes to'), 'e-mail');
	await a.click(page.getByRole('button', { name: /^Narrow/ }));
	await a.click(page.getByRole('button', { name: 'add a condition', exact: true }));
	await a.find('season');
	const apart = a.count;
	await a.fill(source(page, 'Subject'), 'The season begins');
	await a.fill(source(page, 'Text of the message'), 'Dear {Given name}');
	finished('N6', a, a.count - apart);
	await sample(page, 'season_notice', 'yes');
	await expect(page.getByTestId('sends').first()).toContainText('The season begins');
	await sound(page);
});

test('N7: required and filled, while a box is ticked', async ({ page }) => {
	await alone(page, '/write/deal/electrical_capacity');
	const a = new Acts(page);
	await a.begin('required');
	await a.find('heat pump');
	finished('N7 required', a);
	await sample(page, 'heat_pump', 'yes');
	await expect(
		page.locator('tr').filter({ has: page.locator('#s-electrical_capacity') })
	).toContainText('required');
	await sound(page);
	await alone(page, '/write/deal/supply_phases');
	const b = new Acts(page);
	await b.begin('fixed');
	await b.find('heat pump');
	await b.choose(page.getByLabel('What Supply phases gets: value'), 'Three phases');
	await b.choose(page.getByLabel(/^How firmly Supply phases is set/), /^is filled with/);
	finished('N7 filled', b);
	await expect(page.getByText('when Heat pump changes and it is blank')).toBeVisible();
	await sample(page, 'heat_pump', 'yes');
	await expect(wrote(page, 'supply_phases')).toContainText('Three phases');
	await sound(page);
});

test('N8: one choice to another', async ({ page }) => {
	await alone(page, '/write/deal/freight_paid_by');
	const a = new Acts(page);
	await a.begin('option to');
	await a.find('delivery');
	const apart = a.count;
	for (const rule of ['EXW', 'FCA', 'FAS', 'FOB'])
		await a.click(page.getByRole('button', { name: new RegExp(`^${rule} gives Buyer`) }));
	finished('N8', a, a.count - apart);
	await sample(page, 'delivery_rule', 'FAS');
	await expect(wrote(page, 'freight_paid_by')).toContainText('Buyer');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('N9: options left by another choice', async ({ page }) => {
	await alone(page, '/write/lead/product_interest');
	const a = new Acts(page);
	await a.begin('options left');
	await a.find('crop');
	finished('N9', a);
	await expect(page.getByText(/Still to say: what each of them gives/)).toBeVisible();
	// the rows of the grid stand apart from the count
	for (const product of ['Screens', 'Fogging'])
		await page.getByRole('button', { name: new RegExp(`^Tomato allows ${product}`) }).click();
	await sample(page, 'crop', 'Tomato');
	await page.locator('#s-product_interest').click();
	const offered = page.getByRole('option');
	await expect(offered.filter({ hasText: 'Screens' })).toHaveCount(1);
	await expect(offered.filter({ hasText: 'Boiler house' })).toHaveCount(0);
	await page.keyboard.press('Escape');
	await sound(page);
});

test('N10: several options at once', async ({ page }) => {
	await alone(page, '/write/customer/permitted_fuels');
	const a = new Acts(page);
	await a.begin('option to');
	await a.find('country');
	finished('N10', a);
	const box = page.getByLabel('Permitted fuels for Denmark');
	await box.click();
	for (const fuel of ['Biogas', 'Heat pump'])
		await page.getByRole('option', { name: fuel, exact: true }).click();
	await page.keyboard.press('Escape');
	await sample(page, 'country', 'Denmark');
	await expect(wrote(page, 'permitted_fuels')).toContainText('Biogas, Heat pump');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('N11: a copy of another field', async ({ page }) => {
	await alone(page, '/write/contact/delivery_yard');
	const a = new Acts(page);
	await a.begin('copy');
	await a.find('site code');
	finished('N11', a);
	await type(page, 'site_code', 'NL-9');
	await expect(wrote(page, 'delivery_yard')).toContainText('NL-9');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('N12: parts of a text', async ({ page }) => {
	await alone(page, '/write/contact/given_name');
	const a = new Acts(page);
	await a.begin('parts of');
	await a.find('full name');
	finished('N12', a);
	await type(page, 'full_name_as_received', 'Marit ter Veenstra');
	await expect(wrote(page, 'given_name')).toContainText('Marit');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('N13: the value from before, when a choice moves to an option', async ({ page }) => {
	await alone(page, '/write/deal/stage_before_loss');
	const a = new Acts(page);
	await a.begin('value from before');
	await a.find('stage');
	await a.pick(page.getByLabel(/how Stage is asked about/), 'changed to');
	await a.choose(page.getByLabel(/what Stage is compared with/), 'Lost');
	finished('N13', a);
	await sample(page, 'stage', 'Lost');
	await expect(wrote(page, 'stage_before_loss')).toContainText('Survey');
	await expect(page.getByTestId('verdict').first()).toContainText('Survey → Lost');
	await sound(page);
});

test('N14: the moment of a change', async ({ page }) => {
	await alone(page, '/write/lead/status_changed_at');
	const a = new Acts(page);
	await a.begin('moment of');
	await a.click(page.getByLabel('Status', { exact: true }));
	await a.press('Escape');
	finished('N14', a);
	await sample(page, 'status', 'Qualified');
	await expect(wrote(page, 'status_changed_at')).toContainText('because Status changed');
	await sound(page);
});

test('N15: a start value', async ({ page }) => {
	await alone(page, '/write/lead/owner');
	const a = new Acts(page);
	await a.begin('start value');
	await a.choose(page.getByLabel(/^What Owner gets:/).first(), 'the person making the change');
	finished('N15', a);
	await expect(page.getByText('starts as').first()).toBeVisible();
	await page.getByRole('button', { name: 'another sample' }).click();
	await page.getByRole('button', { name: 'A new lead' }).click();
	await expect(wrote(page, 'owner')).toContainText('Jonas Weverling');
	await sound(page);
});

test('N16: several outputs of one row', async ({ page }) => {
	await alone(page, '/write/customer/trading_region');
	const a = new Acts(page);
	await a.begin('row of a table');
	await a.click(page.getByRole('option', { name: 'Country desk' }));
	finished('N16', a);
	await sample(page, 'country', 'Denmark');
	await expect(wrote(page, 'trading_region')).toContainText('Baltic');
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('N17: a text put together', async ({ page }) => {
	await alone(page, '/write/deal/name');
	const a = new Acts(page);
	await a.begin('text put together');
	await a.fill(source(page, 'Text for Name'), '{Customer.Trading name} {Kind} {Close date.year}');
	finished('N17', a);
	await sample(page, 'kind', 'Service');
	await expect(wrote(page, 'name')).toContainText('Service');
	await sound(page);
});

test('N18: a tick box to one of two options', async ({ page }) => {
	await alone(page, '/write/customer/service_plan');
	const a = new Acts(page);
	await a.begin('option to');
	await a.find('key grower');
	const apart = a.count;
	await a.click(page.getByRole('button', { name: /^yes gives/ }).first());
	await a.click(page.getByRole('button', { name: /^no gives/ }).nth(1));
	finished('N18', a, a.count - apart);
	await sample(page, 'key_grower', 'no');
	await expect(wrote(page, 'service_plan')).toBeVisible();
	await expect(page.getByText('people may overrule').first()).toBeVisible();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('N19: only when it comes to hold', async ({ page }) => {
	await alone(page, '/write/deal/site_survey_needed');
	const a = new Acts(page);
	await a.begin('fixed');
	await a.find('amount');
	await a.fill(page.getByLabel(/what Amount is compared with/), '100000');
	await a.choose(page.getByLabel(/^How the condition counts/), /^when it comes to hold that/);
	await a.choose(page.getByLabel('What Site survey needed gets: value'), 'yes');
	finished('N19', a);
	await type(page, 'amount', '90000');
	await expect(wrote(page, 'site_survey_needed')).toHaveCount(0);
	await sound(page);
});

test('N20: what must hold, with a message', async ({ page }) => {
	await alone(page, '/write/deal/close_date');
	const a = new Acts(page);
	await a.begin('must hold');
	await a.find('close date');
	await a.pick(page.getByLabel(/how Close date is asked about/), 'today or later');
	await a.fill(source(page, /^Message of/), '{Close date} has passed.');
	finished('N20', a);
	await type(page, 'close_date', '2020-01-31');
	await expect(page.getByText('2020-01-31 has passed.').first()).toBeVisible();
	await expect(page.getByText('Draft saved')).toBeVisible();
});

test('N21: told by related records', async ({ page }) => {
	await alone(page, '/write/customer/order_value_to_date');
	const a = new Acts(page);
	await a.begin('related');
	await a.find('deals');
	await a.choose(page.getByLabel(/^What Order value to date gets:/).first(), /^the sum of/);
	await a.find('net amount');
	await a.click(page.getByLabel(/which of them: add a condition/));
	await a.find('stage');
	finished('N21', a);
	await page.getByLabel(/which of them 1: what Stage is compared with/).click();
	await page.getByRole('option', { name: 'Won', exact: true }).click();
	await sound(page);
	await expect(page.getByText('always equals').first()).toBeVisible();
	// a customer without deals has no sum
	await page.getByRole('button', { name: 'another sample' }).click();
	await page.getByRole('button', { name: 'A new customer' }).click();
	await expect(page.getByTestId('here').first()).toContainText('it gives nothing');
});

test('six rules by keys alone', async ({ page }) => {
	test.slow();
	const keys = async (path: string, say: (a: Acts) => Promise<void>, holds: RegExp) => {
		await alone(page, path);
		await page.locator('h1').click();
		const a = new Acts(page);
		await a.press('n');
		await say(a);
		expect(a.count).toBeLessThanOrEqual(MOST);
		await expect(page.getByRole('article').first()).toContainText(holds);
		await sound(page);
		return a.count;
	};
	const six = {
		copy: await keys(
			'/write/contact/delivery_yard',
			async (a) => {
				await a.find('copy');
				await a.find('site code');
			},
			/follows\s+the field\s+Site code/
		),
		before: await keys(
			'/write/deal/amount_before_the_change',
			async (a) => {
				await a.find('value from before');
				await a.find('amount');
			},
			/the value before the change of\s+Amount/
		),
		stamp: await keys(
			'/write/lead/status_changed_at',
			async (a) => {
				await a.find('moment of');
				await expect(page.getByLabel('all that it reads')).toBeVisible();
				await page.getByLabel('Status', { exact: true }).focus();
				await a.press('Space');
				await a.press('Escape');
			},
			/When\s+Status\s+changes/
		),
		start: await keys(
			'/write/deal/probability',
			async (a) => {
				await a.find('start value');
				await expect(page.getByLabel('What Probability gets: value')).toBeFocused();
				await a.type('20');
			},
			/starts as/
		),
		number: await keys(
			'/write/customer/open_deals',
			async (a) => {
				await a.find('related');
				await a.find('deals');
			},
			/always equals\s+the number of\s+the\s+deals/
		),
		required: await keys(
			'/write/deal/electrical_capacity',
			async (a) => {
				await a.find('required');
				await a.find('heat pump');
			},
			/is\s+required/
		)
	};
	console.log('by keys', JSON.stringify(six));
});
