/** Rehearsing records against settling all of them at once. Rules of the demo, made-up records. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { EDITS, edited } from '../../../tests/demo-edits';
import { someValues } from '../../../tests/values';
import { zones } from '../../runtime/zones';
import { differing } from '../compare/differing';
import { Schema, refKey } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { toJson } from '../fields/codec';
import { compilePlan, type Plan } from '../plan/plan';
import { settle } from '../settle/settle';
import { recordsLoader, valuesFromJson } from '../trials/records';
import { add, num } from '../value/num';
import { same, type Value } from '../value/value';
import { Tally, together, type Rehearsal } from './count';
import { Linked, askedOf, rehearseRecord, rehearsing, type Move, type Rehearsing } from './record';
import { compileSelection, lookAt, untouched } from '../select/select';
import { followsFrom, surprisesOf, unrehearsed } from './surprises';

const schema = new Schema(demoModel);
const { set: start } = demoReleases[2];
const compiled = (set: RuleSet) => compilePlan(schema, set);
const before = compiled(start);
const NOW = Date.parse('2026-11-23T09:00:00Z');
const none = new Map<string, string[]>();
const held = (after: RuleSet, from: Plan = before, selection = null as Rehearsing['selector']) => {
	const plan = compiled(after);
	return rehearsing(differing(from, plan), plan, selection, NOW);
};
const field = (type: string, id: string) => schema.type(type).at.get(id)!;
const valuesOf = (type: string, json: Record<string, unknown>) =>
	valuesFromJson(schema, type, json as never);

interface Stored {
	type: string;
	id: string;
	values: readonly Value[];
}
const run = (r: Rehearsing, records: readonly Stored[], i = 0) => {
	const { type, id, values } = records[i];
	const loader = recordsLoader(schema, records);
	const of = { id, values, added: none };
	return rehearseRecord(r, type, of, askedOf(r, type), new Linked(r), loader, zones);
};
const one = (type: string, json: Record<string, unknown>): Stored[] => [
	{ type, id: '1', values: valuesOf(type, json) }
];

const types = demoModel.types.map((t) => t.id);
const ids = ['1', '2', '3'];
const store = fc
	.tuple(...types.flatMap((type) => ids.map(() => someValues(schema, type, ids))))
	.map((all) =>
		all.map((values, i): Stored => {
			const type = types[Math.floor(i / ids.length)];
			return { type, id: ids[i % ids.length], values: valuesOf(type, values) };
		})
	);

describe('a record rehearsed', () => {
	it('comes out as it does where all records are settled in one change, along links too', () => {
		let moved = 0;
		fc.assert(
			fc.property(fc.nat(EDITS.length - 1), store, (n, made) => {
				const after = EDITS[n];
				const together = (plan: Plan, records: readonly Stored[]) => {
					const all = records.map((x) => untouched(x.type, x.id, x.values, { inLine: false }));
					const change = { ...lookAt(all, NOW), onRequest: true };
					return settle(plan, change, recordsLoader(schema, records), { zones }).records;
				};
				// what does not differ is read as it is stored: it is in line
				const records = together(before, made)
					.slice(0, made.length)
					.map(({ type, id, values }): Stored => ({ type, id, values }));
				const all = [before, compiled(after)].map((plan) => together(plan, records));
				const r = held(after);
				records.forEach((of, i) => {
					const got = run(r, records, i);
					expect(got.partly).toBe(false);
					const whole = schema
						.type(of.type)
						.type.fields.flatMap((f, k) =>
							same(all[0][i].values[k], all[1][i].values[k])
								? []
								: [[f.id, toJson(all[0][i].values[k]), toJson(all[1][i].values[k])]]
						);
					moved += whole.length;
					expect(
						got.moves.map((m) => [
							schema.type(of.type).type.fields[m.index].id,
							toJson(m.from),
							toJson(m.to)
						])
					).toEqual(whole);
				});
			}),
			{ numRuns: 80 }
		);
		expect(moved).toBeGreaterThan(20);
	});

	it('says which claim gives the new value, and what is stored', () => {
		const { moves } = run(
			held(demoDraft),
			one('customer', { headcount: '55', size_class: 'large' })
		);
		const m = moves.find((x) => x.index === field('customer', 'size_class'))!;
		expect({ ...m, from: toJson(m.from), to: toJson(m.to) }).toEqual({
			index: field('customer', 'size_class'),
			stored: 'large',
			from: 'medium',
			to: 'small',
			claim: expect.stringMatching(/^size_class:/)
		});
	});

	it('reads linked records as the same rules would have them', () => {
		// Size class of the customer decides what a deal may give away
		const after = edited('size_class', (r) => ({ ...r, guard: { text: 'Headcount < 0' } }));
		const records: Stored[] = [
			...one('deal', { name: 'Roof', customer: '1', kind: 'new_build', stage: 'quotation' }),
			...one('customer', { headcount: '300', size_class: 'small' })
		];
		const r = held(after);
		expect(r.near.get('deal')).toEqual(new Set(['customer']));
		const at = field('deal', 'discount_limit_percent');
		const moved = run(r, records).moves.find((m) => m.index === at)!;
		expect([moved.from, moved.to].map(toJson)).toEqual(['10', '5']);
	});

	it('is refused by checks of the later rules alone, whatever the change concerns', () => {
		const check = start.rules.find((r) => r.body.kind === 'check' && r.type === 'deal')!;
		const without = {
			...start,
			rules: start.rules.filter((r) => r.body.kind !== 'check' || r.id === check.id)
		};
		const records = one('deal', { name: 'Roof', stage: 'quotation', close_date: '2026-01-01' });
		const strict = edited(
			check.id,
			(r) => ({
				...r,
				guard: null,
				body: {
					...(r.body as Extract<Rule['body'], { kind: 'check' }>),
					holds: { text: 'Name = "Wall"' },
					blocking: true
				}
			}),
			without
		);
		const refused = run(held(strict, compiled({ ...without, rules: [] })), records).refused;
		expect(refused.map((m) => m.claim.split(':')[0])).toEqual([check.id]);
		// what the earlier rules refuse as well is no news
		expect(run(held(strict, compiled(strict)), records).refused).toEqual([]);
		const off = edited(check.id, (r) => ({ ...r, off: true }), strict);
		expect(run(held(off, compiled(strict)), records).refused).toEqual([]);
	});

	/** Tells the desk when a condition comes to hold. */
	const telling = (type: string, when: string, subject: (string | { text: string })[]): Rule => ({
		...start.rules.find((r) => r.body.kind === 'message')!,
		id: 'told',
		type,
		moments: ['created', 'changed'],
		guard: { text: when },
		entering: true,
		watch: null,
		outputs: [],
		body: {
			kind: 'message',
			each: null,
			filter: null,
			to: { text: '"desk@quillmere.example"' },
			subject,
			text: ['Look at it.'],
			once: 'event'
		}
	});
	it('tells the messages that the step to the new values would send', () => {
		const won = telling('customer', 'Size class = "Small"', ['Now small']);
		const after = { ...demoDraft, rules: [...demoDraft.rules, won] };
		expect(compiled(after).problems).toEqual([]);
		const r = held(after);
		const told = run(r, one('customer', { headcount: '55', size_class: 'medium' }));
		expect(told.sends.map((s) => s.message.subject)).toEqual(['Now small']);
		// it was small before: it does not come to hold
		const small = run(r, one('customer', { headcount: '55', size_class: 'small' }));
		expect(small.sends).toEqual([]);
	});

	it('tells the messages that it would set off at linked records', () => {
		const said = telling('deal', 'Customer.\'Size class\' = "Small"', [
			'Small: ',
			{ text: 'Name' }
		]);
		const after = { ...demoDraft, rules: [...demoDraft.rules, said] };
		expect(compiled(after).problems).toEqual([]);
		const deal = (id: string, name: string, customer: string) => ({
			type: 'deal',
			id,
			values: valuesFromJson(schema, 'deal', { name, customer })
		});
		const firm = one('customer', { headcount: '55', size_class: 'medium' });
		const { id } = firm[0];
		const others = [deal('11', 'First', id), deal('12', 'Second', id), deal('13', 'Other', '77')];
		const told = run(held(after), [...firm, ...others]);
		expect(told.sends.map((s) => [s.type, s.id, s.message.subject])).toEqual([
			['deal', '11', 'Small: First'],
			['deal', '12', 'Small: Second']
		]);
		expect(told.partly).toBe(false);
		// one that leaves reached records out sends nothing there
		const own = { ...said, submittedOnly: true };
		const kept = run(held({ ...demoDraft, rules: [...demoDraft.rules, own] }), [
			...firm,
			...others
		]);
		expect(kept.sends).toEqual([]);
		// of very many some are left out, and that is said
		const many = Array.from({ length: 80 }, (_, i) => deal(String(100 + i), `D${i}`, id));
		const most = run(held(after), [...firm, ...many]);
		expect([most.sends.length, most.partly]).toEqual([60, true]);
	});
});

describe('a selection', () => {
	const of = (text: string, json: Record<string, unknown>) => {
		const { selector } = compileSelection(schema, { type: 'customer', condition: { text } });
		return run(held(demoDraft, before, selector), one('customer', json)).selected;
	};
	it('takes a record where its condition is true, and not where it cannot be told', () => {
		expect(of('Headcount > 50', { headcount: '55' })).toBe(true);
		expect(of('Headcount > 50', { headcount: '50' })).toBe(false);
		expect(of('Headcount > 50', {})).toBe(false);
	});
	it('names the place of what cannot be read', () => {
		const { problems } = compileSelection(schema, {
			type: 'customer',
			condition: { text: 'Headcount >' }
		});
		expect(problems.map((p) => p.message)).toEqual([expect.stringContaining('value is missing')]);
	});
});

describe('the figures', () => {
	const customer = schema.type('customer').type.fields;
	const index = field('customer', 'turnover');
	const some = fc.array(
		fc.record({
			from: fc.option(fc.integer({ min: -5_000_000, max: 5_000_000 })),
			to: fc.option(fc.integer({ min: -5_000_000, max: 5_000_000 })),
			overwritten: fc.boolean(),
			range: fc.nat(3)
		}),
		{ maxLength: 60 }
	);
	const cents = (n: number | null): Value => (n === null ? null : num(n / 100));

	it('are the same however the records were cut, and their sums exact', () => {
		fc.assert(
			fc.property(some, (moves) => {
				const tallied = (of: typeof moves, whole: boolean): Rehearsal => {
					const t = new Tally();
					of.forEach((m, i) => {
						const move: Move = {
							index,
							stored: cents(m.from),
							from: cents(m.from),
							to: cents(m.to),
							claim: m.range % 2 ? 'a:o' : null
						};
						t.looked++;
						t.move('customer', customer[index], move, {
							id: String(i),
							title: 'x',
							overwritten: m.overwritten
						});
					});
					return t.told(whole);
				};
				const cut = [0, 1, 2, 3].map((n) =>
					tallied(
						moves.filter((m) => m.range === n),
						false
					)
				);
				const [a] = together(cut).fields;
				const [b] = tallied(moves, true).fields;
				expect([a === undefined, b === undefined]).toEqual([!moves.length, !moves.length]);
				if (!moves.length) return;
				const sorted = (xs: readonly { count: number }[]) =>
					[...xs].sort((x, y) => JSON.stringify(x).localeCompare(JSON.stringify(y)));
				const plain = (f: typeof a) => ({
					...f,
					moves: sorted(f.moves),
					by: sorted(f.by),
					shift: { ...f.shift, largest: f.shift!.largest.map((x) => [x.from, x.to].join()).length }
				});
				expect(plain(a)).toEqual(plain(b));
				expect(a.count).toBe(moves.length);
				const sum = moves
					.map((m) => num((m.to ?? 0) / 100))
					.reduce<ReturnType<typeof add>>((n, x) => n && add(n, x), num(0));
				expect(a.shift!.after.sum).toBe(String(sum));
				expect(a.shift!.after.bins.reduce((n, [, x]) => n + x, 0) + a.shift!.after.blank).toBe(
					moves.length
				);
				expect(a.blanked).toBe(moves.filter((m) => m.to === null && m.from !== null).length);
				expect(a.overwritten).toBe(moves.filter((m) => m.overwritten).length);
			})
		);
	});

	it('stay small however many values there are', () => {
		const t = new Tally();
		for (let i = 0; i < 20_000; i++)
			t.move(
				'customer',
				customer[index],
				{ index, stored: null, from: num(i), to: num(i * 3 + 1), claim: null },
				{ id: String(i), title: 'x', overwritten: false }
			);
		const [f] = t.told(true).fields;
		expect(f.moves).toHaveLength(60);
		expect(f.shift!.after.bins.length).toBeLessThan(500);
		expect(f.shift!.largest).toHaveLength(10);
		// the largest changes first
		expect(f.shift!.largest[0]).toMatchObject({ from: '19999', to: '59998' });
	});
});

describe('surprises', () => {
	it('name fields that move though none of their rules was edited, and what these follow from', () => {
		const d = differing(before, compiled(edited('size_class', (r) => ({ ...r, off: true }))));
		const follows = followsFrom(d);
		expect([...d.edited]).toEqual([refKey('customer', 'size_class')]);
		expect(follows['customer.size_class']).toBeUndefined();
		expect(follows['deal.discount_limit_percent']).toEqual(['customer.size_class']);
	});

	it('come worst first, then by how many records', () => {
		const f = { moves: [], by: [], shift: null };
		const r: Rehearsal = {
			looked: 9,
			records: 9,
			partly: 0,
			fields: [
				{ type: 'a', field: 'x', count: 900, overwritten: 0, blanked: 2, ...f },
				{ type: 'a', field: 'y', count: 5, overwritten: 3, blanked: 5, ...f }
			],
			refused: [{ type: 'a', field: 'x', claim: 'c:o', count: 1, text: '', people: [] }],
			sends: [{ type: 'a', claim: 'm:o', count: 4, records: 4, texts: [] }]
		};
		expect(surprisesOf(r, { 'a.x': ['b.z'] }).map((s) => s.key)).toEqual([
			'overwritten a.y',
			'refused c:o',
			'blanked a.y',
			'blanked a.x',
			'follows a.x',
			'sends m:o'
		]);
	});

	it('list edited rules of which records that exist show nothing', () => {
		const ofKind = (why: string) =>
			unrehearsed({ rules: [], order: {} }, start, before)
				.filter((u) => u.why === why)
				.map((u) => u.rule);
		expect(ofKind('event')).toContain('stage_stamp');
		expect(ofKind('fill')).toContain('phases');
		expect(ofKind('message').length).toBeGreaterThan(0);
		const all = (['event', 'once', 'fill', 'message', 'not on request'] as const).flatMap(ofKind);
		expect(all).not.toContain('size_class');
		expect(unrehearsed(start, start, before)).toEqual([]);
	});
});
