/** Records that rules read through links, fetched when a rule asks for them. */
import type { JsonValue } from '$core/model/codec';
import type { Schema } from '$core/model/model';
import { refKey } from '$core/model/model';
import type { Loader, Need } from '$core/settle/settle';
import { searchKey } from '$core/settle/settle';
import type { MatchKey } from '$core/text/match';
import { valuesFromJson } from '$core/trials/trials';
import type { Value } from '$core/value/value';

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
		void fetch('/look/near', {
			method: 'POST',
			headers: { 'content-type': 'application/json' },
			body: JSON.stringify({ needs: fresh.slice(0, 200) })
		})
			.then((r) => (r.ok ? (r.json() as Promise<Answer>) : null))
			.then((a) => a && this.#take(a))
			// without the network the fields stay marked as pending
			.catch(() => undefined);
	}

	#take({ records, related, found }: Answer) {
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
