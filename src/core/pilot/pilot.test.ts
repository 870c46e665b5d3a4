import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { formula, model, planOf, rule, schema, setOf } from '../../../tests/world';
import { zones } from '../../runtime/zones';
import type { Rule } from '../document/rules';
import {
	NOTHING_ELSE,
	compileChoice,
	compilePlan,
	joinPlans,
	lineOf,
	lockedOnly,
	recordsLoader,
	rulesOfRecord,
	settle,
	standingFields,
	submissionOf,
	toJson,
	valuesFromJson,
	valuesToJson,
	type Change,
	type JsonValue,
	type Loader,
	type PilotChoice,
	type Plan
} from '../index';

const NOBODY: PilotChoice = { chosen: [], brought: null };
function joined(base: Plan, pilot: Plan, choice: PilotChoice = NOBODY): Plan {
	const { joins, problems } = compileChoice(schema, choice);
	expect(problems).toEqual([]);
	const { plan, circle } = joinPlans(base, pilot, joins);
	expect(circle).toBeNull();
	return plan!;
}

const change = (records: Change['records'], more: Partial<Change> = {}): Change => ({
	records,
	entryPoint: 'full',
	instant: Date.parse('2026-11-23T09:00:00Z'),
	person: null,
	account: 'ida',
	...more
});
const fresh = (sent: Record<string, JsonValue>) =>
	submissionOf(schema, { type: 'thing', was: null, sent: Object.entries(sent) });
const stored = (
	was: Record<string, JsonValue>,
	sent: Record<string, JsonValue>,
	pilot = false
) => ({
	...submissionOf(schema, { type: 'thing', was, sent: Object.entries(sent), record: '1' }),
	pilot,
	inLine: true
});
const loaderOf = (
	all: readonly { type: string; id: string; values: Record<string, JsonValue> }[]
) =>
	recordsLoader(
		schema,
		all.map((r) => ({ ...r, values: valuesFromJson(schema, r.type, r.values) }))
	);
const value = (rec: { values: readonly unknown[] }, field: string) =>
	toJson(rec.values[schema.type('thing').at.get(field)!] as never);
const one = (plan: Plan, c: Change, loader: Loader = NOTHING_ELSE) =>
	settle(plan, c, loader, { zones, explain: true }).records[0];

describe('a pilot', () => {
	const base = planOf(rule('b', 'A + 1'));
	const other = planOf(rule('b', 'A + 100'), rule('c', 'B * 2'));

	it('decides its own records and no others', () => {
		const plan = joined(base, other);
		const mine = one(plan, change([stored({ a: '1' }, { a: '2' }, true)]));
		expect([mine.pilot, value(mine, 'b'), value(mine, 'c')]).toEqual([true, '102', '204']);
		const theirs = one(plan, change([stored({ a: '1' }, { a: '2' })]));
		expect([theirs.pilot, value(theirs, 'b'), value(theirs, 'c')]).toEqual([false, '3', null]);
		// reports are of the rules that decided it
		expect(mine.reports.map((r) => r.outcome)).toEqual(['wrote', 'wrote']);
		expect(theirs.reports.map((r) => r.outcome)).toEqual(['wrote']);
	});

	it('takes new records that meet its condition, by what is sent and not by what rules make of it', () => {
		const chosen = [{ type: 'thing', condition: formula('B > 50') }];
		const plan = joined(base, other, { chosen, brought: null });
		expect(one(plan, change([fresh({ a: '1', b: '60' })])).pilot).toBe(true);
		expect(one(plan, change([fresh({ a: '90' })])).pilot).toBe(false);
		// one that exists belongs to it by what is stored of it alone
		expect(one(plan, change([stored({ b: '60' }, { a: '1' })])).pilot).toBe(false);
	});

	it('waits for a record that its condition reads, and goes by it', () => {
		const chosen = [{ type: 'thing', condition: formula('Boss.A > 5') }];
		const plan = joined(base, other, { chosen, brought: null });
		const away: Loader = { ...NOTHING_ELSE, record: () => undefined };
		const c = change([fresh({ a: '1', boss: '7' })]);
		expect(settle(plan, c, away, { zones }).needs).toEqual([{ type: 'thing', id: '7' }]);
		const near = (a: string) => loaderOf([{ type: 'thing', id: '7', values: { a } }]);
		expect([one(plan, c, near('6')).pilot, one(plan, c, near('5')).pilot]).toEqual([true, false]);
	});

	it('takes what chosen people submit by chosen roads, from then on, and nothing on request', () => {
		const brought = { accounts: ['ida'], roads: ['full' as const] };
		const plan = joined(base, other, { chosen: [], brought });
		const rec = stored({ a: '1', b: '2' }, { a: '2' });
		expect(one(plan, change([rec])).pilot).toBe(true);
		expect(one(plan, change([rec], { account: 'jonas' })).pilot).toBe(false);
		expect(one(plan, change([rec], { entryPoint: 'import' })).pilot).toBe(false);
		expect(one(plan, change([rec], { onRequest: true })).pilot).toBe(false);
		expect(one(plan, change([{ ...rec, removed: true }])).pilot).toBe(false);
		expect(one(plan, change([{ ...rec, touched: [] }])).pilot).toBe(false);
	});

	it('brings what is Locked into line with its first change in it', () => {
		const locked = planOf(rule('c', 'A * 10', { output: { hold: 'locked' } }));
		const brought = { accounts: null, roads: null };
		const plan = joined(base, locked, { chosen: [], brought });
		const rec = one(plan, change([stored({ a: '3', c: '1' }, { t: 'x' })]));
		expect(value(rec, 'c')).toBe('30');
	});

	it('runs on along links in both ways, each record by its own rules', () => {
		const up = planOf(rule('c', 'sum(Team.B)', { output: { hold: 'locked' } }), rule('b', 'A + 1'));
		const double = planOf(
			rule('c', 'sum(Team.B) * 2', { output: { hold: 'locked' } }),
			rule('b', 'A + 100')
		);
		const plan = joined(up, double);
		const records = [
			{
				type: 'thing',
				id: '1',
				values: { a: '1', b: '2', boss: '9' } as Record<string, JsonValue>
			},
			{ type: 'thing', id: '9', values: { c: '2' } }
		];
		const boss = (pilots: readonly string[]) => {
			const loader = {
				...loaderOf(records),
				pilot: (_: string, id: string) => pilots.includes(id)
			};
			const rec = stored(records[0].values, { a: '5' }, pilots.includes('1'));
			const { records: all } = settle(plan, change([rec]), loader, { zones });
			return [value(all[0], 'b'), value(all[1], 'c'), all[1].pilot];
		};
		expect(boss([])).toEqual(['6', '6', false]);
		expect(boss(['1'])).toEqual(['105', '105', false]);
		expect(boss(['9'])).toEqual(['6', '12', true]);
		expect(boss(['1', '9'])).toEqual(['105', '210', true]);
	});

	it('is refused where the rules of both together go in a circle', () => {
		const { joins } = compileChoice(schema, NOBODY);
		const { plan, circle } = joinPlans(planOf(rule('b', 'A')), planOf(rule('a', 'B')), joins);
		expect(plan).toBeNull();
		expect(circle).toBe('Thing: B → Thing: A → Thing: B');
	});

	it('says what is wrong with a condition', () => {
		const said = (text: string, type = 'thing') =>
			compileChoice(schema, { chosen: [{ type, condition: { text } }], brought: null }).problems;
		expect(said('A >')).toHaveLength(1);
		expect(said('was.A > 1')[0].message).toContain('by what it holds');
		expect(said('true', 'nothing')[0].message).toBe('There is no record type “nothing”.');
		const twice = [1, 2].map((n) => ({ type: 'thing', condition: formula(`A > ${n}`) }));
		expect(compileChoice(schema, { chosen: twice, brought: null }).problems[0].message).toContain(
			'two conditions'
		);
	});

	it('has what is out of line by the rules of each record', () => {
		const plan = joined(base, other);
		expect(standingFields(plan, 'thing')).toEqual(['b', 'c']);
		const values = schema
			.type('thing')
			.type.fields.map((f) => (f.id === 'a' ? stored({ a: '1' }, {}).was[0] : null));
		const lined = { id: '1', values, added: new Map(), byHand: new Set<string>(), by: new Map() };
		const found = (pilot: boolean) =>
			lineOf(plan, 'thing', { ...lined, pilot }, 0, NOTHING_ELSE, zones).found.map((x) => [
				x.field,
				toJson(x.result)
			]);
		expect(found(false)).toEqual([['b', '2']]);
		expect(found(true)).toEqual([
			['b', '101'],
			['c', '202']
		]);
	});

	it('keeps what is Locked of both sides', () => {
		const locked = planOf(rule('d', 'A * 10', { output: { hold: 'locked' } }), rule('b', 'A'));
		const plan = lockedOnly(joined(base, locked));
		const rec = one(plan, change([stored({ a: '1' }, { a: '2' }, true)]));
		expect([value(rec, 'b'), value(rec, 'd')]).toEqual([null, '20']);
		expect(value(one(plan, change([stored({ a: '1' }, { a: '2' })])), 'd')).toBeNull();
		// what is taken back brings nothing in
		const all = joined(base, locked, { chosen: [], brought: { accounts: null, roads: null } });
		const back = change([stored({ a: '1' }, { a: '2' })]);
		expect([one(all, back).pilot, one(lockedOnly(all), back).pilot]).toEqual([true, false]);
	});
});

/**
 * Another way to the same: one rule set with the rules of both, where a field of the record says which of them apply.
 * A guard that is false lets go, and so does a rule that is not there.
 */
describe('a pilot against one rule set that asks each record to which it belongs', () => {
	const letters = ['a', 'b', 'c', 'd', 'e', 'f'];
	const up = (x: string) => x.toUpperCase();
	const oneRule = fc
		.record({
			target: fc.integer({ min: 1, max: 5 }),
			form: fc.integer({ min: 0, max: 4 }),
			from: fc.nat(),
			n: fc.integer({ min: 1, max: 9 }),
			hold: fc.constantFrom('follow' as const, 'locked' as const, 'fill' as const)
		})
		.map(({ target, form, from, n, hold }) => {
			const x = up(letters[from % target]);
			const text = [
				`${x} + ${n}`,
				`${x} * ${n}`,
				`Boss.${x} + ${n}`,
				`sum(Team.${x})`,
				`max(Team.${x})`
			][form];
			return { field: letters[target], text, hold };
		});
	const rules = fc.uniqueArray(oneRule, { maxLength: 4, selector: (r) => r.field });
	type Spec = { field: string; text: string; hold: 'follow' | 'locked' | 'fill' };
	const made = (list: readonly Spec[], guard?: string): Rule[] =>
		list.map((r) =>
			rule(r.field, r.text, { output: { hold: r.hold }, ...(guard ? { if: guard } : {}) })
		);
	const small = fc.option(fc.integer({ min: 0, max: 9 }).map(String), { nil: null });
	const record = fc.record({
		a: small,
		b: small,
		c: small,
		boss: fc.constantFrom(null, '1', '2', '3'),
		flag: fc.boolean()
	});

	it('gives the same values at every record, change by change', () => {
		const step = fc.record({
			of: fc.integer({ min: 0, max: 2 }),
			sent: fc.record(
				{ a: small, c: small, boss: fc.integer({ min: 0, max: 3 }) },
				{ requiredKeys: [] }
			)
		});
		const making = fc.tuple(record, record, record);
		fc.assert(
			fc.property(
				rules,
				rules,
				making,
				fc.array(step, { maxLength: 5 }),
				(base, pilot, all, steps) => {
					const pilots = new Set(['1', '2', '3'].filter((_, i) => all[i].flag));
					const engine = (plan: Plan) => {
						const store = new Map<string, Record<string, JsonValue>>();
						return (id: string, sent: Record<string, JsonValue>) => {
							const things = [...store].map(([id, values]) => ({ type: 'thing', id, values }));
							const loader = {
								...loaderOf(things),
								pilot: (_: string, id: string) => pilots.has(id)
							};
							const rec = submissionOf(schema, {
								type: 'thing',
								was: store.get(id) ?? null,
								sent: Object.entries(sent),
								record: id
							});
							const own = { ...rec, keep: new Set<string>(), pilot: pilots.has(id) };
							const { records } = settle(plan, change([own]), loader, { zones });
							for (const r of records) store.set(r.id, valuesToJson(schema, 'thing', r.values));
							return [...store];
						};
					};
					const [both, oracle] = [
						joined(
							compilePlan(schema, setOf(...made(base))),
							compilePlan(schema, setOf(...made(pilot)))
						),
						compilePlan(schema, setOf(...made(base, 'Flag = false'), ...made(pilot, 'Flag = true')))
					].map(engine);
					const same = (id: string, sent: Record<string, JsonValue>) =>
						expect(both(id, sent)).toEqual(oracle(id, sent));
					all.forEach(({ boss, ...values }, i) =>
						same(String(i + 1), { ...values, boss: boss && Number(boss) <= i ? boss : null })
					);
					for (const { of, sent } of steps) {
						const id = String(of + 1);
						const { boss, ...rest } = sent;
						const to: Record<string, JsonValue> =
							boss === undefined ? {} : { boss: boss && String(boss) !== id ? String(boss) : null };
						same(id, { ...rest, ...to });
					}
				}
			),
			{ numRuns: 300 }
		);
	});
	it('says by which rules a record is decided', () => {
		const plan = joined(planOf(), planOf());
		expect(rulesOfRecord(plan, { pilot: true })).toBe(plan.pilot!.plan);
		expect(rulesOfRecord(plan, { pilot: false })).toBe(plan);
		expect(rulesOfRecord(planOf(), { pilot: true }).schema.model).toEqual(model);
	});
});
