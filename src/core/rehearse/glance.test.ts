/**
 * What is seen at a glance, of records of which no more is known than what rules read, against looking at all of them
 * with care. Rules of the demo, made-up records that point to each other.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { EDITS, edited } from '../../../tests/demo-edits';
import { withFigures, type Stored } from '../../../tests/figures';
import { someValues } from '../../../tests/values';
import * as world from '../../../tests/world';
import { zones } from '../../runtime/zones';
import { differing } from '../compare/differing';
import { Schema } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { compilePlan, joinPlans, type Plan } from '../plan/plan';
import type { FieldsRead } from '../plan/reads';
import { compileSelection, lookAt, untouched } from '../select/select';
import { settle } from '../settle/settle';
import { NOTHING_ELSE, recordsLoader, valuesFromJson } from '../trials/records';
import { isList, same } from '../value/value';
import { inLine, lineOf, standingFields } from './line';
import { Linked, askedOf, glance, glancing, rehearseRecord, rehearsing } from './record';

const schema = new Schema(demoModel);
const { set: start } = demoReleases[2];
const compiled = (set: RuleSet) => compilePlan(schema, set);
const NOW = Date.parse('2026-11-23T09:00:00Z');
const types = demoModel.types.map((t) => t.id);
const ids = ['1', '2', '3'];

/** A loader of records, whose figures are told as they are stored. */
const figured = (stored: readonly Stored[]) =>
	withFigures(schema, recordsLoader(schema, stored), stored);
const store = fc
	.tuple(...types.flatMap((type) => ids.map(() => someValues(schema, type, ids))))
	.map((all) =>
		all.map((values, i): Stored => {
			const type = types[Math.floor(i / ids.length)];
			return { type, id: ids[i % ids.length], values: valuesFromJson(schema, type, values) };
		})
	);

/** The records with nothing known of them but what is read. */
const knownOf = (records: readonly Stored[], reads: FieldsRead): Stored[] =>
	records.map((r) => {
		const { fields } = schema.type(r.type).type;
		const some = reads.get(r.type);
		return { ...r, values: r.values.map((v, i) => (some?.has(fields[i].id) ? v : null)) };
	});

/** All records as a plan gives them together. */
const settledBy = (plan: Plan, records: readonly Stored[]): Stored[] => {
	const all = records.map((x) => untouched(x.type, x.id, x.values, { inLine: false }));
	const change = { ...lookAt(all, NOW), onRequest: true };
	const out = settle(plan, change, recordsLoader(schema, records), { zones, alone: true }).records;
	return out.slice(0, records.length).map(({ type, id, values }) => ({ type, id, values }));
};

/** Options that claims are said to have added, some of those there. */
const addedTo = (plan: Plan, { type, values }: Stored, pick: number) =>
	new Map(
		plan.nodes.flatMap((n) => {
			const v = n.type === type ? values[n.index] : null;
			return n.adders.map((c, k): [string, string[]] => [
				c.id,
				isList(v) ? (v as string[]).filter((_, i) => (pick >> ((i + k) % 8)) & 1) : []
			]);
		})
	);

describe('a record in line', () => {
	const plain = compiled(start);
	const pilot = joinPlans(plain, compiled(demoDraft), { created: new Map(), brought: null }).plan!;
	it.each([
		['by the rules in force', plain, false],
		['of a pilot', pilot, true]
	])('%s is one that settling leaves as it is', (_, plan, member) => {
		let [yes, no] = [0, 0];
		fc.assert(
			fc.property(store, fc.boolean(), fc.nat(255), fc.nat(), (made, first, pick, which) => {
				const side = member ? plan.pilot!.plan : plan;
				const records = first ? settledBy(side, made) : made;
				for (const r of records) {
					const fields = standingFields(plan, r.type);
					if (!fields.length) continue;
					const added = addedTo(side, r, pick);
					const of = { id: r.id, values: r.values, added, byHand: new Set<string>() };
					const loader = recordsLoader(schema, records);
					const told = lineOf(
						plan,
						r.type,
						{ ...of, by: new Map(), pilot: member },
						NOW,
						loader,
						zones
					);
					const unchanged =
						!told.record.failures.length &&
						told.record.values.every((v, i) => same(v, r.values[i]));
					const seen = (some?: ReadonlySet<string>) => {
						const asked = inLine(plan, r.type, some);
						const known = knownOf(records, asked.reads);
						const own = known[records.indexOf(r)];
						const is = asked.begin(NOW, figured(known), zones);
						return is({ id: own.id, values: own.values, added, pilot: member });
					};
					expect(seen()).toBe(unchanged);
					if (unchanged) yes++;
					else no++;
					// whoever set what by hand: of one in line nothing is out of line
					const hands = { ...of, byHand: new Set(fields.filter((_, i) => (pick >> (i % 8)) & 1)) };
					const by = lineOf(
						plan,
						r.type,
						{ ...hands, by: new Map(), pilot: member },
						NOW,
						loader,
						zones
					);
					if (unchanged) expect(by.found).toEqual([]);
					// of one field
					const one = fields[which % fields.length];
					if (seen(new Set([one])) === true)
						expect(told.found.filter((x) => x.field === one)).toEqual([]);
				}
			}),
			{ numRuns: 60 }
		);
		expect([yes, no].map((n) => n > 100)).toEqual([true, true]);
	});

	it('is told only when all it reads is at hand, and what is missing is told at once', () => {
		const asked = inLine(plain, 'deal');
		const values = valuesFromJson(schema, 'deal', { name: 'Roof', customer: '7' });
		expect(asked.ahead({ id: '1', values })).toContainEqual({ type: 'customer', id: '7' });
		const nothing = recordsLoader(schema, []);
		const is = asked.begin(NOW, { ...nothing, record: () => undefined }, zones);
		expect(is({ id: '1', values, added: new Map() })).toEqual([{ type: 'customer', id: '7' }]);
	});

	it('of many asked one after the other, each has its own steps', () => {
		const costly = world.rule('b', 'A + 0 * count(for i in 1..20000 return i)');
		const of = inLine(world.planOf(costly), 'thing');
		const is = of.begin(NOW, NOTHING_ELSE, zones);
		const values = valuesFromJson(world.schema, 'thing', { a: '5', b: '5' });
		for (let i = 0; i < 130; i++)
			expect(is({ id: String(i), values, added: new Map() })).toBe(true);
	});
});

describe('a glance at a record', () => {
	const strict = start.rules.find((r) => r.body.kind === 'check' && r.type === 'deal')!;
	const edits: readonly RuleSet[] = [
		...EDITS,
		edited('probability', (r) => ({ ...r, off: true })),
		edited(strict.id, (r) => ({
			...r,
			guard: null,
			body: {
				...(r.body as Extract<Rule['body'], { kind: 'check' }>),
				holds: { text: 'Name != "Wall" and Customer.Headcount > 3' },
				blocking: true
			}
		}))
	];
	const before = compiled(start);

	it('says that there is nothing to tell only where there is nothing', () => {
		const seen = { unmoved: 0, 'to be rehearsed': 0, 'not selected': 0 };
		let spared = 0;
		const chosen = compileSelection(schema, {
			type: 'deal',
			condition: { text: 'Amount > 0 or Customer.Headcount > 10' }
		}).selector;
		fc.assert(
			fc.property(fc.nat(edits.length - 1), store, fc.boolean(), (n, made, select) => {
				const after = compiled(edits[n]);
				const records = settledBy(before, made);
				const r = rehearsing(differing(before, after), after, select ? chosen : null, NOW);
				records.forEach((of, i) => {
					if (select && of.type !== chosen.type) return;
					const asked = askedOf(r, of.type);
					if (!asked.length && !r.differing.checks.types.has(of.type)) return;
					const known = knownOf(records, glancing(r, of.type).reads);
					const added = new Map<string, string[]>();
					const is = glance(
						r,
						of.type,
						{ ...known[i], added },
						new Linked(r),
						figured(known),
						zones
					);
					if (typeof is !== 'string') throw new Error('Something is missing.');
					const told = rehearseRecord(
						r,
						of.type,
						{ ...of, added },
						asked,
						new Linked(r),
						recordsLoader(schema, records),
						zones
					);
					expect(told.needs).toEqual([]);
					expect(told.selected).toBe(is !== 'not selected');
					const nothing = !told.moves.length && !told.refused.length && !told.sends.length;
					if (is === 'unmoved') expect([nothing, told.partly]).toEqual([true, false]);
					seen[is]++;
					if (nothing && is === 'to be rehearsed') spared++;
				});
			}),
			{ numRuns: 120 }
		);
		for (const n of Object.values(seen)) expect(n).toBeGreaterThan(5);
		// hardly any is looked at with care for nothing
		expect(spared).toBeLessThan(seen.unmoved / 4);
	});

	it('takes no figures of records that come out otherwise themselves', () => {
		const formula = (text: string): Rule['body'] => ({ kind: 'formula', formulas: [{ text }] });
		const adding = edited('order_value', (r) => ({ ...r, body: formula('sum(deals.Net amount)') }));
		const base = compiled(adding);
		const after = compiled(
			edited('net_amount', (r) => ({ ...r, body: formula('Amount * 2') }), adding)
		);
		const r = rehearsing(differing(base, after), after, null, NOW);
		const asked = askedOf(r, 'customer');
		let moved = 0;
		fc.assert(
			fc.property(store, (made) => {
				const records = settledBy(base, made);
				for (const of of records.filter((x) => x.type === 'customer')) {
					const own = { ...of, added: new Map<string, string[]>() };
					const [plain, quick] = [recordsLoader(schema, records), figured(records)].map((loader) =>
						rehearseRecord(r, 'customer', own, asked, new Linked(r), loader, zones)
					);
					expect(quick).toEqual(plain);
					if (plain.moves.length) moved++;
					else continue;
					expect(glance(r, 'customer', own, new Linked(r), figured(records), zones)).toBe(
						'to be rehearsed'
					);
				}
			}),
			{ numRuns: 30 }
		);
		expect(moved).toBeGreaterThan(10);
	});
});
