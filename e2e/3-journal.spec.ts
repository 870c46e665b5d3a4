/** The journal line by line: by rule, field, person, road and day, with pictures, and the way back. */
import { readFile } from 'node:fs/promises';
import { barriers, choose, expect, open, signIn, test } from './helpers';

test.beforeEach(async ({ page }) => signIn(page, 'mieke'));

test('who changed what by which road, drawn by the day, each line to its record and its rule', async ({
	page
}) => {
	await open(page, '/journal');
	await page.getByRole('link', { name: 'Line by line' }).press('Enter');
	await expect(page.getByRole('heading', { name: 'Line by line' })).toBeVisible();
	await choose(page.getByLabel(/^At which field/), 'Deal › Stage');
	await choose(page.getByLabel(/^By whom/), 'Jonas Weverling');
	await expect(page).toHaveURL(/field=deal\.stage&by=\d+/);
	const grid = page.getByRole('grid', { name: 'What it did, record by record' });
	const rows = grid.getByRole('row');
	await expect(rows.nth(1)).toContainText('entered');
	await expect(rows.nth(1)).toContainText('Jonas Weverling');
	await expect(page.getByRole('img', { name: /^people entered \d+/ })).toBeVisible();

	await choose(page.getByLabel(/^At which field/), 'any field');
	await choose(page.getByLabel(/^By whom/), 'anybody');
	await choose(page.getByLabel(/^Of which rule/), 'Probability by stage');
	await page.getByRole('link', { name: /^rules wrote or sent \d+/ }).click();
	await expect(page).toHaveURL(/\/journal\/probability\?what=wrote/);
	await expect(rows.nth(1)).toContainText('Stage is');
	// the rule as it was then
	await grid.getByRole('link', { name: 'v3' }).first().click();
	await expect(page).toHaveURL(/\/paper\/3#rule-probability/);
	await expect(page.locator('#rule-probability')).toContainText('Probability');
	await page.goBack();
	// all of it as a file, by keyboard
	const file = page.waitForEvent('download');
	await page.getByRole('link', { name: 'all of these as CSV' }).press('Enter');
	const read = await readFile(await (await file).path(), 'utf8');
	const [head, ...lines] = read.trim().split('\r\n');
	expect(head).toMatch(/^When \(UTC\),Change,Who,Road,Release,Record type,No\.,Record,Field,What,/);
	expect(lines.length).toBeGreaterThan(5);
	for (const l of lines) expect(l).toMatch(/Deal.*,Probability,wrote,.*Probability by stage/);
	// one change alone, and out again; the address holds it
	await grid.getByRole('link', { name: /2026/ }).first().click();
	await expect(page.getByText('in one change')).toBeVisible();
	await page.reload();
	await expect(rows).toHaveCount(2);
	await page.getByRole('link', { name: 'everything it did' }).click();
	await expect(page).not.toHaveURL(/change=/);

	await choose(page.getByLabel(/^When/), 'from one day to another');
	await page.getByRole('textbox', { name: 'First day' }).fill('2020-01-01');
	await page.keyboard.press('Tab');
	await page.getByRole('textbox', { name: 'Last day' }).fill('2020-01-02');
	await page.keyboard.press('Tab');
	await expect(page).toHaveURL(/from=2020-01-01&to=2020-01-02/);
	await expect(page.getByText('Nothing of this happened.')).toBeVisible();
	await open(page, '/journal/~all?road=mail');
	await expect(page.getByText('must be one of: full, short, import, api, bulk')).toBeVisible();
});

test('the journal is accessible, light and dark', async ({ page }) => {
	for (const colorScheme of ['light', 'dark'] as const) {
		await page.emulateMedia({ colorScheme });
		await open(page, '/journal/~all');
		expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag22aa'])).toEqual([]);
	}
});
