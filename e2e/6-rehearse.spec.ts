import { readFile } from 'node:fs/promises';
import { barriers, choose, expect, open, signIn, test, pressOn } from './helpers';

test.beforeEach(async ({ page }) => signIn(page, 'claire'));

test('a surprise is found among the existing records, looked at, and the gate knows', async ({
	page
}) => {
	test.slow();
	await open(page, '/rehearse');
	await page.getByRole('button', { name: /^Run/ }).click();
	const surprise = page.getByRole('button', {
		name: /^▲ \d+ values that somebody entered would be overwritten in Customer: Service visits/
	});
	await expect(surprise).toBeVisible({ timeout: 25_000 });
	await expect(page.getByTestId('station-rehearse')).toContainText('would change');
	// by keys
	await surprise.focus();
	await page.keyboard.press('Enter');
	await expect(surprise).toHaveAttribute('aria-pressed', 'true');
	const grid = page.getByRole('grid', { name: 'Records behind it' });
	await expect(grid.getByText('by hand').first()).toBeVisible();
	const [rows] = /\d+/.exec((await surprise.textContent())!)!;
	const saved = page.waitForEvent('download');
	await page.getByRole('button', { name: `All ${rows} as CSV` }).click();
	const csv = await readFile(await (await saved).path(), 'utf8');
	const lines = csv.trim().split('\r\n');
	expect(lines).toHaveLength(Number(rows) + 1);
	expect(lines[0]).toBe('No.,Customer,Stored now,Release 3 gives,The draft gives,Entered');
	expect(lines[1]).toMatch(/^\d+,.*,6,6,[124],by hand$/);
	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag22aa'])).toEqual([]);

	// the address leads back to it
	await page.reload();
	await expect(surprise).toHaveAttribute('aria-pressed', 'true');
	await open(page, '/release');
	await expect(page.getByTestId('gate-surprises')).toContainText(
		/\d+ surprises? of the rehearsal nobody looked at/
	);
	await page.getByTestId('gate-surprises').getByRole('link').click();
	const unseen = page.getByRole('button', { name: /^Looked at: / });
	await expect(unseen.first()).toBeVisible();
	for (let n = await unseen.count(); n; n--) {
		await unseen.first().click();
		await expect(unseen).toHaveCount(n - 1);
	}
	await expect(page.getByText('looked at by Claire').first()).toBeVisible();
	await open(page, '/release');
	await expect(page.getByTestId('gate-surprises')).toContainText('were looked at');
	await expect(page.getByTestId('gate-rehearsal')).toContainText('Rehearsed on all records');
});

test('moves between options and numbers are pictures with the records behind each mark', async ({
	page
}) => {
	await open(page, '/rehearse');
	await page.getByRole('button', { name: /^Customer: Service visits a year/ }).click();
	const move = page.getByRole('list', { name: 'Moves' }).getByRole('button', { name: /^6 → 2/ });
	await move.click();
	await expect(page.getByText('Only 6 → 2.')).toBeVisible();
	const grid = page.getByRole('grid', { name: 'Records behind it' });
	await expect(grid.getByRole('row').nth(1)).toContainText('6');
	await page.getByRole('button', { name: 'All of them', exact: true }).click();
	await page.getByRole('button', { name: /^Size class follows headcount/ }).click();
	await expect(grid.getByRole('row').nth(1)).toContainText('MediumMediumSmall');
	// a record is one step away from its sheet, as the sample
	await grid.getByRole('link').first().click();
	await expect(page).toHaveURL(/\/write\/customer\/size_class\?sample=\d+/);
});

test('any version against any other, and only the records that a condition selects', async ({
	page
}) => {
	test.slow();
	await open(page, '/release/2');
	await page.getByRole('link', { name: 'Rehearse its return' }).click();
	await expect(page.getByLabel('What is rehearsed')).toContainText('Release 2');
	await choose(page.getByLabel('On which records'), 'Customers where …');
	// the condition is a list that begins with its first word open
	await page.keyboard.type('Headcount');
	await page.keyboard.press('Enter');
	await page.keyboard.press('Tab');
	await page.keyboard.press('Tab');
	await page.keyboard.type('200');
	await page.keyboard.press('Tab');
	await page.getByRole('button', { name: /^Run/ }).click();
	await expect(
		page.getByText(/of customers that the condition selects would come out/)
	).toBeVisible({ timeout: 25_000 });
	await expect(page.getByText(/release 2 against release 3\./)).toBeVisible();
	// the one of the draft is still there, and is what the gate goes by
	await page
		.getByRole('link', { name: /^The draft against release 3/ })
		.first()
		.click();
	await expect(page.getByText('the draft against release 3.')).toBeVisible();
	await open(page, '/release');
	await expect(page.getByTestId('gate-rehearsal')).toContainText('Rehearsed on all records');
	// no such release, and no such condition, is said
	const said = await page.evaluate(async () => {
		const post = async (body: unknown) =>
			(
				await fetch('/rehearsal', {
					method: 'POST',
					headers: { 'content-type': 'application/json' },
					body: JSON.stringify(body)
				})
			).json();
		const condition = { text: 'Headcount >' };
		return [
			await post({ after: 99 }),
			await post({ selection: { type: 'customer', condition } }),
			await post({ selection: { type: 'none', condition } })
		].map((r) => (r as { message: string }).message);
	});
	expect(said[0]).toBe('There is no release 99.');
	expect(said[1]).toContain('Which records: ');
	expect(said[2]).toBe('There is no record type “none”.');
});

test('what has to be so is set by the workspace, and nobody gets past it', async ({ page }) => {
	test.slow();
	await signIn(page, 'ida');
	await open(page, '/settings');
	const set = async (level: string) => {
		await choose(page.getByLabel('All trials hold'), level);
		await page
			.getByRole('region', { name: 'What has to be so before a release' })
			.getByRole('button', { name: 'Store' })
			.click();
		await expect(page.getByText('Stored. It counts from the next release on.')).toBeVisible();
	};
	await set('has to be so');
	await open(page, '/release');
	await expect(page.getByTestId('gate-trials')).toContainText('2 trials do not hold.');
	await expect(page.getByTestId('gate-trials')).toContainText('Has to be so.');
	await expect(page.getByLabel(/all the same/)).toHaveCount(0);
	await expect(page.getByRole('button', { name: /Release the draft/ })).toBeDisabled();
	await open(page, '/settings');
	await set('or a reason why not');
	await open(page, '/release');
	await expect(page.getByLabel(/2 trials do not hold.*all the same/)).toBeVisible();
});

test('what was done is replayed by the draft: what would have come out otherwise, in whose change', async ({
	page
}) => {
	test.slow();
	await open(page, '/rehearse');
	await choose(page.getByLabel('On which records'), 'what was changed in 90 days');
	// a day that is none is answered with what would be right, and nothing is lost
	const first = page.getByRole('textbox', { name: 'First day' });
	await first.fill('2026-02-30');
	await page.getByRole('button', { name: 'Run', exact: true }).click();
	await expect(
		page.getByText('● The first day is “2026-02-30”, which is no day: write it as 2026-11-24.')
	).toBeVisible();
	await first.fill('2026-10-01');
	await first.press('Tab');
	await page.getByRole('button', { name: 'Run', exact: true }).click();
	await expect(
		page.getByText(
			/[1-9]\d* of \d+ changes from 1 Oct 2026 to .* would have come out differently: the draft against release \d+/
		)
	).toBeVisible({ timeout: 25_000 });
	await expect(page.getByRole('button', { name: 'Run again' })).toBeEnabled({ timeout: 25_000 });
	// though no rule of the discount limit was edited
	const surprise = page.getByRole('button', {
		name: /^▲ Deal: Discount limit % differs in \d+ changes?, though none of its rules does/
	});
	await surprise.focus();
	await page.keyboard.press('Enter');
	await expect(page.getByText('It follows from Customer: Size class.')).toBeVisible();
	const grid = page.getByRole('grid', { name: 'Changes behind it' });
	await expect(grid.getByRole('row').nth(1)).toContainText(/%.*(Jonas Weverling|Ida Faro)/);
	const saved = page.waitForEvent('download');
	await page.getByRole('button', { name: /^All \d+ as CSV$/ }).click();
	const csv = await readFile(await (await saved).path(), 'utf8');
	expect(csv.split('\r\n')[0]).toMatch(
		/^No\.,Deal,Release \d+ gives,The draft gives,Recorded,(By,)?(Because of,)?When,Who,Road$/
	);
	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag22aa'])).toEqual([]);
	await page.getByRole('button', { name: /^Looked at: Deal: Discount limit/ }).click();
	await expect(page.getByText('looked at by Claire').first()).toBeVisible();
	// the address leads back to it, and the gate knows
	await page.reload();
	await expect(grid).toBeVisible();
	await grid.getByRole('link').first().click();
	await expect(page).toHaveURL(/\/records\/deal\/\d+/);
	await open(page, '/release');
	await expect(page.getByTestId('gate-replay')).toContainText(
		/Replayed on what was changed from 2026-10-01 to .*: [1-9]\d* of \d+ changes would have come out otherwise/
	);
});

test('a remark at a rule is read by others, stands before the release, and is settled', async ({
	page,
	browser
}) => {
	test.slow();
	await open(page, '/write/customer/size_class');
	const card = page.getByRole('article', { name: 'Size class follows headcount' });
	const begin = card.getByRole('button', { name: /^Remark on / });
	await begin.focus();
	await page.keyboard.press('Enter');
	await page.keyboard.type('Who asked for 60?');
	await page.keyboard.press('Control+Enter');
	await expect(card.getByText('Who asked for 60?')).toBeVisible();
	await expect(begin).toBeFocused();
	// nothing is lost of what is not said yet
	await pressOn(begin);
	await page.keyboard.press('Control+Enter');
	await expect(card.getByText('● Write what is to be said of it.')).toBeVisible();
	await page.keyboard.press('Escape');
	await expect(begin).toBeFocused();

	// an open page of somebody else hears of it
	const other = await (await browser.newContext()).newPage();
	await signIn(other, 'jonas');
	await open(other, '/release');
	const listed = other.getByTestId('remarks');
	await expect(listed).toContainText('Who asked for 60?');
	await expect(other.getByTestId('gate-remarks')).toContainText('1 remark is open.');
	await card.getByRole('button', { name: /^Settle: Who asked/ }).click();
	await expect(listed).toHaveCount(0);
	await expect(other.getByTestId('gate-remarks')).toContainText('No remark is open.');
	await other.context().close();
	await expect(card.getByText('1 settled')).toBeVisible();
});
