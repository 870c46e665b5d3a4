/** A draft that is edited compiles to the same as one that is compiled from nothing. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import { demoTrials } from '../../../demo/trials';
import { zones } from '../../runtime/zones';
import type { Model } from '../document/model';
import { Schema } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { runTrial } from '../trials/trials';
import { compilePlan } from './plan';
import type { Plan } from './types';

/** A plan without its closures, as far as it can be compared. */
const shape = (plan: Plan): unknown => {
	const seen = new Set<object>();
	return JSON.parse(
		JSON.stringify({ ...plan, schema: null }, (key, v: unknown) => {
			if (key === 'rule' && v) return (v as Rule).id;
			// parts for showing are made when they are asked for
			if (['guardParts', 'askedParts', 'branches'].includes(key)) return (v as () => unknown)();
			if (v instanceof Map) return [...v];
			if (v instanceof Set) return [...v];
			if (ArrayBuffer.isView(v)) return [...(v as Int32Array)];
			if (typeof v === 'object' && v !== null && 'guardParts' in v) {
				const { id } = v as { id?: string };
				if (seen.has(v)) return id;
				seen.add(v);
			}
			return typeof v === 'function' ? 'runs' : v;
		})
	);
};

const at = <T>(xs: readonly T[], i: number, change: (x: T) => T): T[] =>
	xs.map((x, k) => (k === i % xs.length ? change(x) : x));

/** Edits of every part of a draft, some of which break it. */
const EDITS: ((s: { set: RuleSet; model: Model }, n: number) => { set: RuleSet; model: Model })[] =
	[
		({ set, model }, n) => ({
			model,
			set: { ...set, rules: at(set.rules, n, (r) => ({ ...r, off: !r.off })) }
		}),
		({ set, model }, n) => ({
			model,
			set: {
				...set,
				rules: at(set.rules, n, (r) => ({ ...r, guard: { text: n % 2 ? 'Kind' : '1 = 1' } }))
			}
		}),
		({ set, model }, n) => ({
			model,
			set: { ...set, rules: set.rules.filter((_, i) => i !== n % set.rules.length) }
		}),
		({ set, model }, n) => ({
			model,
			set: {
				...set,
				rules: at(set.rules, n, (r) => ({
					...r,
					outputs: r.outputs.map((o) => ({ ...o, hold: 'locked' as const }))
				}))
			}
		}),
		({ set, model }) => ({
			model,
			set: {
				...set,
				order: Object.fromEntries(Object.entries(set.order).map(([k, v]) => [k, [...v].reverse()]))
			}
		}),
		({ set, model }, n) => ({
			model,
			set: { ...set, definitions: at(set.definitions!, n, (d) => ({ ...d, name: `${d.name}x` })) }
		}),
		({ set, model }, n) => ({
			model,
			set: { ...set, tables: at(set.tables!, n, (t) => ({ ...t, rows: t.rows.slice(1) })) }
		}),
		({ set, model }, n) => ({
			set,
			model: {
				...model,
				types: at(model.types, n, (t) => ({
					...t,
					fields: at(t.fields, n, (f) => ({ ...f, label: `${f.label}x` }))
				}))
			}
		})
	];

describe('compiling again after an edit', () => {
	it('gives what compiling from nothing gives, after any series of edits', () => {
		fc.assert(
			fc.property(
				fc.array(fc.tuple(fc.nat({ max: EDITS.length - 1 }), fc.nat({ max: 60 })), {
					minLength: 1,
					maxLength: 6
				}),
				(edits) => {
					let state = { set: demoDraft, model: demoModel };
					let schema = new Schema(state.model).with(state.set);
					compilePlan(schema, state.set);
					for (const [k, n] of edits) {
						const next = EDITS[k](state, n);
						// as the page does: the schema stays as long as what it is made of
						schema =
							next.model === state.model
								? schema.with(next.set)
								: new Schema(next.model).with(next.set);
						state = next;
						const again = compilePlan(schema, state.set);
						const afresh = compilePlan(
							new Schema(structuredClone(state.model)),
							structuredClone(state.set)
						);
						expect(shape(again)).toEqual(shape(afresh));
					}
					const again = compilePlan(schema, state.set);
					const afresh = compilePlan(
						new Schema(structuredClone(state.model)),
						structuredClone(state.set)
					);
					for (const t of demoTrials.slice(0, 12))
						expect(runTrial(again, t, zones)).toEqual(runTrial(afresh, t, zones));
				}
			),
			{ numRuns: 25 }
		);
	});

	it('compiles the rule that was edited, and no other', () => {
		const schema = new Schema(demoModel).with(demoDraft);
		const first = compilePlan(schema, demoDraft);
		const rules = at(demoDraft.rules, 0, (r) => ({ ...r, why: 'new' }));
		const second = compilePlan(schema, { ...demoDraft, rules });
		const changed = demoDraft.rules[0].id;
		for (const [id, c] of second.claims)
			if (c.rule.id === changed) expect(c.run).not.toBe(first.claims.get(id)!.run);
			else expect(c.run).toBe(first.claims.get(id)!.run);
	});

	it('leaves the plan that was made before as it was', () => {
		const schema = new Schema(demoModel).with(demoDraft);
		const first = compilePlan(schema, demoDraft);
		const before = shape(first);
		compilePlan(schema, { ...demoDraft, order: {} });
		expect(shape(first)).toEqual(before);
	});
});
