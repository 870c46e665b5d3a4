/** What is out of line, of values that rules hold. Small made-up rules, and those of the demo on made-up records. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { someValues } from '../../../tests/values';
import * as world from '../../../tests/world';
import { zones } from '../../runtime/zones';
import { Schema } from '../document/model';
import { toJson } from '../fields/codec';
import { compilePlan, type Plan } from '../plan/plan';
import { NOTHING_ELSE, recordsLoader, valuesFromJson } from '../trials/records';
import { lineOf, standingFields, type Lined } from './line';

const NOW = Date.parse('2026-11-23T09:00:00Z');
const { rule, planOf } = world;

/** What of a thing is out of line: field, what it is, what it would be, and ✋ for by hand. */
function line(
	plan: Plan,
	values: Record<string, string | null>,
	o: { byHand?: string[]; by?: Record<string, string>; at?: number } = {}
) {
	const lined: Lined = {
		id: '1',
		values: valuesFromJson(plan.schema, 'thing', values),
		added: new Map(),
		byHand: new Set(o.byHand),
		by: new Map(Object.entries(o.by ?? {}))
	};
	const { found, needs } = lineOf(plan, 'thing', lined, o.at ?? NOW, NOTHING_ELSE, zones);
	expect(needs).toEqual([]);
	return found.map(
		(x) =>
			`${x.field}: ${x.failed ?? `${String(toJson(x.stored))} → ${String(toJson(x.result))}`}${x.byHand ? ' ✋' : ''}`
	);
}

describe('a value is out of line', () => {
	const sum = rule('c', 'A + B', { output: { hold: 'locked' } });
	const double = rule('d', 'C * 2');
	it('where a Locked rule, or one it follows, would give another', () => {
		const plan = planOf(sum, double);
		expect(line(plan, { a: '1', b: '2', c: '3', d: '6' })).toEqual([]);
		expect(line(plan, { a: '1', b: '2', c: '4', d: '6' })).toEqual(['c: 4 → 3']);
		// what follows is judged by what the value above would be
		expect(line(plan, { a: '1', b: '2', c: '4', d: '8' })).toEqual(['c: 4 → 3', 'd: 8 → 6']);
		expect(line(plan, { a: '1', b: '2', c: null, d: null })).toEqual([
			'c: null → 3',
			'd: null → 6'
		]);
		expect(standingFields(plan, 'thing')).toEqual(['c', 'd']);
	});

	it('by hand apart, and the rest by what was set', () => {
		const plan = planOf(rule('c', 'A + B'), rule('d', 'C * 2', { output: { hold: 'locked' } }));
		expect(line(plan, { a: '1', b: '2', c: '10', d: '20' }, { byHand: ['c'] })).toEqual([
			'c: 10 → 3 ✋'
		]);
		// cleared by hand is set by hand
		expect(line(plan, { a: '1', b: '2', c: null, d: null }, { byHand: ['c'] })).toEqual([
			'c: null → 3 ✋'
		]);
		// set by hand to what the rule gives is in line
		expect(line(plan, { a: '1', b: '2', c: '3', d: '6' }, { byHand: ['c'] })).toEqual([]);
		// nobody sets a Locked value by hand, whatever the mark says
		expect(line(plan, { a: '1', b: '2', c: '3', d: '7' }, { byHand: ['d'] })).toEqual(['d: 7 → 6']);
	});

	it('where its Locked rule fails, which is told', () => {
		const text = rule('t', 'string join(for i in 1..9999999 return "x")', {
			output: { hold: 'locked' }
		});
		const [said, ...more] = line(planOf(text), { t: 'old' });
		expect(said).toBe('t: A list may have 100000 items.');
		expect(more).toEqual([]);
	});

	it('never by a rule that is an event, fills, or is for the beginning', () => {
		const values = { a: '1', b: '9', c: '9', e: '9' };
		for (const r of [
			rule('b', 'A', { output: { hold: 'fill' } }),
			rule('b', 'A', { output: { hold: 'once' } }),
			rule('b', 'was.A + 1'),
			rule('b', 'A', { if: 'changed(A)' }),
			rule('b', 'A', { entering: true, if: 'A > 0' }),
			rule('b', 'A', { moments: ['created'] }),
			rule('b', 'A', { entryPoints: ['full'] }),
			// what it writes says only that something changed
			rule('b', '5', { watch: ['a'] })
		])
			expect(line(planOf(r), values), JSON.stringify(r)).toEqual([]);
		const stamp = rule('day', 'today', { watch: ['a'] });
		expect(line(planOf(stamp), { a: '1', day: '2026-01-01' })).toEqual([]);
		// nor where such a rule gave the value, and one below would give another
		const [event, rest] = [rule('b', 'A + 1', { entryPoints: ['full'] }), rule('b', 'A')];
		const both = planOf(event, rest);
		expect(line(both, values, { by: { b: `${event.id}:o` } })).toEqual([]);
		expect(line(both, values, { by: { b: `${rest.id}:o` } })).toEqual(['b: 9 → 1']);
		// the rule that gave it is gone
		expect(line(both, values, { by: { b: 'gone:o' } })).toEqual(['b: 9 → 1']);
	});

	it('when days pass', () => {
		const plan = planOf(rule('flag', 'Day < today'));
		const values = { day: '2026-11-24' };
		const on = (day: string) => line(plan, values, { at: Date.parse(`${day}T09:00:00Z`) });
		expect(on('2026-11-24')).toEqual(['flag: null → false']);
		expect(on('2026-11-25')).toEqual(['flag: null → true']);
	});

	it('only as far as a condition applies', () => {
		const plan = planOf(rule('b', 'A', { if: 'C = 1', output: { hold: 'locked' } }));
		expect(line(plan, { a: '1', b: '9', c: '1' })).toEqual(['b: 9 → 1']);
		expect(line(plan, { a: '1', b: '9', c: '2' })).toEqual([]);
		expect(line(plan, { a: '1', b: '9', c: null })).toEqual([]);
	});
});

describe('records of the demo', () => {
	const schema = new Schema(demoModel);
	const plan = compilePlan(schema, demoReleases[2].set);
	/** There is no other record. */
	const alone = recordsLoader(schema, []);
	const types = demoModel.types.map((t) => t.id).filter((t) => standingFields(plan, t).length);
	it.each(types)('%s: what comes into line stays there, and by hand stays by hand', (type) => {
		const { fields } = schema.type(type).type;
		const held = new Set(standingFields(plan, type));
		fc.assert(
			fc.property(someValues(schema, type), fc.subarray(fields.map((f) => f.id)), (json, hands) => {
				const lined = (values: Lined['values'], byHand: readonly string[]): Lined => ({
					id: '1',
					values,
					added: new Map(),
					byHand: new Set(byHand),
					by: new Map()
				});
				const values = valuesFromJson(schema, type, json);
				const told = lineOf(plan, type, lined(values, hands), NOW, alone, zones);
				expect(told.needs).toEqual([]);
				for (const x of told.found) {
					expect(held.has(x.field)).toBe(true);
					if (x.byHand) expect(hands).toContain(x.field);
				}
				const of = (all: typeof told.found, byHand: boolean) =>
					all.filter((x) => x.byHand === byHand && x.failed === null).map((x) => x.field);
				const after = lineOf(plan, type, lined(told.record.values, hands), NOW, alone, zones);
				expect(of(after.found, false)).toEqual([]);
				expect(of(after.found, true)).toEqual(of(told.found, true));
				// one field asked is that field of all
				const [first] = standingFields(plan, type);
				const one = lineOf(plan, type, lined(values, hands), NOW, alone, zones, {
					fields: new Set([first])
				});
				expect(one.found).toEqual(told.found.filter((x) => x.field === first));
			}),
			{ numRuns: 150 }
		);
	});
});
