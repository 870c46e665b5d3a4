/** What two rule sets can give otherwise, against settling by both in whole. Rules of the demo, made-up records. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { someValues } from '../../../tests/values';
import { zones } from '../../runtime/zones';
import { Schema, refKey } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { compilePlan } from '../plan/plan';
import type { Plan } from '../plan/types';
import { settle } from '../settle/settle';
import { recordsLoader, valuesFromJson } from '../trials/records';
import { toJson } from '../fields/codec';
import type { Value } from '../value/value';
import { differing } from './differing';

const schema = new Schema(demoModel);
const { set: start } = demoReleases[2];
const compiled = (set: RuleSet) => compilePlan(schema, set);
const before = compiled(start);
const edited = (set: RuleSet, n: number, change: (r: Rule) => Rule): RuleSet => ({
	...set,
	rules: set.rules.map((r, i) => (i === n % set.rules.length ? change(r) : r))
});

/** Edits that alter what some rule gives, or might. */
const EDITS: ((set: RuleSet, n: number) => RuleSet)[] = [
	(s, n) => edited(s, n, (r) => ({ ...r, off: true })),
	(s, n) => edited(s, n, (r) => ({ ...r, guard: { text: '1 = 2' } })),
	(s, n) =>
		edited(s, n, (r) => ({
			...r,
			outputs: r.outputs.map((o) => ({ ...o, hold: o.hold === 'fill' ? 'follow' : 'fill' }))
		})),
	(s, n) =>
		edited(s, n, (r) =>
			r.body.kind === 'bands'
				? {
						...r,
						body: {
							...r.body,
							limits: r.body.limits.map((l, i) => ({ ...l, at: String(7 + 9 * i) }))
						}
					}
				: { ...r, moments: ['created'] }
		),
	(s, n) => ({ ...s, rules: s.rules.filter((_, i) => i !== n % s.rules.length) }),
	(s) => ({
		...s,
		order: Object.fromEntries(Object.entries(s.order).map(([k, v]) => [k, [...v].reverse()]))
	}),
	(s, n) => ({
		...s,
		tables: s.tables!.map((t, i) =>
			i === n % s.tables!.length ? { ...t, rows: t.rows.slice(n % 5) } : t
		)
	}),
	(s, n) => ({
		...s,
		definitions: s.definitions!.map((d, i) =>
			i === n % s.definitions!.length ? { ...d, body: { text: '1' } } : d
		)
	}),
	() => demoDraft
];

const types = demoModel.types.map((t) => t.id);
const ids = ['1', '2', '3'];
const store = fc
	.tuple(...types.flatMap((type) => ids.map(() => someValues(schema, type, ids))))
	.map((all) =>
		all.map((values, i) => ({
			type: types[Math.floor(i / ids.length)],
			id: ids[i % ids.length],
			values: valuesFromJson(schema, types[Math.floor(i / ids.length)], values)
		}))
	);

interface Stored {
	type: string;
	id: string;
	values: readonly Value[];
}

/** What a record would be if the standing claims ran on it now. */
const standing = (plan: Plan, records: readonly Stored[], i: number) => {
	const { type, id, values } = records[i];
	const record = {
		type,
		id,
		created: false,
		was: values,
		sent: new Map(),
		keep: new Set<string>(),
		inLine: false
	};
	return settle(
		plan,
		{
			records: [record],
			entryPoint: 'bulk',
			instant: Date.parse('2026-11-23T09:00:00Z'),
			person: null,
			onRequest: true
		},
		recordsLoader(schema, records),
		{ zones }
	).records[0].values.map(toJson);
};

describe('what two rule sets can give otherwise', () => {
	it('is all that they give otherwise, and comes out by its own rules as by all of them', () => {
		fc.assert(
			fc.property(
				fc.array(fc.tuple(fc.nat(EDITS.length - 1), fc.nat(100)), { minLength: 1, maxLength: 2 }),
				store,
				(edits, records) => {
					const set = edits.reduce((s, [k, n]) => EDITS[k](s, n), start);
					const after = compiled(set);
					const d = differing(before, after);
					for (const [i, { type }] of records.entries()) {
						const whole = [before, after].map((p) => standing(p, records, i));
						const own = [d.before, d.after].map((p) => standing(p, records, i));
						schema.type(type).type.fields.forEach((f, k) => {
							if (d.fields.has(refKey(type, f.id)))
								expect(own.map((v) => v[k])).toEqual(whole.map((v) => v[k]));
							else expect(whole[0][k]).toEqual(whole[1][k]);
						});
					}
				}
			),
			{ numRuns: 60 }
		);
	});

	it('is nothing where only people’s words differ, and little where one rule does', () => {
		const same = edited(start, 4, (r) => ({ ...r, name: 'Another name', why: 'Another reason' }));
		const none = differing(before, compiled(same));
		expect([...none.fields]).toEqual([]);
		expect(none.before.nodes.length).toBeLessThan(before.nodes.length);
		const i = start.rules.findIndex((r) => r.id === 'size_class');
		const one = differing(
			before,
			compiled(edited(start, i, (r) => ({ ...r, guard: { text: '1 = 2' } })))
		);
		expect(one.fields).toContain('customer.size_class');
		// it runs on along a link, and leaves alone what has nothing to do with it
		expect(one.fields).toContain('deal.discount_limit_percent');
		expect(one.fields).not.toContain('deal.probability');
	});
});
