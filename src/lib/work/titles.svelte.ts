/** What links are called: titles of records, fetched when a page first shows them. */
import { ask } from './http';

export class Titles {
	#known = $state.raw<Record<string, string>>({});
	#asked = new Set<string>();
	#waiting: string[] = [];

	/** By `type.id`. One that is not known yet is fetched; until then it is undefined. */
	readonly all: Record<string, string> = new Proxy(
		{},
		{
			get: (_, key) => {
				if (typeof key !== 'string') return undefined;
				const title = this.#known[key];
				if (title === undefined) this.#want(key);
				return title;
			}
		}
	);

	/** Takes titles that a page has already. */
	learn(titles: Record<string, string>) {
		const fresh = Object.entries(titles).filter(([k, v]) => this.#known[k] !== v);
		if (fresh.length) this.#known = { ...this.#known, ...Object.fromEntries(fresh) };
	}

	#want(key: string) {
		if (this.#asked.has(key) || typeof window === 'undefined' || !/^\w+\.\d{1,18}$/.test(key))
			return;
		this.#asked.add(key);
		if (this.#waiting.push(key) === 1) setTimeout(() => void this.#fetch(), 10);
	}

	async #fetch() {
		const wanted = this.#waiting.map((key) => {
			const [type, id] = key.split('.');
			return { type, id };
		});
		this.#waiting = [];
		for (let i = 0; i < wanted.length; i += 500)
			try {
				const { titles } = await ask<{ titles: Record<string, string> }>('/look/titles', {
					method: 'POST',
					body: { wanted: wanted.slice(i, i + 500) }
				});
				this.learn(titles);
			} catch {
				// without the network the record's number is shown
			}
	}
}
