import AxeBuilder from '@axe-core/playwright';
import { expect, test as base, type Locator, type Page } from '@playwright/test';

const PASSWORD: Record<'ida' | 'jonas' | 'mieke' | 'claire', string> = {
	ida: 'glasshouse-1',
	jonas: 'glasshouse-2',
	mieke: 'glasshouse-3',
	claire: 'glasshouse-4'
};

type Cookies = Parameters<ReturnType<Page['context']>['addCookies']>[0];
/** The sessions begun so far: signing in costs two pages and a password's hash. */
const begun = new Map<string, Cookies>();

/**
 * Signs in as one of the people of the demo: at the sign-in page the first time, afterwards with the
 * session begun then, as long as the server takes it.
 */
export async function signIn(page: Page, who: 'ida' | 'jonas' | 'mieke' | 'claire' = 'jonas') {
	const context = page.context();
	// the first visit has a test of its own
	await context.addInitScript(() => localStorage.setItem('begun', 'yes'));
	const had = begun.get(who);
	await context.clearCookies();
	if (had) {
		await context.addCookies(had);
		const r = await context.request.get('/records/customer', { maxRedirects: 0 });
		if (r.status() === 200) return;
	}
	await page.goto('/sign-in');
	await page.fill('#email', `${who}@quillmere.example`);
	await page.fill('#password', PASSWORD[who]);
	await page.keyboard.press('Enter');
	await page.waitForURL((u) => !u.pathname.startsWith('/sign-in'));
	begun.set(who, await context.cookies());
}

/** Opens a page and waits until it answers. */
export async function open(page: Page, path: string) {
	await page.goto(path);
	await page.waitForSelector('[data-ready=true]');
}

/**
 * What axe finds wrong within a part of a page, by these rules or tags of rules. The pages have no
 * frames, so it runs in the page itself, and only what is wrong is brought out: a quarter of the time.
 */
export async function barriers(page: Page, within: string, tags: string[]) {
	const { violations } = await new AxeBuilder({ page })
		.include(within)
		.setLegacyMode()
		.options({ runOnly: tags, resultTypes: ['violations'] })
		.analyze();
	return violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.html.slice(0, 140)}`));
}

/** Opens a sheet and waits until the page has come to life. */
export async function openSheet(page: Page, path = '/write/customer/size_class') {
	await open(page, path);
	await expect(page.getByTestId('station-try')).toContainText(/\d+\/\d+/);
}

/** A test in which nothing may be written to the console and no policy may be violated. */
export const test = base.extend<{ quiet: void }>({
	quiet: [
		async ({ page }, use, info) => {
			const said: string[] = [];
			page.on('pageerror', (e) => said.push(e.message));
			page.on('console', (m) => {
				// a refused request is told by the browser itself; the tests that refuse look at the answer
				if (m.type() === 'error' && !/Failed to load resource/.test(m.text())) said.push(m.text());
			});
			await use();
			// one that broke off leaves no half-made draft to those after it
			if (info.status !== info.expectedStatus && (await undoOf(page).isVisible()))
				await undoAll(page).catch(() => {});
			expect(said).toEqual([]);
		},
		{ auto: true }
	]
});
/** Chooses from a list, by the label of the choice; a long list is opened by its box. */
export async function choose(box: Locator, label: string) {
	await box.click();
	await box.page().getByRole('option', { name: label, exact: true }).click();
}

/** Presses a key on a button once it can be used: a key on one that is busy is lost. */
export async function pressOn(button: Locator, key: 'Enter' | 'Space' = 'Enter') {
	await expect(button).toBeEnabled({ timeout: 30_000 });
	await button.press(key);
}

/** What a list has chosen, or an editor of formulas holds. */
export const held = (box: Locator) =>
	box.evaluate((e) => (e instanceof HTMLInputElement ? e.value : (e.textContent ?? '')).trim());
export async function expectHeld(box: Locator, text: string | RegExp) {
	if (typeof text === 'string') await expect.poll(() => held(box)).toBe(text);
	else await expect.poll(() => held(box)).toMatch(text);
}

/** Begins a rule at the field on the page, by its purpose. */
export async function begin(page: Page, purpose: string) {
	const cards = page.locator('[id^="rule-"]');
	const there = await cards.count();
	await page.getByRole('button', { name: /^How .* (gets its value|is sent)/ }).click();
	await page.keyboard.type(purpose);
	await page.keyboard.press('Enter');
	await expect(cards).toHaveCount(there + 1);
}

/** Finds something in the list that a word or box has opened, by typing. */
export async function find(page: Page, text: string) {
	await expect(page.getByPlaceholder('Type to find')).toBeFocused();
	await page.keyboard.type(text);
	await page.keyboard.press('Enter');
	await expect(page.getByPlaceholder('Type to find')).toHaveCount(0);
}

/** An editor of formulas or texts, once it is there. */
export const source = (page: Page, label: string | RegExp) =>
	page.locator('.cm-content').and(page.getByLabel(label));
/** A cell of a grid: by the heading of its column, and its row as it stands there (the first is 1). */
export async function cellOf(page: Page, grid: string | RegExp, column: string, row: number) {
	const whole = page.getByRole('grid', { name: grid });
	const head = whole.getByRole('columnheader').filter({
		has: page.getByRole('button', { name: new RegExp(`^(Sort by )?${column}( [↑↓])?$`) })
	});
	const at = await head.getAttribute('aria-colindex');
	return whole.locator(`tr[aria-rowindex="${row + 1}"] > [aria-colindex="${at}"]`);
}
/** Takes in what was pasted on the page of the import, and imports it as it is found to be. */
export async function importPasted(page: Page) {
	await page.getByRole('button', { name: 'Look at it' }).click();
	await page.waitForURL(/\/imports\//);
	await page.waitForSelector('[data-ready=true]');
	await page.getByRole('button', { name: 'Import', exact: true }).click();
	await expect(page.getByText('rows taken over')).toBeVisible({ timeout: 20_000 });
}
const undoOf = (page: Page) => page.getByRole('button', { name: 'Undo' });

/**
 * Takes back all that this page did: the tests after it count on the draft as it was found. How many
 * steps that are depends on how quickly it was typed.
 */
export async function undoAll(page: Page) {
	const undo = undoOf(page);
	for (let i = 0; i < 40 && (await undo.isEnabled()); i++) await undo.click();
	await expect(undo).toBeDisabled();
	await expect(page.getByText('Draft saved')).toBeVisible();
}

export { expect };

/** Asks to write the test of a cell of a decision table whose options are picked, and gives its input. */
export async function writeTest(page: Page, cell: string): Promise<Locator> {
	await page.getByLabel(new RegExp(`^${cell}: `)).click();
	await page.getByRole('option', { name: 'write a test …' }).click();
	return page.getByRole('textbox', { name: cell });
}
