/** A person at work, counted: a click, a key command, or one entry typed into one place is an action. */
import type { Locator, Page } from '@playwright/test';
import { expect } from './helpers';

export class Acts {
	count = 0;

	constructor(readonly page: Page) {}

	async click(what: Locator) {
		this.count++;
		await what.click();
	}

	/** One entry into the place that has the focus. */
	async type(text: string) {
		this.count++;
		await this.page.keyboard.type(text);
	}

	async press(keys: string) {
		this.count++;
		await this.page.keyboard.press(keys);
	}

	/** Finds something in the list that has just opened: an entry and Enter. */
	async find(text: string) {
		await expect(this.page.getByPlaceholder('Type to find')).toBeFocused();
		await this.type(text);
		await this.press('Enter');
	}

	/** Opens a word or box that is searched, and finds something in it. */
	async pick(word: Locator, text: string) {
		await this.click(word);
		await this.find(text);
	}

	/** Chooses from a word or box that lists its choices. */
	async choose(word: Locator, option: string | RegExp) {
		await this.click(word);
		await this.click(
			this.page.getByRole('option', { name: option, exact: typeof option === 'string' })
		);
	}

	/** Types into a box. */
	async fill(box: Locator, text: string) {
		this.count++;
		await box.fill(text);
	}

	/** Begins a rule at the field on the page. */
	async begin(purpose: string) {
		await this.click(this.page.getByRole('button', { name: /^How .* (gets its value|is sent)/ }));
		await this.find(purpose);
	}
}
