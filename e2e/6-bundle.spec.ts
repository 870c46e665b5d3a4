/** Everything that decides values, taken out of the demo as one file and into a workspace that has nothing. */
import { readFileSync } from 'node:fs';
import type { Page } from '@playwright/test';
import { barriers, choose, expect, open, signIn, test } from './helpers';

/** Takes a bundle out, as a person does. */
async function takeOut(page: Page, of: string): Promise<string> {
	await open(page, '/bundle');
	await choose(page.getByLabel('Which rules'), of);
	const [file] = await Promise.all([
		page.waitForEvent('download'),
		page.getByRole('link', { name: 'Download' }).click()
	]);
	return file.path();
}
const takeIn = (page: Page, file: Parameters<ReturnType<Page['locator']>['setInputFiles']>[0]) =>
	page.locator('#bundle-file').setInputFiles(file);
const asFile = (doc: unknown, name = 'bundle.json') => ({
	name,
	mimeType: 'application/json',
	buffer: Buffer.from(typeof doc === 'string' ? doc : JSON.stringify(doc))
});

test('into an empty workspace: the model first, then rules and trials, with what is not known there told', async ({
	page,
	browser
}) => {
	test.slow();
	const empty = process.env.RIGID_EMPTY_URL;
	expect(empty, 'RIGID_EMPTY_URL leads to the workspace that npm test serves empty').toBeTruthy();
	await signIn(page, 'ida');
	const file = await takeOut(page, 'the draft');
	const doc = JSON.parse(readFileSync(file, 'utf8'));
	expect(doc).toMatchObject({ format: 'rigid-rule/bundle', version: 1, name: 'Draft' });
	expect(doc.dmn).toContain('https://www.omg.org/spec/DMN/');

	const there = await browser.newContext({ baseURL: empty });
	const p = await there.newPage();
	const said: string[] = [];
	p.on('pageerror', (e) => said.push(e.message));
	await p.addInitScript(() => localStorage.setItem('begun', 'yes'));
	await p.goto('/sign-in');
	await p.fill('#email', 'ida@quillmere.example');
	await p.fill('#password', process.env.RIGID_EMPTY_PASSWORD ?? '');
	await p.keyboard.press('Enter');
	await p.waitForURL((u) => !u.pathname.startsWith('/sign-in'));

	await open(p, '/rehearse');
	await expect(p.getByTestId('ahead')).toContainText('The draft is what is in force');

	// nothing is changed by looking
	await open(p, '/bundle');
	await takeIn(p, file);
	await expect(p.getByRole('heading', { name: 'Draft of Quillmere' })).toBeVisible();
	await expect(p.getByRole('list', { name: /^New record types/ })).toContainText('Sales engineer');
	await open(p, '/model/customer');
	await expect(p.getByText('Headcount')).toHaveCount(0);

	// the model, as a step of its own, that can be taken back
	await open(p, '/bundle');
	await takeIn(p, file);
	await p.getByRole('button', { name: /^Take \d+ into the model$/ }).click();
	await expect(p.getByText('All that it speaks of is here, and is called so.')).toBeVisible();
	await p.keyboard.press('Control+z');
	await expect(p.getByRole('list', { name: /^New record types/ })).toBeVisible();
	await p.keyboard.press('Control+Shift+z');
	await expect(p.getByText('All that it speaks of is here, and is called so.')).toBeVisible();

	// people are records of a type, and some of those are known by their keys
	await expect(
		p.getByText(/records of Sales engineer there, and of no record type here/)
	).toBeVisible();
	await expect(p.getByText(/^▲ It would be left out/)).toHaveCount(1);
	await open(p, '/people');
	await choose(p.getByLabel('The record type that people are records of'), 'Sales engineer');
	await p.getByRole('button', { name: 'Change it' }).click();
	await expect(p.getByText('What people stand for is stored.')).toBeVisible();
	await open(p, '/records/engineer/new');
	await p.locator('#f-name').fill('The fair desk');
	await p.locator('#f-e_mail').fill('Fair.Desk@quillmere.example');
	await p.getByRole('button', { name: /^Create/ }).click();
	await p.waitForURL(/\/records\/engineer\/\d+/);

	await open(p, '/bundle');
	await takeIn(p, file);
	const unknown = p.getByRole('list', { name: 'Records that are not known here' });
	await expect(unknown).toContainText('Jonas Weverling');
	await expect(unknown).not.toContainText('Fair desk');
	await expect(p.getByText(/^▲ It would be left out/)).toHaveCount(0);
	// one that has no such key here is said by hand
	await unknown.getByLabel('The record here that is Till Ackermoor').click();
	await p.getByRole('option', { name: 'The fair desk' }).click();
	const outcome = p.locator('main p[role=status]');
	await expect(outcome).toContainText(/there \d+ hold/);
	// of the trials that held there one does not here, for want of a district
	const failing = p.getByRole('list', { name: /^Trials that do not hold/ });
	await expect(failing).toContainText(
		'Without a postal code the engineer is that of the country desk'
	);
	await expect(failing).not.toContainText('goes to the fair desk');
	expect(await barriers(p, 'main', ['wcag2a', 'wcag2aa'])).toEqual([]);

	// by keyboard: one rule is left out, the rest is taken
	const box = p.getByRole('checkbox', { name: /^Size class follows headcount/ });
	await box.focus();
	await p.keyboard.press('Space');
	await expect(box).not.toBeChecked();
	await p.getByRole('button', { name: 'Take into the draft' }).focus();
	await p.keyboard.press('Enter');
	await expect(
		p.getByText(
			`✓ Taken into the draft: ${doc.rules.length - 1} rules, ${doc.trials.length} trials.`
		)
	).toBeVisible();
	await expect(p.getByText('Draft saved')).toBeVisible();

	await open(p, '/rehearse');
	await p
		.getByTestId('ahead')
		.getByRole('link', { name: 'Freight paid by delivery rule', exact: true })
		.click();
	await expect(p.locator('#rule-freight')).toBeVisible();
	// the one left out is offered again, and nothing else
	await open(p, '/bundle');
	await takeIn(p, file);
	await expect(p.getByRole('checkbox', { name: /^Size class follows headcount/ })).toBeVisible();
	await expect(p.getByRole('heading', { name: /^Rules 1 of 1/ })).toBeVisible();
	await p.getByRole('button', { name: 'Take into the draft' }).click();
	await expect(p.getByText(/^✓ Taken into the draft: 1 rule, 0 trials/)).toBeVisible();
	await p.keyboard.press('Control+z');
	await open(p, '/write/customer/size_class');
	await expect(p.locator('#rule-size_lift')).toBeVisible();
	await expect(p.locator('#rule-size_class')).toHaveCount(0);
	expect(said).toEqual([]);
	await there.close();
});

test('into the workspace that it comes from: what differs is told, and what is no bundle is refused with its place', async ({
	page
}) => {
	await signIn(page, 'jonas');
	const file = await takeOut(page, 'the draft');
	await takeIn(page, file);
	await expect(page.getByText('The draft has all of them, as they are there.')).toBeVisible();
	await expect(page.getByText(/are here already$/)).toBeVisible();
	await expect(page.getByRole('button', { name: 'Take into the draft' })).toBeDisabled();

	const doc = JSON.parse(readFileSync(file, 'utf8'));
	for (const [given, says] of [
		[asFile('{"format": '), 'bundle.json: The file is no JSON'],
		[asFile({ ...doc, format: 'rigid-rule/release' }), 'format must be "rigid-rule/bundle"'],
		[asFile({ ...doc, version: 9 }), 'version: This bundle has format 9'],
		[asFile({ ...doc, rules: [...doc.rules, { id: 'x' }] }), `rules[${doc.rules.length}]`],
		[asFile({ ...doc, model: { ...doc.model, lists: [] } }), 'there is no list']
	] as const) {
		await takeIn(page, given);
		await expect(page.getByRole('alert').filter({ hasText: says })).toBeVisible();
	}

	// a field that holds something else there, and one that is called otherwise
	const other = structuredClone(doc);
	const customer = other.model.types.find((x: { id: string }) => x.id === 'customer');
	customer.fields.find((f: { id: string }) => f.id === 'headcount').label = 'Employees';
	customer.fields.find((f: { id: string }) => f.id === 'label_lines').type = 'text';
	await takeIn(page, asFile(other, 'other.json'));
	await expect(page.getByText('called “Headcount” here')).toBeVisible();
	await expect(page.getByText('a text there, a number here; it stays what it is')).toBeVisible();
	const name = page.getByRole('checkbox', { name: /^Name: Headcount → Employees/ });
	await expect(name).not.toBeChecked();
	// taken for something new, it is made under a name of its own
	await choose(page.getByLabel('What Label lines is here'), 'something new');
	await expect(page.getByText('new field', { exact: true })).toBeVisible();
	await choose(page.getByLabel('What Label lines is here'), 'Label lines');
	await page.getByRole('button', { name: /Go on/ }).click();
	await expect(page.getByRole('heading', { name: '2 · The rules' })).toBeVisible();

	// what is ticked brings what it uses; where that is left out, it is said
	const using = structuredClone(doc);
	using.rules.find((r: { id: string }) => r.id === 'net_amount').why = 'Another reason.';
	const left = using.definitions.find((d: { id: string }) => d.id === 'left');
	left.why = 'What is left of it.';
	left.body = { text: '1' };
	await takeIn(page, asFile(using, 'using.json'));
	const [ofRule, ofDefinition] = ['Net amount', 'Share left'].map((label) =>
		page.getByRole('checkbox', { name: new RegExp(`^${label} changes the draft`) })
	);
	await ofRule.uncheck();
	await ofDefinition.uncheck();
	await expect(page.getByRole('button', { name: 'Take into the draft' })).toBeDisabled();
	await ofRule.focus();
	await page.keyboard.press('Space');
	await expect(ofDefinition).toBeChecked();
	await expect(page.getByText('uses it, and')).toHaveCount(0);
	await ofDefinition.uncheck();
	await expect(
		page.getByText('Net amount uses it, and it says something else in the draft.')
	).toBeVisible();
	await expect(ofRule).toBeChecked();

	// a rule that has another identity and another name there is said to be one of the draft
	const renamed = structuredClone(doc);
	const rule = renamed.rules.find((r: { id: string }) => r.id === 'freight');
	Object.assign(rule, { id: 'r_elsewhere', name: 'Who pays the freight' });
	for (const [field, claims] of Object.entries<string[]>(renamed.order))
		renamed.order[field] = claims.map((c) => c.replace(/^freight:/, 'r_elsewhere:'));
	await takeIn(page, asFile({ ...renamed, made: '2026-11-20T08:00:00Z' }));
	const line = page.getByRole('listitem').filter({ hasText: 'Who pays the freight' });
	await expect(line).toContainText('new');
	await line.getByRole('button', { name: /^It is one of the draft/ }).click();
	const box = line.getByLabel('What Who pays the freight is in the draft');
	await box.click();
	await box.pressSequentially('freight');
	await page.getByRole('option', { name: 'Freight paid by delivery rule' }).click();
	await expect(line).toContainText('changes the draft');
	await expect(line).toContainText('called “Freight paid by delivery rule” in the draft');
	// what was said of a file stands when it is taken in again
	await takeIn(page, asFile({ ...renamed, made: '2026-11-20T08:00:00Z' }));
	await expect(line).toContainText('changes the draft');
});

test('a bundle is one of two versions that are compared', async ({ page }) => {
	await signIn(page, 'jonas');
	const file = await takeOut(page, 'the draft');
	await open(page, '/compare');
	await page.getByLabel('A release or bundle from a file').setInputFiles(file);
	await expect(page.getByRole('status').filter({ hasText: /differ/ })).toContainText(
		/things? differs?/
	);
	await choose(page.getByLabel('The earlier one'), 'The draft');
	await expect(page.getByText(/say the same\.$/)).toBeVisible();
});

test('a reader looks at what taking one in would do, and takes nothing', async ({ page }) => {
	await signIn(page, 'mieke');
	const file = await takeOut(page, 'release 1');
	await takeIn(page, file);
	await page.getByRole('button', { name: /Go on/ }).or(page.getByText('2 · The rules')).click();
	await expect(page.getByText(/taken into the draft by authors; you are reader/)).toBeVisible();
	await expect(page.getByRole('button', { name: 'Take into the draft' })).toHaveCount(0);
});
