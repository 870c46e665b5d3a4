/** Records that rules read through links, fetched when a rule asks for them. */
import type { JsonValue, Loader, MatchKey, Need, Schema, Value } from '$core';
import { refKey, searchKey, valuesFromJson } from '$core';
import { ask } from './http';

interface Answer {
	records: { type: string; id: string; values: Record<string, JsonValue> | null }[];
	related: { type: string; field: string; of: string; ids: string[] }[];
	found: { type: string; match: MatchKey[]; ids: string[] }[];
}

export class Near {
	/** Grows whenever something came; read it where a result depends on what is at hand. */
	version = $state(0);
	#records = new Map<string, readonly Value[] | null>();
	#related = new Map<string, readonly string[]>();
	#found = new Map<string, readonly string[]>();
	#asked = new Set<string>();

	constructor(private readonly schema: () => Schema) {}

	readonly loader: Loader = {
		record: (type, id) => this.#records.get(refKey(type, id)),
		related: (type, field, id) => this.#related.get(`${type}.${field}.${id}`),
		matching: (type, keys) => this.#found.get(searchKey(type, keys))
	};

	/** Fetches what a result lacked, each thing once. In the browser only. */
	want(needs: readonly Need[]) {
		const fresh = needs.filter((n) => !this.#asked.has(keyOf(n)));
		if (!fresh.length || typeof window === 'undefined') return;
		for (const n of fresh) this.#asked.add(keyOf(n));
		const body = { needs: fresh.slice(0, 200) };
		void ask<Answer>('/look/near', { method: 'POST', body }).then(
			(a) => this.#take(a),
			// without the network the fields stay marked as pending
			() => undefined
		);
	}

	/** What an answer lacks was not asked for. */
	#take({ records = [], related = [], found = [] }: Partial<Answer>) {
		const schema = this.schema();
		for (const { type, id, values } of records)
			try {
				this.#records.set(refKey(type, id), values && valuesFromJson(schema, type, values));
			} catch {
				// a field or option that this page does not know yet: pending until it is loaded again
			}
		for (const r of related) this.#related.set(`${r.type}.${r.field}.${r.of}`, r.ids);
		for (const f of found) this.#found.set(searchKey(f.type, f.match), f.ids);
		this.version++;
	}

	/** Forgets everything: records may have changed. */
	forget() {
		this.#records.clear();
		this.#related.clear();
		this.#found.clear();
		this.#asked.clear();
		this.version++;
	}
}

const keyOf = (n: Need) =>
	'id' in n
		? refKey(n.type, n.id)
		: 'match' in n
			? searchKey(n.type, n.match)
			: `${n.type}.${n.field}.${n.of}`;
