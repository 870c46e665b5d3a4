/** A pilot: a release that decides some records first; watched, widened, withdrawn. */
import type { Page } from '@playwright/test';
import { barriers, choose, expect, open, signIn, test, pressOn } from './helpers';

const RULES = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];
/** The release that is tried: it gives customers no service district. */
const TRIED = 2;
const inPilot = (page: Page) =>
	page.getByText(`In the pilot: release ${TRIED} decides this customer`);

/** Writes a field of the form that is open, and saves. */
async function save(page: Page, field: string, text: string) {
	await page.getByLabel(field, { exact: true }).fill(text);
	await pressOn(page.getByRole('button', { name: 'Save', exact: true }));
}

test('started by keyboard for some customers, watched, widened, withdrawn', async ({ page }) => {
	test.slow();
	await signIn(page, 'claire');
	await open(page, `/pilot?release=${TRIED}`);
	const status = page.getByRole('main').getByRole('status');
	const start = page.getByRole('button', { name: 'Start the pilot' });
	await expect(start).toBeDisabled();
	await expect(status.last()).toContainText('Say which records');
	await page.getByRole('combobox', { name: 'Take records of a type' }).press('Enter');
	await page.getByRole('option', { name: 'Customers' }).press('Enter');
	await page.keyboard.type('Country');
	await page.keyboard.press('Enter');
	await choose(
		page.getByLabel(/Which Customers.*what Country is compared with/).first(),
		'Belgium'
	);
	await pressOn(page.getByRole('button', { name: 'Count first' }));
	await expect(status.last()).toContainText(/Of those that exist it takes \d+ customers/);
	const n = Number(/takes (\d+)/.exec(await status.last().innerText())![1]);
	expect(n).toBeGreaterThan(1);
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await page.getByLabel('Why').fill('Belgium goes first');
	await pressOn(start);
	await expect(page.getByTestId('members')).toHaveText(`${n} customers`);
	await expect(page.getByRole('region', { name: 'The pilot that is on' })).toContainText(
		'Customers where Country is Belgium'
	);
	// no other release comes in force meanwhile
	await open(page, '/release');
	await expect(page.getByText(`Release ${TRIED} decides some records first`)).toBeVisible();
	for (const b of await page.getByRole('button', { name: 'Put in force' }).all())
		await expect(b).toBeDisabled();

	// whoever works with records sees which decides, while typing too
	await signIn(page, 'jonas');
	await open(page, '/pilot');
	await page.getByRole('link', { name: 'Customers of the pilot' }).click();
	await expect(page.getByTestId('list-count')).toHaveText(`${n} customers where in the pilot`);
	await expect(page.getByText('◇ pilot')).not.toHaveCount(0);
	const one = page.getByRole('grid').getByRole('link').first();
	const title = await one.innerText();
	await one.click();
	await expect(inPilot(page)).toBeVisible();
	await expect(page.getByText(`runs release ${TRIED}`)).toBeVisible();
	// two codes of different districts: one of them is not that of the district it has
	for (const code of ['1000', '9051']) {
		await save(page, 'Postal code', code);
		await expect(page.getByText(`Saved by release ${TRIED}:`)).toBeVisible();
		await expect(page.getByLabel('Postal code', { exact: true })).toHaveValue(code);
	}
	await open(page, '/records/customer/new');
	await expect(inPilot(page)).toHaveCount(0);
	await choose(page.getByLabel(/^Country/), 'Belgium');
	await expect(inPilot(page)).toBeVisible();
	await choose(page.getByLabel(/^Country/), 'France');
	await expect(inPilot(page)).toHaveCount(0);
	await page
		.getByRole('button', { name: /^(Undo|Take back)/ })
		.first()
		.click();

	// what the two gave differently
	await signIn(page, 'claire');
	await open(page, '/pilot');
	await page.getByRole('link', { name: 'Customer: Service district' }).click();
	const table = page.getByRole('table', { name: 'Decided differently' });
	await expect(table.getByRole('row').filter({ hasText: title })).toHaveCount(1);
	await expect(page.getByText('1 other value')).not.toHaveCount(0);
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await page.emulateMedia({ colorScheme: 'dark' });
	expect(await barriers(page, 'main', RULES)).toEqual([]);
	await page.emulateMedia({ colorScheme: 'light' });

	// widened: what Jonas brings in through the short form belongs to it too
	await pressOn(page.getByRole('button', { name: 'Widen it …' }));
	await pressOn(
		page.getByRole('checkbox', { name: /every record that somebody changes/ }),
		'Space'
	);
	await page.getByLabel(/^Whose changes bring records in/).press('Enter');
	await page.getByRole('option', { name: 'Jonas' }).click();
	await page.keyboard.press('Escape');
	await page.getByLabel(/^By which roads/).press('Enter');
	await page.getByRole('option', { name: 'short form' }).click();
	await page.keyboard.press('Escape');
	await pressOn(page.getByRole('button', { name: 'Count first' }));
	const widen = page.getByRole('button', { name: 'Widen it', exact: true });
	await expect(widen).toBeEnabled();
	await pressOn(widen);
	await expect(page.getByRole('region', { name: 'The pilot that is on' })).toContainText(
		/every record that Jonas .*changes or makes through the short form/
	);
	await signIn(page, 'jonas');
	await open(page, '/records/customer/1?form=short');
	await expect(inPilot(page)).toHaveCount(0);
	await save(page, 'Headcount', '7');
	await expect(page.getByText(`Saved by release ${TRIED}:`)).toBeVisible();
	await open(page, '/records/customer/1');
	await expect(inPilot(page)).toBeVisible();

	// withdrawn in one action
	await signIn(page, 'claire');
	await open(page, '/pilot');
	await pressOn(page.getByRole('button', { name: 'Withdraw it …' }));
	await page.getByLabel('Why').fill('Districts are missed');
	await pressOn(page.getByRole('button', { name: /decide all again$/ }));
	const ended = page.getByRole('table', { name: 'Pilots that ended' });
	await expect(ended).toContainText('withdrawn: Districts are missed');
	await expect(page.getByTestId('members')).toHaveCount(0);
	// its records are as it left them, and listed
	await ended.getByRole('link', { name: `v${TRIED}` }).click();
	await expect(page.getByText('ended it: Districts are missed')).toBeVisible();
	await signIn(page, 'jonas');
	await open(page, '/records/customer/1');
	await expect(inPilot(page)).toHaveCount(0);
	await expect(page.getByText(`v${TRIED}`).first()).toBeVisible();
});

test('whoever may not release sees it and starts nothing', async ({ page }) => {
	await signIn(page, 'jonas');
	await open(page, '/pilot');
	await expect(page.getByRole('heading', { name: 'Pilot', exact: true })).toBeVisible();
	await expect(page.getByRole('button', { name: 'Start the pilot' })).toHaveCount(0);
	const status = await page.evaluate(async () => {
		const body = { step: 'withdraw', pilot: '1', why: '' };
		return (await fetch('/pilots', { method: 'POST', body: JSON.stringify(body) })).status;
	});
	expect(status).toBe(403);
});
