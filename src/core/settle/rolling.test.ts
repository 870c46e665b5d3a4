/** Figures of the records behind links: what is stored, less what goes, more what comes, is what looking at each gives. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { JsonValue, Need, RollUp, Settled, SubmittedRecord, Value } from '../index';
import { Gathered, compilePlan, fromJson, recordsLoader, settle, toJson } from '../index';
import * as n from '../value/num';
import { zones } from '../../runtime/zones';
import { figuresOf, type Stored } from '../../../tests/figures';
import { rule, schema } from '../../../tests/world';
import { FIRST, Rolling, addedUp } from './rolling';
import type { Fetched } from './gathered';

const { fields } = schema.type('thing').type;
const at = (id: string) => fields.findIndex((f) => f.id === id);

type Given = Record<string, JsonValue>;
const valueOf = (id: string, v: JsonValue): Value => {
	const r = fromJson(fields[at(id)], v, schema);
	return r.ok ? r.value : null;
};
const thing = (id: string, given: Given): Stored => ({
	type: 'thing',
	id,
	values: fields.map((f) => valueOf(f.id, given[f.id] ?? null))
});

/** Reads a store; what was asked is noted. */
function reading(stored: readonly Stored[], asked: Need[] = []) {
	const all = recordsLoader(schema, stored);
	return (needs: readonly Need[]): Promise<Fetched> => {
		asked.push(...needs);
		return Promise.resolve({
			records: needs.flatMap((x) =>
				'id' in x ? [{ ...x, values: all.record(x.type, x.id) ?? null }] : []
			),
			related: needs.flatMap((x) =>
				'field' in x ? [{ ...x, ids: all.related(x.type, x.field, x.of)! }] : []
			),
			found: [],
			rolled: needs.flatMap((x) =>
				'rollUp' in x
					? [{ of: x.rollUp, id: x.of, figures: figuresOf(schema, x.rollUp, x.of, stored) }]
					: []
			)
		});
	};
}

const rules = [
	rule('c', 'count(Team[Stage = "Won" or Flag])'),
	rule('d', 'sum(Team[Stage in ("Won", "Lost")].A)'),
	rule('e', 'max(Team.A)'),
	rule('f', 'mean(Team[not(is blank(Stage)) and A between 1 and 8].A)'),
	rule('money', 'min(Team[A > 2].A)'),
	rule('u', 'string(max(Team[contains(Text, "x")].Day))'),
	rule('b', 'count(Boss.Team)'),
	// what is added up follows from other figures, two links away
	rule('yen', 'sum(Team.D)')
];
const plan = compilePlan(schema, { rules, order: {} });

const change = (records: SubmittedRecord[]) => ({
	records,
	entryPoint: 'api' as const,
	instant: Date.UTC(2026, 10, 24, 9),
	person: null
});
const told = (s: Settled) =>
	s.records.map((r) => ({
		id: r.id,
		values: r.values.map((v) => toJson(v)),
		changes: r.changes.map((c) => [c.field, toJson(c.from), toJson(c.to), c.claim]),
		failures: r.failures,
		counted: r.reports.map((x) => [x.claim, x.outcome, x.counted])
	}));

const given = fc.record(
	{
		a: fc.option(fc.constantFrom('0', '1', '2.5', '3', '7', '9.25', '123456789012345678.5')),
		stage: fc.option(fc.constantFrom('won', 'lost', 'offer')),
		flag: fc.option(fc.boolean()),
		t: fc.option(fc.constantFrom('x', 'ax', 'y')),
		day: fc.option(fc.constantFrom('2026-01-31', '2026-02-01', '2027-01-01')),
		boss: fc.option(fc.constantFrom('1', '2', '3'))
	},
	{ requiredKeys: [] }
);

type Steps = {
	id: number;
	sent: { [K in keyof Given]: Given[K] } & { boss?: string | null };
	removed: boolean;
}[][];

/** Settles changes one after the other, looking at each record and by figures: the same, with what reasons name. @returns what was asked for by figures */
async function bothWays(begin: readonly Given[], steps: Steps): Promise<Need[]> {
	const stored = begin.map((g, i) => thing(String(i + 1), g));
	const now = new Map(stored.map((r) => [r.id, r.values]));
	const asked: Need[] = [];
	const looked = { by: new Gathered(() => schema), from: reading(stored) };
	const figured = {
		by: new Gathered(() => schema, { figures: true }),
		from: reading(stored, asked)
	};
	for (const several of steps) {
		const step = [...new Map(several.map((s) => [s.id, s])).values()];
		const gone = step.flatMap((s) => (s.removed && now.has(String(s.id)) ? [String(s.id)] : []));
		// links to what is deleted become blank in the same change
		const left = [...now].flatMap(([id, v]) =>
			gone.includes(v[at('boss')] as string) && !gone.includes(id)
				? [{ id: Number(id), sent: { boss: null }, removed: false }]
				: []
		);
		// nobody points to what is not there
		const there = (boss: string | null | undefined) =>
			!boss ||
			(now.has(boss) && !gone.includes(boss)) ||
			step.some((s) => String(s.id) === boss && !s.removed);
		const all = [...step.filter((s) => s.removed || there(s.sent.boss)), ...left];
		const records = [...new Map(all.map((s) => [s.id, s])).values()].flatMap(
			({ id: k, sent, removed }): SubmittedRecord[] => {
				const id = String(k);
				const was = now.get(id);
				if (removed && !was) return [];
				return [
					{
						type: 'thing',
						id,
						created: !was,
						was: was ?? fields.map(() => null),
						sent: new Map(
							Object.entries(removed ? {} : sent).map(([f, v]) => [f, valueOf(f, v ?? null)])
						),
						keep: new Set<string>(),
						inLine: true,
						...(removed ? { removed } : {})
					}
				];
			}
		);
		const [plain, quick] = await Promise.all(
			[looked, figured].map(({ by, from }) =>
				by.settle(
					from,
					(loader, missing) =>
						settle(plan, change(records), loader, { zones, explain: true, missing }),
					(s) => s.records.forEach((r) => r.reports.forEach((x) => void x.counted))
				)
			)
		);
		expect(told(quick)).toEqual(told(plain));
		plain.records.forEach((rec, i) => {
			const gone = records[i]?.removed;
			for (const { by } of [looked, figured])
				by.become('thing', rec.id, rec.was, gone ? null : rec.values);
			if (gone) now.delete(rec.id);
			else now.set(rec.id, rec.values);
		});
	}
	return asked;
}

describe('figures of the records behind a link', () => {
	const steps = (most: number) =>
		fc.array(
			fc.array(
				fc.record({ id: fc.integer({ min: 1, max: most }), sent: given, removed: fc.boolean() }),
				{ minLength: 1, maxLength: 3 }
			),
			{ minLength: 1, maxLength: 6 }
		);

	it('give what looking at each gives, change after change, however records come and go', async () => {
		let byFigures = 0;
		await fc.assert(
			fc.asyncProperty(
				fc.array(given, { minLength: 3, maxLength: 9 }),
				steps(12),
				async (begin, steps) => {
					byFigures += (await bothWays(begin, steps)).filter((x) => 'rollUp' in x).length;
				}
			),
			{ numRuns: 150 }
		);
		expect(byFigures).toBeGreaterThan(150);
	});

	it('name the same of many, who are read only where one of the first is gone', async () => {
		let runs = 0;
		let read = 0;
		await fc.assert(
			fc.asyncProperty(
				// about as many as are named
				fc.array(given, { minLength: FIRST - 1, maxLength: FIRST + 5 }),
				fc.array(
					fc.record({
						id: fc.integer({ min: 2, max: FIRST + 8 }),
						// most stay where they are
						sent: fc.oneof(
							{ weight: 6, arbitrary: given.map(({ boss: _, ...g }) => ({ ...g, boss: '1' })) },
							{ weight: 1, arbitrary: given }
						),
						removed: fc.constant(false)
					}),
					{ minLength: 1, maxLength: 4 }
				),
				async (begin, steps) => {
					const asked = await bothWays(
						begin.map((g, i) => ({ ...g, boss: i ? '1' : null })),
						steps.map((s) => [s])
					);
					runs++;
					if (asked.some((x) => 'field' in x && x.of === '1')) read++;
				}
			),
			{ numRuns: 100 }
		);
		expect(read).toBeGreaterThan(0);
		expect(read / runs).toBeLessThan(0.8);
	});

	it('read none of them for a change of one', async () => {
		const boss = thing('1', {});
		const team = Array.from({ length: 400 }, (_, i) =>
			thing(String(i + 2), { boss: '1', a: String(i), stage: 'won', t: 'x', day: '2026-01-31' })
		);
		const asked: Need[] = [];
		const gathered = new Gathered(() => schema, { figures: true });
		const one = team[7];
		const settled = await gathered.settle(
			reading([boss, ...team], asked),
			(loader, missing) =>
				settle(
					plan,
					change([
						{
							type: 'thing',
							id: one.id,
							created: false,
							was: one.values,
							sent: new Map([['a', n.num(1000)]]),
							keep: new Set<string>(),
							inLine: true
						}
					]),
					loader,
					{ zones, explain: true, missing }
				),
			(s) => s.records.forEach((r) => r.reports.forEach((x) => void x.counted))
		);
		const of = settled.records.find((r) => r.id === '1')!;
		expect(String(of.values[at('d')])).toBe(String((399 * 400) / 2 - 7 + 1000));
		expect(String(of.values[at('e')])).toBe('1000');
		// whoever is named in a reason is counted, and not read
		const sum = of.reports.find((r) => r.field === 'd' && r.outcome === 'wrote')!;
		expect(sum.counted![0]).toMatchObject({ n: 400, ids: team.slice(0, 20).map((r) => r.id) });
		const read = asked.flatMap((x) => ('id' in x ? [x.id] : []));
		expect(read.filter((id) => Number(id) > 1)).toEqual([]);
		// nor are all of their numbers
		expect(asked.filter((x) => 'field' in x && x.of === boss.id)).toEqual([]);
	});

	it.each([
		'count(Team[A > B])',
		'sum(Team.A) + count(Team[Stage = "Won" and Flag])',
		'max(Team[Day < @"2026-02-01"].A)',
		'mean(Team[Text != null].A)'
	])('%s is told by figures', (text) => {
		expect(rollUpsOf(text)).toBeGreaterThan(0);
	});

	it.each([
		['a condition that asks for the day', 'count(Team[Day < today])'],
		['one that asks for the record at hand', 'for mine in [B] return count(Team[A = mine])'],
		['a position', 'Team[1].A'],
		['those of several', 'sum(Team.Team.A)'],
		['a text', 'max(Team.Text)'],
		['more than one field', 'sum(for x in Team return x.A * x.B)']
	])('%s is looked at one by one: %s', (_, text) => {
		expect(rollUpsOf(text)).toBe(0);
	});

	it('tell no sum that would have been rounded on the way', () => {
		expect(String(addedUp('12.50', '12.50', 2))).toBe('12.5');
		expect(addedUp('1', '123456789012345678', 2)).toBe(null);
		expect(addedUp('1', '1', 16)).toBe(null);
	});

	it('are looked for again where all of the greatest that were kept are gone', () => {
		const values = [9, 8, 8, 7].map((x) => n.num(x));
		const roll = (ends: readonly Value[]) =>
			new Rolling({ fn: 'max' } as RollUp, { all: 4, n: 4, filled: 4, sum: null, ends, first: [] });
		const some = roll(values.slice(0, 2));
		some.less(true, n.num(9));
		expect(some.close()!.ends.map(String)).toEqual(['8']);
		some.less(true, n.num(8));
		expect(some.close()).toBe(null);
		some.more(true, n.num(3));
		// whether 3 is greater than those that are not known cannot be told
		expect(some.close()).toBe(null);
		const whole = roll(values);
		for (const x of [9, 8, 8, 7]) whole.less(true, n.num(x));
		whole.more(true, n.num(3));
		expect(whole.close()!.ends.map(String)).toEqual(['3']);
	});
});

/** How many roll-ups of a formula are told by figures. */
function rollUpsOf(text: string): number {
	const one = compilePlan(schema, { rules: [rule('e', text)], order: {} });
	const seen = new Set<string>();
	settle(
		one,
		{ ...change([submitted()]), onRequest: true },
		{
			...recordsLoader(schema, [thing('1', { boss: '2' }), thing('2', {})]),
			rolledUp: (of) => {
				seen.add(of.key);
				return { rolled: figuresOf(schema, of, '', []), made: new Map() };
			}
		},
		{ zones }
	);
	return seen.size;
}

const submitted = (): SubmittedRecord => ({
	type: 'thing',
	id: '1',
	created: false,
	was: thing('1', { boss: '2' }).values,
	sent: new Map(),
	keep: new Set<string>(),
	inLine: true
});
