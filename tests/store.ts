/** Records in memory, for tests of what a change does to other records. */
import type {
	Change,
	Deferred,
	JsonValue,
	Loader,
	Plan,
	Schema,
	Settled,
	Value
} from '../src/core';
import { fromJson, recordsLoader, refKey, settle, valuesToJson } from '../src/core';
import { zones } from '../src/runtime/zones';

/** One record of a change: what is sent to a stored or new one. */
export interface Sent {
	type: string;
	id: string;
	sent: Record<string, JsonValue>;
}

interface Before {
	type: string;
	id: string;
	was: readonly Value[];
}

/** A store that settles changes by a plan and keeps what comes of them. */
export class Store {
	readonly records = new Map<string, { type: string; id: string; values: readonly Value[] }>();
	private readonly schema: Schema;

	/** Records put off, each with what the records of its change were before. */
	readonly pending: (Deferred & { before: readonly Before[] })[] = [];
	/** Most records reached in one go. */
	most: number | undefined;

	constructor(public plan: Plan) {
		this.schema = plan.schema;
	}

	get loader(): Loader {
		return recordsLoader(this.schema, this.records.values());
	}

	private changeOf(all: readonly Sent[], onRequest = false): Change {
		return {
			records: all.map(({ type, id, sent }) => {
				const stored = this.records.get(refKey(type, id));
				const { fields } = this.schema.type(type).type;
				return {
					type,
					id,
					created: !stored,
					was: stored?.values ?? fields.map(() => null),
					sent: new Map(
						Object.entries(sent).map(([f, v]) => {
							const r = fromJson(this.schema.field(type, f)!, v, this.schema);
							return [f, r.ok ? r.value : null];
						})
					),
					keep: new Set<string>(),
					inLine: true
				};
			}),
			entryPoint: 'api',
			instant: Date.UTC(2026, 10, 24, 9),
			person: null,
			onRequest
		};
	}

	/** Settles a change and stores every record it wrote, reached ones too. */
	change(...all: Sent[]): Settled {
		return this.settle(this.changeOf(all), []);
	}

	/** Deletes a record; links that point to it become blank in the same change. */
	remove(type: string, id: string): Settled | null {
		const stored = this.records.get(refKey(type, id));
		if (!stored) return null;
		const links = this.schema.model.types.flatMap((t) =>
			t.fields
				.filter((f) => f.type === 'link' && f.target === type)
				.flatMap((f) =>
					this.loader
						.related(t.id, f.id, id)!
						.map((x) => ({ type: t.id, id: x, sent: { [f.id]: null } }))
				)
		);
		const change = this.changeOf([{ type, id, sent: {} }, ...links]);
		const [gone, ...rest] = change.records;
		const settled = this.settle({ ...change, records: [{ ...gone, removed: true }, ...rest] }, []);
		this.records.delete(refKey(type, id));
		return settled;
	}

	private settle(change: Change, before: readonly Before[]): Settled {
		const loader: Loader = {
			...this.loader,
			before: (type, id) => before.find((b) => b.type === type && b.id === id)?.was
		};
		const options = { zones, explain: true, most: this.most };
		const settled = settle(this.plan, change, loader, options);
		for (const { type, id, values } of settled.records)
			this.records.set(refKey(type, id), { type, id, values: values.slice() });
		const was = settled.records.map((r) => ({ type: r.type, id: r.id, was: r.was }));
		for (const d of settled.deferred) this.pending.push({ ...d, before: [...before, ...was] });
		return settled;
	}

	/** Settles what was put off because a change ran on to too many records, one record at a time. */
	carryOn() {
		for (let d = this.pending.shift(); d; d = this.pending.shift()) {
			const change = this.changeOf([{ type: d.type, id: d.id, sent: {} }]);
			const records = change.records.map((r) => ({ ...r, touched: d.touched }));
			this.settle({ ...change, records }, d.before);
		}
	}

	/** What the standing rules would change in the stored records: nothing, when all are in line. */
	outOfLine(): string[] {
		return [...this.records.values()].flatMap(({ type, id }) => {
			const change = this.changeOf([{ type, id, sent: {} }], true);
			const { records } = settle(this.plan, change, this.loader, { zones });
			return records[0].changes.map(
				(c) => `${type} ${id} ${c.field}: ${String(c.from)} → ${String(c.to)}`
			);
		});
	}

	json(type: string, id: string): Record<string, JsonValue> {
		const r = this.records.get(refKey(type, id));
		return r ? valuesToJson(this.schema, type, r.values) : {};
	}
}
