import { barriers, choose, expect, open, signIn, test } from './helpers';

/** Changes the site code of a contact in its form. */
async function siteCode(page: Parameters<typeof open>[0], contact: string, code: string) {
	await open(page, `/records/contact/${contact}`);
	await page.locator('#f-site_code').fill(code);
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText(/Saved by release/)).toBeVisible();
}

test('a webhook made by keyboard: what happens while its receiver is away comes in order when it is back', async ({
	page
}) => {
	test.slow();
	await signIn(page, 'ida');
	await open(page, '/webhooks');
	await expect(page.getByRole('link', { name: 'Web shop' })).toBeVisible();
	await page.getByLabel('Name').focus();
	await page.keyboard.type('Yard board');
	await page.keyboard.press('Tab');
	await page.keyboard.press('Tab');
	await page.keyboard.press('Tab');
	await expect(page.getByLabel('Contacts')).toBeFocused();
	await page.keyboard.press('Space');
	await page.keyboard.press('Enter');
	const secret = page.locator('code', { hasText: /^whsec_/ });
	await expect(secret).toBeVisible();
	const text = await secret.innerText();
	// the name is taken now, and what was typed stays
	await page.getByLabel('Name').fill('yard board');
	await page.getByRole('button', { name: 'Make it' }).click();
	await expect(page.getByRole('alert')).toContainText('There is a webhook “Yard board” already.');
	await page.getByLabel('another address').check();
	await page.getByRole('textbox', { name: 'Address' }).fill('ftp://shop.example');
	await page.getByRole('button', { name: 'Make it' }).click();
	await expect(page.getByRole('alert')).toContainText('begins with https://');
	await page.getByLabel('Name').fill('Inside');
	await page.getByRole('textbox', { name: 'Address' }).fill('http://169.254.169.254/');
	await page.getByRole('button', { name: 'Make it' }).click();
	await expect(page.getByRole('alert')).toContainText('inside of this house');
	// nobody sees the secret again
	await page.reload();
	expect(await page.content()).not.toContain(text);

	await page.getByRole('link', { name: 'Yard board' }).click();
	await page.waitForURL(/\/webhooks\/\d+$/);
	const address = page.url();
	await choose(page.getByLabel('How the receiver answers'), 'is away answers 503');
	await page.getByRole('button', { name: 'Have it so' }).click();
	await expect(page.getByText('The receiver is away: it answers 503')).toBeVisible();
	await siteCode(page, '7', 'NL1-Yard 4');
	await siteCode(page, '7', 'NL2-Yard 5');
	await open(page, new URL(address).pathname);
	const rows = page.getByRole('row').filter({ hasText: 'changed, version' });
	await expect(rows).toHaveCount(2);
	await expect(rows.nth(0)).toContainText('behind an earlier change of the record');
	await expect(rows.nth(1)).toContainText('Answered 503: The receiver is away.');
	await expect(rows.nth(1)).toContainText(/\d\s+attempts?; again at/);
	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])).toEqual([]);

	await choose(page.getByLabel('How the receiver answers'), 'takes what it gets answers 200');
	await page.getByRole('button', { name: 'Have it so' }).click();
	await rows.nth(1).getByRole('button', { name: /again/ }).click();
	await expect(rows.nth(0)).toContainText('✓ taken', { timeout: 20_000 });
	await expect(rows.nth(1)).toContainText('✓ taken');
	const receiver = page.getByText('each with a signature that fits');
	await expect(receiver).toContainText('got 2,');
	await expect(receiver).toContainText('none came twice; all in order');
	await rows.nth(0).getByText('As sent').click();
	const sent = JSON.parse(await rows.nth(0).locator('pre').innerText());
	expect(sent).toMatchObject({
		specversion: '1.0',
		type: 'rigid-rule.record.changed',
		subject: 'contact/7',
		data: { by: 'Ida Faro', values: { site_code: 'NL2-Yard 5', delivery_yard: 'Yard 5' } }
	});
	// sent again on purpose, the receiver drops it
	await rows.nth(0).getByRole('button', { name: /again/ }).click();
	await expect(rows.nth(0)).toContainText('it had come before and was dropped', {
		timeout: 20_000
	});
	await page.getByText('Delete it').click();
	await page.getByRole('button', { name: 'Delete “Yard board”' }).click();
	await expect(page.getByRole('heading', { name: 'Webhooks', exact: true })).toBeVisible();
	await expect(page.getByRole('link', { name: 'Yard board' })).toHaveCount(0);
});

test('the lead source posts through the API, and one sees what rules make of it', async ({
	page
}) => {
	test.slow();
	await signIn(page, 'ida');
	await open(page, '/lead-source');
	await page.getByLabel('minutes').fill('0');
	await page.getByRole('button', { name: 'Start' }).click();
	await expect(page.getByRole('alert')).toContainText('from 1 to 60');
	await page.getByLabel('minutes').fill('2');
	await choose(page.getByLabel('Pace'), 'one a second');
	await page.getByRole('button', { name: 'Start' }).click();
	await expect(page.getByText(/At work until .*: one a second/)).toBeVisible();
	const made = page.getByRole('row').filter({ hasText: '✓ 201' });
	await expect(made.first()).toContainText('Status changed at', { timeout: 20_000 });
	// the seventh comes twice under the same key
	await expect(page.getByText('201, as before: not twice').first()).toBeVisible({
		timeout: 25_000
	});
	// another person sees it without the means to stop it
	await page.getByRole('button', { name: 'Stop' }).click();
	await expect(page.getByText('It posts no more.')).toBeVisible();
	await expect(page.getByRole('button', { name: 'Start' })).toBeVisible();
	await made.first().getByRole('link').click();
	await expect(page).toHaveURL(/\/records\/lead\/\d+/);
	await expect(page.getByRole('cell', { name: /Enquiry form/ })).toBeVisible();
	await signIn(page, 'mieke');
	await open(page, '/lead-source');
	await expect(page.getByText('Operators and administrators start it.')).toBeVisible();
	const refused = await page.request.post('/lead-source?/start', {
		headers: { origin: new URL(page.url()).origin, accept: 'application/json' },
		form: { of: '1', type: 'lead', every: '1000', minutes: '5' }
	});
	expect(refused.status()).toBe(403);
});

test('messages wait while the mail system is away, and leave when it is back', async ({ page }) => {
	test.slow();
	await signIn(page, 'ida');
	await open(page, '/outbox');
	await page.getByRole('button', { name: 'Have it away for a while' }).click();
	await expect(page.getByText('▲ It is away: messages wait')).toBeVisible();
	const sent = await page.request.post('/save/customer', {
		headers: { origin: new URL(page.url()).origin },
		data: { sent: [['trading_name', 'Copperhouse Away']], release: 3 }
	});
	const customer = ((await sent.json()) as { id: string }).id;
	await page.request.post('/save/contact', {
		headers: { origin: new URL(page.url()).origin },
		data: {
			sent: [
				['full_name_as_received', 'Greta Zielonko'],
				['e_mail', 'greta@away.example'],
				['customer', customer]
			],
			release: 3
		}
	});
	await open(page, `/records/customer/${customer}`);
	await choose(page.locator('#f-season_notice'), 'yes');
	await page.getByRole('button', { name: 'Save' }).click();
	await expect(page.getByText(/Saved by release/)).toBeVisible();
	await open(page, '/outbox');
	const row = page.getByRole('row').filter({ hasText: 'greta@away.example' });
	await expect(row).toContainText('The mail system is away.', { timeout: 15_000 });
	await page.getByRole('button', { name: 'Have it back' }).click();
	await row.getByRole('button', { name: /again/ }).click();
	await expect(row).toContainText(/as number \d+ of the mailbox/, { timeout: 15_000 });
	await row.getByRole('button', { name: /again/ }).click();
	await expect(row).toContainText('which had it already: not sent twice', { timeout: 15_000 });
});

test('a line of time shows what a record held and who set it, by keyboard as well', async ({
	page
}) => {
	await signIn(page);
	await siteCode(page, '21', 'NL5-Yard 7');
	await siteCode(page, '21', 'NL5-Yard 8');
	const line = page.getByRole('group', { name: /^Line of time: \d+ changes/ });
	await expect(line).toContainText('Yard 8');
	await expect(line).toContainText('Site code');
	const marks = line.getByRole('button');
	await marks.last().focus();
	await page.keyboard.press('ArrowLeft');
	await expect(marks.nth((await marks.count()) - 2)).toBeFocused();
	const told = page.getByRole('status').filter({ hasText: '1 entered, 1 by rules' });
	await expect(told).toContainText('Jonas Weverling by the full form');
	await page.keyboard.press('End');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('cell', { name: 'NL5-Yard 8' }).first()).toBeInViewport();
	expect(await barriers(page, 'main', ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])).toEqual([]);
});

test('records are ticked by a file of keys, and changed together', async ({ page }) => {
	await signIn(page);
	await open(page, '/records/customer');
	await page.getByRole('button', { name: 'Tick by keys' }).click();
	await choose(page.getByLabel('By what the file names records'), 'No. its number here');
	await page.getByLabel('Keys, one a line').fill('No.\n23\n24\nno such\n23');
	await page.getByRole('button', { name: 'Tick them' }).click();
	await expect(
		page.getByText('2 customers ticked, of 4 lines; 1 named one once more.')
	).toBeVisible();
	await expect(page.getByText('line 4 “no such” names no customer')).toBeVisible();
	await page.getByRole('button', { name: 'Change the 2 ticked' }).click();
	await expect(page.getByRole('group', { name: 'Change many customers' })).toContainText(
		'the 2 ticked'
	);
});
