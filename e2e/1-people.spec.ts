/** Who may sign in, and what the pages do while the server cannot work. */
import { barriers, expect, open, openSheet, signIn, test } from './helpers';

const RULES = ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'];

test('a person is added, takes a password of their own, is given another role and retired', async ({
	page,
	browser,
	baseURL
}) => {
	await signIn(page, 'ida');
	await open(page, '/people');
	await page.getByRole('button', { name: 'New person' }).click();
	await expect(page.getByLabel('Name', { exact: true })).toBeFocused();
	await page.keyboard.type('Wim Haverkamp');
	await page.getByLabel('E-mail').fill('wim');
	await page.getByRole('button', { name: 'Add the person' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'no e-mail address' })).toBeVisible();
	await page.getByLabel('E-mail').fill('ida@quillmere.example');
	await page.getByRole('button', { name: 'Add the person' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'already somebody' })).toBeVisible();
	await expect(page.getByLabel('E-mail')).toBeFocused();
	await page.getByLabel('E-mail').fill('wim@quillmere.example');
	await page.getByLabel(/^Role/).click();
	await page.getByRole('option', { name: /^reader/ }).click();
	await page.getByRole('button', { name: 'Add the person' }).click();
	const once = await page.getByTestId('password-once').innerText();
	expect(await barriers(page, 'main', RULES)).toEqual([]);

	// somebody else knows that password, so nothing is open before it is another
	const context = await browser.newContext({ baseURL });
	const theirs = await context.newPage();
	await theirs.goto('/journal');
	await theirs.fill('#email', 'wim@quillmere.example');
	await theirs.fill('#password', once);
	await theirs.keyboard.press('Enter');
	await expect(theirs).toHaveURL(/\/password$/);
	expect((await context.request.get('/look/names', { maxRedirects: 0 })).status()).toBe(303);
	await theirs.goto('/people');
	await expect(theirs).toHaveURL(/\/password$/);
	await theirs.getByLabel('The password you were told').fill(once);
	await theirs.getByLabel(/^New password/).fill('heron over the dyke');
	await theirs.getByLabel('Once more').fill('heron over a dyke');
	await theirs.getByRole('button', { name: 'Change it and go on' }).click();
	await expect(theirs.getByRole('alert')).toContainText('are not the same');
	await theirs.getByLabel('Once more').fill('heron over the dyke');
	await theirs.getByRole('button', { name: 'Change it and go on' }).click();
	await theirs.waitForSelector('[data-ready=true]');
	// a reader sees people and changes nobody
	await open(theirs, '/people');
	await expect(theirs.getByRole('row', { name: /Wim Haverkamp/ })).toContainText('reader');
	await expect(theirs.getByRole('button', { name: /^Change / })).toHaveCount(0);
	await open(theirs, '/account');
	await expect(theirs.getByRole('row', { name: /this one/ })).toBeVisible();

	await open(page, '/people');
	await page.getByRole('button', { name: 'Change Wim Haverkamp' }).click();
	await page.getByLabel(/^Role/).click();
	await page.getByRole('option', { name: /^author/ }).click();
	await page.getByRole('button', { name: 'Store' }).click();
	await expect(page.getByRole('row', { name: /Wim Haverkamp/ }).first()).toContainText('author');
	// the last administrator stays one
	await page.getByRole('button', { name: 'Change Ida Faro' }).click();
	await page.getByRole('button', { name: 'Retire' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'last administrator' })).toBeVisible();
	await page.getByRole('button', { name: 'Change Wim Haverkamp' }).click();
	await page.getByRole('button', { name: 'Retire' }).click();
	await expect(page.getByRole('row', { name: /Wim Haverkamp/ }).first()).toContainText('retired');
	await theirs.goto('/journal');
	await expect(theirs).toHaveURL(/\/sign-in/);
	await context.close();
});

test('of two who have a person or a setting open, the second hears what the first stored, and may store it all the same', async ({
	page,
	browser,
	baseURL
}) => {
	const other = await (await browser.newContext({ baseURL })).newPage();
	for (const p of [page, other]) {
		await signIn(p, 'ida');
		await open(p, '/people');
		await p.getByRole('button', { name: 'Change Claire' }).click();
	}
	const give = async (p: typeof page, role: RegExp) => {
		await p.getByLabel(/^Role/).click();
		await p.getByRole('option', { name: role }).click();
	};
	const store = (p: typeof page) => p.getByRole('button', { name: 'Store' }).first().click();
	const row = page.getByRole('row', { name: /^Claire/ }).first();
	await give(page, /^reader/);
	await store(page);
	await expect(row).toContainText('reader');
	// who had her open as a releaser does not make her one again unawares
	const name = other.getByLabel('Name', { exact: true });
	const called = await name.inputValue();
	await name.fill(`${called} B.`);
	await store(other);
	await expect(other.getByRole('alert')).toContainText('role reader');
	await expect(other.getByRole('alert')).toContainText('Nothing of yours is stored');
	await expect(other.locator('[aria-invalid=true]')).toHaveCount(0);
	expect(await barriers(other, 'main', RULES)).toEqual([]);
	await expect(name).toHaveValue(`${called} B.`);
	await name.fill(called);
	await store(other);
	await expect(other.getByRole('row', { name: /^Claire/ }).first()).toContainText('releaser');

	for (const p of [page, other]) await open(p, '/settings');
	const days = (p: typeof page) => p.getByLabel('Jobs that ended');
	const keep = (p: typeof page) =>
		p.getByRole('region', { name: 'Retention' }).getByRole('button', { name: 'Store' }).click();
	await days(page).fill('400');
	await keep(page);
	await expect(page.getByText('Stored. What is older goes')).toBeVisible();
	await other.getByLabel('Imported files').fill('500');
	await keep(other);
	await expect(other.getByRole('alert')).toContainText('Jobs that ended 400 days');
	await other.getByLabel('Imported files').fill('');
	await keep(other);
	await expect(other.getByText('Stored. What is older goes')).toBeVisible();
	await expect(other.getByRole('alert')).toHaveCount(0);
	await page.reload();
	await expect(days(page)).toHaveValue('');
	await other.context().close();
});

for (const how of ['is away', 'cannot be asked, since the server is gone'])
	test(`while the database ${how} a page says so in its place, and comes back by itself`, async ({
		page
	}) => {
		await signIn(page);
		await openSheet(page);
		// as the server answers then
		let away = true;
		const trouble = { message: 'The database cannot be reached just now.', again: 1 };
		const answer = { status: 503, contentType: 'application/json', body: JSON.stringify(trouble) };
		const gone = how !== 'is away';
		for (const path of [/__data\.json/, '/ready', '/draft'])
			await page.route(path, (r) =>
				!away ? r.fallback() : gone ? r.abort('connectionrefused') : r.fulfill(answer)
			);
		const why = page.getByLabel('Why the rule exists').first();
		const before = await why.inputValue();
		await why.fill('Written while it was away');
		await expect(page.getByText(/sent again/)).toBeVisible();
		await page.getByRole('link', { name: 'Journal' }).click();
		await expect(page.getByRole('heading', { name: /cannot be reached just now/ })).toBeVisible();
		// the frame around it stands
		await expect(page.getByRole('link', { name: 'Records' })).toBeVisible();
		away = false;
		await expect(page.getByRole('heading', { name: 'Journal' })).toBeVisible({ timeout: 15_000 });
		await page.goBack();
		await expect(why).toHaveValue('Written while it was away');
		await expect(page.getByText('Draft saved')).toBeVisible();
		await why.fill(before);
		await expect(page.getByText('Draft saved')).toBeVisible();
	});

test('what came of a form that was sent before the page had come to life is told', async ({
	page
}) => {
	await signIn(page, 'ida');
	let late = true;
	await page.route(/\.js$/, (route) => (late ? undefined : route.continue()));
	const send = async (days: string) => {
		late = true;
		await page.goto('/settings', { waitUntil: 'commit' });
		await page.getByLabel('Jobs that ended').fill(days);
		late = false;
		await page
			.locator('form[action="?/keep"]')
			.evaluate((f: HTMLFormElement) => HTMLFormElement.prototype.submit.call(f));
	};
	const notices = page.getByRole('region', { name: /^Notifications/ });
	await send('-5');
	await expect(notices).toContainText('Write a number of days');
	await send('');
	await expect(notices).toContainText('Stored. What is older goes');
});
