/** Records in memory, for tests of what a change does to other records. */
import type { JsonValue } from '../model/codec';
import { fromJson } from '../model/codec';
import type { Schema } from '../model/model';
import { refKey } from '../model/model';
import type { Plan } from '../plan/plan';
import type { Change, Loader, Settled } from '../settle/settle';
import { settle } from '../settle/settle';
import { valuesToJson } from '../trials/trials';
import { zones } from '../../runtime/zones';
import type { Value } from '../value/value';

/** One record of a change: what is sent to a stored or new one. */
export interface Sent {
	type: string;
	id: string;
	sent: Record<string, JsonValue>;
}

/** A store that settles changes by a plan and keeps what comes of them. */
export class Store {
	readonly records = new Map<string, { type: string; id: string; values: readonly Value[] }>();
	private readonly schema: Schema;

	constructor(public plan: Plan) {
		this.schema = plan.schema;
	}

	readonly loader: Loader = {
		record: (type, id) => this.records.get(refKey(type, id))?.values ?? null,
		related: (type, field, id) => {
			const i = this.schema.type(type).at.get(field)!;
			return [...this.records.values()]
				.filter((r) => r.type === type && r.values[i] === id)
				.map((r) => r.id);
		}
	};

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
		const settled = settle(this.plan, this.changeOf(all), this.loader, { zones, explain: true });
		for (const { type, id, values } of settled.records)
			this.records.set(refKey(type, id), { type, id, values: values.slice() });
		return settled;
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
