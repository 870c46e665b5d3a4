/** Records that rules read through links, fetched when a rule asks for them. */
import type { Fetched, JsonValue, Loader, Need, Schema } from '$core';
import { Gathered, needKey, valuesFromJson } from '$core';
import { Refused, ask } from './http';

/** What the server sends: as fetched, with values as JSON. */
export interface NearAnswer {
	records: { type: string; id: string; values: Record<string, JsonValue> | null }[];
	related: Fetched['related'];
	found: Fetched['found'];
}

/** Most needs that one request names, as many as the server takes; the rest go with the next. */
const MOST_NEEDS = 1_000;
/** How long to wait before asking again after a failure: doubled each time, up to the longest. */
const WAIT_MS = 1_000;
const LONGEST_WAIT_MS = 30_000;

export class Near {
	/** Grows whenever something came; read it where a result depends on what is at hand. */
	version = $state(0);
	/** Why what is missing cannot be fetched now; it is asked for again by itself. */
	trouble = $state<string | null>(null);
	readonly #gathered: Gathered;
	readonly loader: Loader;
	/** What is still to be asked for, and all that was ever put there. */
	readonly #queue = new Map<string, Need>();
	readonly #asked = new Set<string>();
	#busy = false;
	#failures = 0;
	/** Counts how often everything was forgotten: an answer from before counts no more. */
	#age = 0;

	constructor(private readonly schema: () => Schema) {
		this.#gathered = new Gathered(schema);
		this.loader = this.#gathered.loader;
	}

	/** Fetches what a result lacked, each thing once. In the browser only. */
	want(needs: readonly Need[]) {
		if (typeof window === 'undefined') return;
		for (const n of needs) {
			const key = needKey(n);
			if (this.#asked.has(key)) continue;
			this.#asked.add(key);
			this.#queue.set(key, n);
		}
		void this.#fetch();
	}

	/** Asks for what is wanted, some at a time, until nothing is. What fails is asked for again. */
	async #fetch() {
		if (this.#busy) return;
		this.#busy = true;
		while (this.#queue.size) {
			const age = this.#age;
			const some = [...this.#queue].slice(0, MOST_NEEDS);
			try {
				const needs = some.map(([, n]) => n);
				const answer = await ask<NearAnswer>('/look/near', { method: 'POST', body: { needs } });
				this.trouble = null;
				this.#failures = 0;
				if (age !== this.#age) continue;
				for (const [key] of some) this.#queue.delete(key);
				this.#take(answer);
			} catch (e) {
				this.trouble = (e as Error).message;
				// what the server calls wrong is wrong again
				if (e instanceof Refused && e.status >= 400 && e.status < 500 && e.status !== 401) {
					for (const [key] of some) this.#queue.delete(key);
					continue;
				}
				const wait = Math.min(WAIT_MS * 2 ** this.#failures++, LONGEST_WAIT_MS);
				await new Promise((done) => setTimeout(done, wait));
			}
		}
		this.#busy = false;
	}

	/** What an answer lacks was not found out, and stays pending. */
	#take({ records = [], related = [], found = [] }: Partial<NearAnswer>) {
		const schema = this.schema();
		this.#gathered.take({
			records: records.flatMap(({ type, id, values }) => {
				try {
					return [{ type, id, values: values && valuesFromJson(schema, type, values) }];
				} catch {
					// a field or option that this page does not know yet: pending until it is loaded again
					return [];
				}
			}),
			related,
			found
		});
		this.version++;
	}

	/** Forgets everything: records may have changed. */
	forget() {
		this.#age++;
		this.#gathered.forget();
		this.#queue.clear();
		this.#asked.clear();
		this.version++;
	}
}
