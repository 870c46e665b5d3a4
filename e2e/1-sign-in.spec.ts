import { expect, signIn, test } from './helpers';

test('nothing is shown to who has not signed in, and one comes back to where one wanted to go', async ({
	page
}) => {
	await page.goto('/records/deal');
	await expect(page).toHaveURL(/sign-in\?to=%2Frecords%2Fdeal/);
	await page.fill('#email', 'ida@quillmere.example');
	await page.fill('#password', 'wrong');
	await page.click('text=Sign in');
	await expect(page.getByRole('alert')).toContainText('do not fit together');
	await page.fill('#password', 'glasshouse-1');
	await page.click('text=Sign in');
	await expect(page).toHaveURL(/\/records\/deal$/);
	const cookie = (await page.context().cookies()).find((c) => c.name === 'session')!;
	expect(cookie).toMatchObject({ httpOnly: true, sameSite: 'Lax' });
	await page.click('text=Sign out');
	await expect(page).toHaveURL(/sign-in/);
});

test('who signs in before the page has come to life, or without scripts, is told what is wrong', async ({
	browser,
	baseURL
}) => {
	for (const scripts of [true, false]) {
		const context = await browser.newContext({ baseURL, javaScriptEnabled: scripts });
		const page = await context.newPage();
		// what would bring it to life comes only after it was sent
		let late = true;
		await page.route(/\.js$/, (route) => (late ? undefined : route.continue()));
		await page.goto('/sign-in?to=%2Frecords%2Fdeal', { waitUntil: 'commit' });
		await page.fill('#email', 'ida@quillmere.example');
		await page.fill('#password', 'wrong');
		late = false;
		await page.locator('form').evaluate((f: HTMLFormElement) => f.submit());
		await expect(page.getByRole('alert')).toContainText('do not fit together');
		await expect(page.locator('#email')).toHaveValue('ida@quillmere.example');
		if (scripts) await expect(page.locator('#password')).toHaveAttribute('aria-invalid', 'true');
		await page.fill('#password', 'glasshouse-1');
		await page.click('text=Sign in');
		await expect(page).toHaveURL(/\/records\/deal$/);
		await context.close();
	}
});

test('a reader looks and cannot write, in the page or past it', async ({ page }) => {
	await signIn(page, 'mieke');
	await page.goto('/write/customer/size_class');
	await expect(page.getByText('You look; authors write')).toBeVisible();
	await expect(page.getByLabel('Name of the rule').first()).toBeDisabled();
	const put = await page.evaluate(
		async () => (await fetch('/draft', { method: 'PATCH', body: '{}' })).status
	);
	const save = await page.evaluate(
		async () =>
			(
				await fetch('/save/customer?id=1', {
					method: 'POST',
					body: JSON.stringify({ sent: [['phone', '1']] })
				})
			).status
	);
	expect([put, save]).toEqual([403, 403]);
});

test('a request from another site is refused, and the policy allows no evaluated code', async ({
	page,
	request,
	baseURL
}) => {
	await signIn(page);
	const cookie = (await page.context().cookies()).map((c) => `${c.name}=${c.value}`).join('; ');
	const r = await request.post(`${baseURL}/save/customer?id=1`, {
		headers: { cookie, origin: 'http://elsewhere.example' },
		data: { sent: [] }
	});
	expect(r.status()).toBe(403);
	const page2 = await request.get(`${baseURL}/sign-in`);
	const csp = page2.headers()['content-security-policy'];
	expect(csp).toContain("script-src 'self' 'nonce-");
	expect(csp).not.toContain('unsafe-eval');
	const host = await request.get(`${baseURL}/sign-in`, { headers: { host: 'evil.example' } });
	expect(host.status()).toBe(421);
});
