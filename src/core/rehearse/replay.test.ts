/** Changes made again by two rule sets, against making them from the beginning in two stores. Rules of the demo and of the test. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { someValues } from '../../../tests/values';
import { rule, schema as things, setOf } from '../../../tests/world';
import { zones } from '../../runtime/zones';
import { Schema, refKey } from '../document/model';
import type { OncePer, Rule, RuleSet } from '../document/rules';
import { fromJson, toJson, type JsonValue } from '../fields/codec';
import { matchKey } from '../fields/match';
import { compilePlan, type Plan } from '../plan/plan';
import type { Fetched } from '../settle/gathered';
import { settle } from '../settle/settle';
import type { Need } from '../settle/types';
import { recordsLoader, valuesFromJson } from '../trials/records';
import { num } from '../value/num';
import { same, type Value } from '../value/value';
import { Replay, type SentChange } from './replay';
import { Retelling } from './retold';
import { surprisesOf, unmet } from './surprises';

type Store = Map<string, { type: string; id: string; values: readonly Value[] | null }>;
const NOW = Date.parse('2026-11-23T09:00:00Z');

const storeOf = (
	schema: Schema,
	records: readonly [type: string, id: string, json: Record<string, JsonValue>][]
): Store =>
	new Map(
		records.map(([type, id, json]) => [
			refKey(type, id),
			{ type, id, values: valuesFromJson(schema, type, json) }
		])
	);
const there = (store: Store) =>
	[...store.values()].flatMap((r) => (r.values ? [{ ...r, values: r.values }] : []));

/** Reads a store as it is when it is asked. */
const reading =
	(schema: Schema, store: Store) =>
	(needs: readonly Need[]): Promise<Fetched> => {
		const all = recordsLoader(schema, there(store));
		return Promise.resolve({
			records: needs.flatMap((n) =>
				'id' in n ? [{ ...n, values: all.record(n.type, n.id) ?? null }] : []
			),
			related: needs.flatMap((n) =>
				'field' in n ? [{ ...n, ids: all.related(n.type, n.field, n.of)! }] : []
			),
			found: needs.flatMap((n) =>
				'match' in n
					? [
							{
								...n,
								ids: there(store)
									.filter(
										(r) =>
											r.type === n.type &&
											n.match.every(
												(k) =>
													matchKey(k.how, r.values[schema.type(n.type).at.get(k.field)!]) === k.key
											)
									)
									.map((r) => r.id)
							}
						]
					: []
			)
		});
	};

/** One store, and what becomes of it by a rule set. */
class Simulation {
	private readonly seen = new Set<string>();
	private readonly added = new Map<string, Map<string, readonly string[]>>();
	constructor(
		private readonly plan: Plan,
		readonly store: Store
	) {}

	make(c: SentChange) {
		const { schema } = this.plan;
		const records = c.records.map(({ type, id, created, removed, sent, keep }) => {
			const key = refKey(type, id);
			const added = this.added.get(key);
			return {
				type,
				id,
				created,
				sent,
				keep,
				was: this.store.get(key)?.values ?? schema.type(type).type.fields.map(() => null),
				inLine: this.seen.has(key),
				...(removed ? { removed } : {}),
				...(added ? { added } : {})
			};
		});
		const { entryPoint, instant, person } = c;
		const loader = recordsLoader(schema, there(this.store));
		const s = settle(this.plan, { records, entryPoint, instant, person }, loader, { zones });
		s.records.forEach((rec, i) => {
			const key = refKey(rec.type, rec.id);
			const gone = records[i]?.removed;
			if (!rec.reached && !gone) this.seen.add(key);
			this.added.set(key, new Map([...(this.added.get(key) ?? []), ...rec.added]));
			if (gone || rec.created || rec.changes.length)
				this.store.set(key, {
					type: rec.type,
					id: rec.id,
					values: gone ? null : rec.values.slice()
				});
		});
		return s.records;
	}
}

const demo = new Schema(demoModel);
const { set: start } = demoReleases[2];
const edited = (id: string, change: (r: Rule) => Rule): RuleSet => ({
	...start,
	rules: start.rules.map((r) => (r.id === id ? change(r) : r))
});
const PAIRS: [RuleSet, RuleSet][] = [
	[start, demoDraft],
	[start, start],
	[demoReleases[0].set, start],
	[
		start,
		edited('order_value', (r) => ({
			...r,
			body: { kind: 'formula', formulas: [{ text: 'count(deals) * 1000' }] }
		}))
	],
	[start, { ...start, rules: start.rules.filter((_, i) => i % 3) }]
];

const TYPES = demoModel.types.map((t) => t.id);
const IDS = ['1', '2', '3'];
const someStore = fc
	.tuple(
		...TYPES.flatMap((type) =>
			IDS.map((id) => fc.tuple(fc.constant(type), fc.constant(id), someValues(demo, type, IDS)))
		)
	)
	.map((all) => all as [string, string, Record<string, JsonValue>][]);
const someChanges = fc.array(
	fc
		.constantFrom('customer', 'deal', 'lead')
		.chain((type) =>
			fc.tuple(
				fc.constant(type),
				fc.constantFrom(...IDS, '4', '5'),
				someValues(demo, type, IDS),
				fc.constantFrom<SentChange['entryPoint']>('full', 'api', 'import'),
				fc.integer({ min: 0, max: 9 })
			)
		),
	{ minLength: 1, maxLength: 7 }
);
/** The changes as they are sent one after the other; what is not there is made, and deals are now and then deleted. */
function sentOf(
	store: Store,
	all: readonly [string, string, Record<string, JsonValue>, SentChange['entryPoint'], number][]
): SentChange[] {
	const alive = new Set(there(store).map((r) => refKey(r.type, r.id)));
	return all.map(([type, id, json, entryPoint, n], i) => {
		const key = refKey(type, id);
		const created = !alive.has(key);
		const removed = !created && type === 'deal' && n === 0;
		if (removed) alive.delete(key);
		else alive.add(key);
		const sent = new Map<string, Value>();
		// of a change some fields, of a new record all
		for (const [k, [field, v]] of Object.entries(json).entries())
			if (created || (k + n) % 3 === 0) {
				const r = fromJson(demo.field(type, field)!, v, demo);
				if (r.ok) sent.set(field, r.value);
			}
		return {
			instant: NOW + i * 60_000,
			entryPoint,
			person: null,
			records: [
				{
					type,
					id,
					created,
					removed,
					sent: removed ? new Map() : sent,
					keep: n % 2 ? 'touched' : new Set<string>()
				}
			]
		};
	});
}

describe('changes replayed', () => {
	it('come to what they come to where both rule sets work from the beginning, each in a store of its own', async () => {
		let moved = 0;
		await fc.assert(
			fc.asyncProperty(fc.nat(PAIRS.length - 1), someStore, someChanges, async (n, made, all) => {
				const plans = PAIRS[n].map((set) => compilePlan(demo, set));
				const stood = storeOf(demo, made);
				const changes = sentOf(stood, all);
				const sims = plans.map((p) => new Simulation(p, new Map(stood)));
				// what is read now is what the earlier rule set made of it all
				const now = new Simulation(plans[0], new Map(stood));
				changes.forEach((c) => now.make(c));
				const again = new Replay(plans[0], plans[1], reading(demo, now.store), zones);
				again.stood(
					[...now.store].flatMap(([key, r]) =>
						r === stood.get(key) ? [] : [{ ...r, values: stood.get(key)?.values ?? null }]
					)
				);
				// whether it is fetched ahead or one by one makes no difference
				if (all.length % 2) await again.prepare(changes);
				for (const c of changes) {
					const [b, a] = sims.map((s) => s.make(c));
					const got = (await again.change(c))!;
					const gone = new Set(c.records.filter((r) => r.removed).map((r) => refKey(r.type, r.id)));
					const expected: string[] = [];
					for (const rec of [...b, ...a]) {
						const key = refKey(rec.type, rec.id);
						if (gone.has(key)) continue;
						const { fields } = demo.type(rec.type).type;
						const [x, y] = sims.map((s) => s.store.get(key)!.values!);
						for (const { field } of rec.changes) {
							const i = fields.findIndex((f) => f.id === field);
							if (!same(x[i], y[i]))
								expected.push(`${key}.${field} ${String(toJson(x[i]))} ${String(toJson(y[i]))}`);
						}
					}
					moved += got.moves.length;
					expect(
						got.moves
							.map(
								(m) =>
									`${refKey(m.type, m.id)}.${demo.type(m.type).type.fields[m.index].id} ${String(toJson(m.from))} ${String(toJson(m.to))}`
							)
							.sort()
					).toEqual([...new Set(expected)].sort());
					// what the earlier one makes of it is what is recorded
					expect(got.before.map((r) => r.values)).toEqual(b.map((r) => r.values));
				}
			}),
			{ numRuns: 80 }
		);
		expect(moved).toBeGreaterThan(50);
	});

	it('by one rule set twice come to nothing', async () => {
		await fc.assert(
			fc.asyncProperty(someStore, someChanges, async (made, all) => {
				const store = storeOf(demo, made);
				const plan = compilePlan(demo, start);
				const again = new Replay(plan, plan, reading(demo, store), zones);
				for (const c of sentOf(store, all)) {
					const { moves, refused, sends, unsent } = (await again.change(c))!;
					expect([moves, refused, sends, unsent]).toEqual([[], [], [], []]);
				}
			}),
			{ numRuns: 30 }
		);
	});
});

/** A replay of two rule sets on things. */
function of(
	before: RuleSet,
	after: RuleSet,
	records: readonly [id: string, json: Record<string, JsonValue>][]
) {
	const store = storeOf(
		things,
		records.map(([id, json]) => ['thing', id, json])
	);
	const again = new Replay(
		compilePlan(things, before),
		compilePlan(things, after),
		reading(things, store),
		zones
	);
	const sent = (
		id: string,
		json: Record<string, JsonValue>,
		more: Partial<SentChange & SentChange['records'][number]> = {}
	): SentChange => ({
		instant: more.instant ?? NOW,
		entryPoint: more.entryPoint ?? 'full',
		person: null,
		records: [
			{
				type: 'thing',
				id,
				created: more.created ?? false,
				removed: more.removed ?? false,
				keep: more.keep ?? 'touched',
				sent: new Map(
					Object.entries(json).map(([f, v]): [string, Value] => {
						const r = fromJson(things.field('thing', f)!, v, things);
						if (!r.ok) throw new Error(r.message);
						return [f, r.value];
					})
				)
			}
		]
	});
	const said = (m: { index: number; from: Value; to: Value }) =>
		`${things.type('thing').type.fields[m.index].id} ${String(toJson(m.from))} → ${String(toJson(m.to))}`;
	return { again, sent, said };
}

/** B is A twice, or three times; C adds up B whenever D changes, by the one as by the other. */
const times = (n: number) =>
	setOf(
		rule('b', `A * ${n}`, { id: 'double' }),
		rule('c', 'was.C + B', { id: 'sum', watch: ['d'] })
	);
const [before, after] = [times(2), times(3)];

describe('a change replayed', () => {
	it('goes on from what each rule set made of the one before it, and tells what only follows from that', async () => {
		const { again, sent, said } = of(before, after, [['1', { a: '1', b: '2', c: '0' }]]);
		const one = (await again.change(sent('1', { a: '10' })))!;
		expect(one.moves.map((m) => [said(m), m.claim, m.follows])).toEqual([
			['b 20 → 30', 'double:o', false]
		]);
		// the rule on C is the same, and A is not touched
		const two = (await again.change(sent('1', { d: '1' })))!;
		expect(two.moves.map((m) => [said(m), m.claim, m.follows])).toEqual([
			['c 20 → 30', 'sum:o', true]
		]);
		const three = (await again.change(sent('1', { a: '5' })))!;
		expect(three.moves.map((m) => [said(m), m.follows])).toEqual([['b 10 → 15', false]]);
		// whoever sends a value makes both the same again
		expect((await again.change(sent('1', { c: '7' })))!.moves).toEqual([]);
		expect((await again.change(sent('1', { b: '7' })))!.moves).toEqual([]);
		expect((await again.change(sent('1', { d: '2' })))!.moves).toEqual([]);
	});

	it('says where what was sent would not have stood', async () => {
		const { again, sent, said } = of(
			setOf(),
			setOf(rule('b', 'A * 2', { output: { hold: 'locked' } })),
			[['1', {}]]
		);
		const { moves } = (await again.change(sent('1', { a: '1', b: '9' })))!;
		expect(moves.map((m) => [said(m), m.entered])).toEqual([['b 9 → 2', true]]);
		const free = of(setOf(), setOf(rule('b', 'A * 2')), [['1', {}]]);
		const kept = (await free.again.change(free.sent('1', { a: '1', b: '9' })))!;
		expect(kept.moves).toEqual([]);
	});

	const mustBe = (text: string) =>
		rule(
			'a',
			{ kind: 'check', holds: { text }, message: ['Too much.'], blocking: true, always: false },
			{ id: 'limit', kind: 'validate' }
		);
	it('says what would have been refused, goes on as if it had not been, and what would have gone through', async () => {
		const { again, sent } = of(setOf(mustBe('A < 100')), setOf(mustBe('A < 50')), [['1', {}]]);
		expect((await again.change(sent('1', { a: '49' })))!.refused).toEqual([]);
		expect((await again.change(sent('1', { a: '60' })))!.refused).toMatchObject([
			{ type: 'thing', id: '1', message: { claim: 'limit:o', text: 'Too much.' } }
		]);
		expect(toJson((await again.stands('thing', '1'))![0])).toBe('60');
		// one that both refuse is refused as it was
		expect(await again.refusal(sent('1', { a: '120' }))).toMatchObject({
			before: [{ text: 'Too much.' }],
			after: [{ text: 'Too much.' }]
		});
		const wider = of(setOf(mustBe('A < 50')), setOf(mustBe('A < 100')), [['1', {}]]);
		expect(await wider.again.refusal(wider.sent('1', { a: '60' }))).toMatchObject({
			before: [{ text: 'Too much.' }],
			after: []
		});
		// nothing became of it
		expect((await wider.again.stands('thing', '1'))![0]).toBeNull();
	});

	const letter = (text: string, once: OncePer = 'event') =>
		rule(
			't',
			{
				kind: 'message',
				each: null,
				filter: null,
				to: { text: '"x@quillmere.example"' },
				subject: ['News'],
				text: [text],
				once
			},
			{ id: 'letter', outputs: [], guard: { text: 'Flag' }, entering: true }
		);
	it('says which messages would have left and which would not, once where they leave once', async () => {
		const { again, sent } = of(setOf(), setOf(letter('hello', 'day')), [['1', {}]]);
		const flag = async (on: boolean, instant = NOW) =>
			(await again.change(sent('1', { flag: on }, { instant })))!.sends;
		expect(await flag(true)).toMatchObject([
			{ type: 'thing', id: '1', message: { text: 'hello' } }
		]);
		await flag(false);
		expect(await flag(true)).toEqual([]);
		await flag(false);
		expect(await flag(true, NOW + 86_400_000)).toHaveLength(1);
		const other = of(setOf(letter('hello')), setOf(letter('good day')), [['1', {}]]);
		const { sends, unsent } = (await other.again.change(other.sent('1', { flag: true })))!;
		expect([sends, unsent].map((x) => x.map((m) => m.message.text))).toEqual([
			['good day'],
			['hello']
		]);
	});

	it('about a record that is not there is left out; made and deleted ones come and go', async () => {
		const count = (field: string) => setOf(rule('b', field, { output: { hold: 'locked' } }));
		const { again, sent, said } = of(count('count(Team)'), count('count(Team) * 10'), [['1', {}]]);
		expect(await again.change(sent('2', { a: '1' }))).toBeNull();
		const made = (await again.change(sent('2', { boss: '1' }, { created: true })))!;
		expect(made.moves.map((m) => `${m.id} ${said(m)}`)).toEqual(['1 b 1 → 10']);
		const gone = (await again.change(sent('2', {}, { removed: true })))!;
		expect(gone.moves).toEqual([]);
		expect(gone.before.map((r) => [r.id, r.changes.length])).toEqual([
			['2', 0],
			['1', 1]
		]);
		expect(await again.change(sent('2', { a: '1' }))).toBeNull();
	});

	it('that cannot be made again is taken as it is recorded', async () => {
		const { again, sent, said } = of(before, after, [['1', { a: '1', b: '2', c: '0' }]]);
		const fields = new Map([[1, num(50)]]);
		await again.recorded([{ type: 'thing', id: '1', there: null, fields }]);
		const { moves } = (await again.change(sent('1', { d: '1' })))!;
		expect(moves).toEqual([]);
		expect(toJson((await again.stands('thing', '1'))![2])).toBe('50');
		await again.recorded([{ type: 'thing', id: '1', there: 'deleted', fields: new Map() }]);
		expect(await again.change(sent('1', { a: '1' }))).toBeNull();
		await again.recorded([{ type: 'thing', id: '1', there: 'made', fields: new Map() }]);
		const made = (await again.change(sent('1', { a: '1' })))!;
		expect(made.moves.map(said)).toEqual(['b 2 → 3']);
	});
});

describe('what is told of a replay', () => {
	it('adds up by person, road and day, and holds what follows apart', async () => {
		const { again, sent } = of(before, after, [['1', { a: '1', b: '2', c: '0' }]]);
		const told = new Retelling(things);
		const head = (account: string, entryPoint: SentChange['entryPoint'], day: string) => ({
			account,
			entryPoint,
			day
		});
		const titles = new Map([['thing.1', 'One']]);
		told.take(
			(await again.change(sent('1', { a: '10' })))!,
			head('7', 'full', '2026-11-23'),
			titles,
			['thing.e']
		);
		told.take(
			(await again.change(sent('1', { d: '1' })))!,
			head('7', 'api', '2026-11-24'),
			titles,
			[]
		);
		told.take(
			(await again.change(sent('1', { e: '1' })))!,
			head('8', 'full', '2026-11-24'),
			titles,
			[]
		);
		told.left('model', head('8', 'api', '2026-11-25'));
		told.refusal({ type: 'thing', field: 'a', claim: 'limit:o', text: 'Too much.' }, '8');
		told.refusal(null, '8');
		const r = told.told();
		expect(r).toMatchObject({ looked: 3, records: 2 });
		expect(r.fields.map((f) => [f.field, f.count, f.moves])).toEqual([
			['b', 1, [{ from: '20', to: '30', count: 1 }]],
			['c', 1, [{ from: '20', to: '30', count: 1 }]]
		]);
		expect(r.replay).toMatchObject({
			changes: 4,
			left: [{ why: 'model', count: 1 }],
			follows: 1,
			otherwise: { changes: 1, fields: [{ type: 'thing', field: 'e', count: 1 }] },
			people: [
				{ account: '7', count: 2, of: 2 },
				{ account: '8', count: 0, of: 1 }
			],
			roads: [
				{ entryPoint: 'full', count: 1, of: 2 },
				{ entryPoint: 'api', count: 1, of: 1 }
			],
			days: [
				{ day: '2026-11-23', count: 1, of: 1 },
				{ day: '2026-11-24', count: 1, of: 2 },
				{ day: '2026-11-25', count: 0, of: 1 }
			],
			refusals: 2,
			admitted: [{ claim: 'limit:o', count: 1, people: [{ account: '8', count: 1 }] }]
		});
		expect(surprisesOf(r, { 'thing.c': ['thing.b'] }).map((s) => s.key)).toEqual([
			'follows thing.c',
			'admitted limit:o'
		]);
		const claims = r.fields.flatMap((f) => f.by.map((b) => b.claim));
		expect(unmet(before, after, claims)).toEqual([]);
		expect(unmet(before, after, ['sum:o'])).toEqual([
			{ rule: 'double', name: 'Rule on b', why: 'no difference' }
		]);
	});
});
