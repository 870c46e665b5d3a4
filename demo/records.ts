/** The records of the demo workspace as its rules leave them: made, and settled by the release in force. */
import type { Format, Loader, MatchHow, MatchKey, Value } from '../src/core';
import {
	Schema,
	compilePlan,
	fromJson,
	matchKey,
	num,
	reason,
	ruleOf,
	settle,
	toJson
} from '../src/core';
import { formatValue } from '../src/runtime/format';
import { zones } from '../src/runtime/zones';
import type { SetBy } from '../src/server/db/set-by';
import type { DemoSizes } from './generate';
import { generate, seeded } from './generate';
import { demoModel } from './model';
import { demoReleases } from './rules';

/** The day on which the demo data was made. */
const MADE = Date.UTC(2026, 10, 20, 8);

/** The records of every type, numbered from 1 up, in an order in which what is linked to comes first. */
export function settledRecords(sizes: DemoSizes): Map<string, readonly Seeded[]> {
	// customers roll deals up and deals read their customers, so customers are settled twice
	const near = new SeededNear();
	for (const type of ['engineer', 'district', 'customer', 'deal', 'customer', 'deal'])
		near.put(type, settleAll(type, sizes, near));
	const order = ['engineer', 'district', 'customer', 'deal'].map((t) => [t, near.of(t)] as const);
	const last = ['contact', 'lead'].map((t) => [t, settleAll(t, sizes, near)] as const);
	return new Map([...order, ...last]);
}

/** One customer in so many has its own number of service visits. */
const BEFORE_YARDS = 23;
const AGREED_WITH = 97;

/** A record as it is stored. */
export interface Seeded {
	values: readonly Value[];
	setBy: Record<string, SetBy>;
	/** From before the rules: nothing settled it. */
	old: boolean;
}

/** What is settled so far, at hand for what is settled next. Numbers run from 1 up. */
class SeededNear implements Loader {
	private readonly schema = new Schema(demoModel);
	private readonly records = new Map<string, readonly Seeded[]>();
	/** By field and how it is matched, then by key. */
	private readonly indexes = new Map<string, Map<string, string[]>>();

	put(type: string, records: readonly Seeded[]) {
		this.records.set(type, records);
		for (const key of this.indexes.keys()) if (key.startsWith(`${type}.`)) this.indexes.delete(key);
	}
	of(type: string): readonly Seeded[] {
		return this.records.get(type) ?? [];
	}
	record(type: string, id: string) {
		return this.of(type)[Number(id) - 1]?.values ?? null;
	}
	related(type: string, field: string, id: string) {
		return this.index(type, field, 'exact').get(id) ?? [];
	}
	matching(type: string, [key]: readonly MatchKey[]) {
		return this.index(type, key.field, key.how).get(key.key) ?? [];
	}

	private index(type: string, field: string, how: MatchHow): Map<string, string[]> {
		const name = `${type}.${field} ${how}`;
		const had = this.indexes.get(name);
		if (had) return had;
		const at = this.schema.type(type).at.get(field)!;
		const made = new Map<string, string[]>();
		this.of(type).forEach(({ values }, i) => {
			const key = matchKey(how, values[at]);
			if (key !== null) made.set(key, [...(made.get(key) ?? []), String(i + 1)]);
		});
		this.indexes.set(name, made);
		return made;
	}
}

/** Makes the records of a type and settles each as a new one. */
function settleAll(type: string, sizes: DemoSizes, near: Loader): Seeded[] {
	const schema = new Schema(demoModel);
	const plan = compilePlan(schema, demoReleases[2].set);
	const { fields } = schema.type(type).type;
	/** Values as history tells them: records by their titles. */
	const format: Format = (ref, v) => {
		const f = schema.field(ref.type, ref.field);
		if (v === null || !f) return 'blank';
		const target = f.type === 'link' && typeof v === 'string' ? schema.type(f.target!) : null;
		const title =
			target && near.record(f.target!, v as string)?.[target.at.get(target.type.title)!];
		return title ? String(toJson(title)) : formatValue(f, toJson(v), schema);
	};
	const rnd = seeded(type.length);
	const at = new Date(MADE).toISOString();
	let number = 0;
	return [...generate(type, sizes)].map((record) => {
		const sent = new Map<string, Value>();
		for (const [id, json] of Object.entries(record)) {
			if (json === null) continue;
			const r = fromJson(schema.field(type, id)!, json, schema);
			if (!r.ok) throw new Error(r.message);
			sent.set(id, r.value);
		}
		const change = {
			records: [
				{
					type,
					id: String(++number),
					created: true,
					was: fields.map(() => null),
					sent,
					keep: new Set<string>(),
					inLine: true
				}
			],
			entryPoint: 'full' as const,
			instant: MADE,
			person: '1'
		};
		const options = { explain: true, alone: true, zones };
		const rec = settle(plan, change, near, options).records[0];
		// some records are older than the rules: their size class was picked by hand, or never
		const old =
			type === 'customer' && sent.get('trading_name') !== 'Brackwater Tulips' && rnd() < 0.04;
		const values = [...rec.values];
		const setBy: Record<string, SetBy> = {};
		for (const c of rec.changes) {
			if (!c.claim) continue;
			const report = rec.reports.find((r) => r.claim === c.claim)!;
			setBy[c.field] = {
				by: 'rule',
				name: 'Ida Faro',
				at,
				release: 3,
				claim: c.claim,
				rule: ruleOf(plan, c.claim)!.name,
				because: reason(plan, report, format)
			};
		}
		for (const [claim, options] of rec.added) {
			const { id } = plan.claims.get(claim)!.field;
			if (setBy[id]) setBy[id].added = { [claim]: options };
		}
		if (old) {
			values[schema.type(type).at.get('size_class')!] = rnd() < 0.5 ? null : 'large';
			delete setBy.size_class;
		}
		// with a few customers another number of visits was agreed, long before a rule gives one
		if (type === 'customer' && number % AGREED_WITH === 0) {
			values[schema.type(type).at.get('service_visits_a_year')!] = num(6);
			setBy.service_visits_a_year = { by: 'person', name: 'Jonas Weverling', at };
		}
		// some contacts came from a file before a rule told their yard
		if (type === 'contact' && number > 40 && number % BEFORE_YARDS === 0) {
			values[schema.type(type).at.get('delivery_yard')!] = null;
			delete setBy.delivery_yard;
		}
		return { values, setBy, old };
	});
}
