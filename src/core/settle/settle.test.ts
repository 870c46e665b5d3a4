import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Body } from '../document/rules';
import { misfit } from '../fields/codec';
import { Schema } from '../document/model';
import { compilePlan } from '../plan/plan';
import { formula, outcome, planOf, rule, run, schema, setOf } from '../../../tests/world';
import { reason } from '../explain/reason';

const bands: Body = {
	kind: 'bands',
	input: formula('a'),
	limits: [0, 10, 50, 250].map((n) => ({ at: String(n), belongs: 'above' as const })),
	results: [null, ['micro'], ['small'], ['medium'], ['large']],
	blank: { none: true }
};
const sizeRule = () =>
	rule('size', bands, { kind: 'categorize', output: { hold: 'locked', none: 'clear' } });

describe('bands', () => {
	// EU Recommendation 2003/361/EC, annex, article 2: staff below 10 micro, below 50 small, below 250 medium
	it.each([
		['0', 'micro'],
		['9', 'micro'],
		['9.5', 'micro'],
		['10', 'small'],
		['11', 'small'],
		['49', 'small'],
		['49.99', 'small'],
		['50', 'medium'],
		['51', 'medium'],
		['249', 'medium'],
		['250', 'large'],
		['251', 'large'],
		['18000', 'large'],
		[null, null],
		['-1', null]
	])('of headcount %s give %s', (a, size) => {
		const plan = planOf(sizeRule());
		expect(run(plan, { a }, { was: { a: '77', size: 'medium' } }).json.size).toBe(size);
		expect(run(plan, { a }, { was: null }).json.size).toBe(size);
	});

	it('say to which band a limit belongs', () => {
		const below: Body = {
			...bands,
			limits: bands.limits.map((l) => ({ ...l, belongs: 'below' }))
		} as Body;
		const plan = planOf(rule('size', below, { output: { none: 'clear' } }));
		expect(run(plan, { a: '10' }).json.size).toBe('micro');
		expect(run(plan, { a: '10.01' }).json.size).toBe('small');
	});

	it('must rise, and fit their results', () => {
		const wrong: Body = {
			...bands,
			limits: [
				{ at: '10', belongs: 'above' },
				{ at: '5', belongs: 'above' }
			],
			results: [['micro'], ['small'], ['huge']]
		} as Body;
		const plan = planOf(rule('size', wrong));
		expect(plan.problems.map((p) => p.message).join(' ')).toMatch(
			/must rise: 5 stands behind 10.*no option “huge”/
		);
	});
});

describe('hold', () => {
	it('Locked: the field equals the rule, and what was sent is set aside and reported', () => {
		const plan = planOf(sizeRule());
		const r = run(plan, { size: 'large' }, { was: { a: '5', size: 'micro' }, entry: 'import' });
		expect(r.json.size).toBe('micro');
		expect(r.changes).toEqual([]);
		expect(r.setAside).toMatchObject([
			{ field: 'size', sent: 'large', stands: 'micro', why: 'locked' }
		]);
		expect([...r.readOnly.keys()]).toEqual(['size']);
	});

	it('Locked: a record from before the rule comes into line at its next change, one in line is left alone', () => {
		const plan = planOf(sizeRule());
		const stale = { a: '5', size: 'large' };
		expect(run(plan, { t: 'x' }, { was: stale, inLine: false }).json.size).toBe('micro');
		expect(outcome(run(plan, { t: 'x' }, { was: { a: '5', size: 'micro' } }), 'size')).toEqual([
			'not triggered'
		]);
	});

	it('Locked may not depend on the event, narrow itself or leave', () => {
		for (const more of [
			{ if: 'changed(a)' },
			{ watch: ['b'] },
			{ entryPoints: ['full' as const] },
			{ moments: ['created' as const] },
			{ output: { hold: 'locked' as const, none: 'leave' as const } }
		]) {
			const r = rule('b', 'a + 1', { output: { hold: 'locked' }, ...more });
			expect(planOf(r).problems, JSON.stringify(more)).not.toEqual([]);
		}
		for (const f of ['was.b + 1', 'sent.a', 'if today > @"2026-01-01" then 1 else 2'])
			expect(planOf(rule('b', f, { output: { hold: 'locked' } })).problems).not.toEqual([]);
	});

	it('Follow: writes when a watched field changes, and only then', () => {
		const plan = planOf(rule('b', 'a * 2'));
		expect(run(plan, { a: '3' }, { was: { a: '1', b: '9' } }).json.b).toBe('6');
		expect(run(plan, { t: 'x' }, { was: { a: '1', b: '9' } }).json.b).toBe('9');
		expect(run(plan, { b: '5' }, { was: { a: '1', b: '2' } }).json.b).toBe('5');
	});

	it('Follow: moves on when the claim above it lets go', () => {
		const plan = planOf(rule('b', '100', { if: 'flag' }), rule('b', 'a * 2'));
		expect(run(plan, { flag: false }, { was: { a: '4', b: '100', flag: true } }).json.b).toBe('8');
		expect(run(plan, { flag: true }, { was: { a: '4', b: '8' } }).json.b).toBe('100');
	});

	it('Fill: writes while the field is blank and nobody cleared it in this change', () => {
		const plan = planOf(
			rule('size', '"Small"', {
				output: { hold: 'fill' },
				if: 'flag',
				body: {
					kind: 'formula',
					formulas: [{ expr: { k: 'option', list: 'size', option: 'small' } }]
				}
			})
		);
		expect(run(plan, { flag: true }).json.size).toBe('small');
		expect(run(plan, { flag: true }, { was: { size: 'large' } }).json.size).toBe('large');
		const cleared = run(plan, { flag: true, size: null }, { was: { size: 'large' } });
		expect(cleared.json.size).toBeNull();
		expect(outcome(cleared, 'size')).toEqual(['cleared by hand']);
		// what it watches is touched afterwards: the rule has the field again
		const again = run(plan, { size: null, flag: true }, { was: { size: 'large' } });
		expect(again.json.size).toBe('small');
		// a file has no order: cleared is cleared
		const file = run(plan, { size: null, flag: true }, { was: { size: 'large' }, keep: [] });
		expect(file.json.size).toBeNull();
	});

	it('19 Fill is an event: what was cleared does not come back because of something else', () => {
		const fill = rule('b', '3', { output: { hold: 'fill' }, if: 'flag' });
		const plan = planOf(fill);
		const was = { flag: true, b: null };
		expect(outcome(run(plan, { t: 'x' }, { was }), 'b')).toEqual(['not triggered']);
		expect(run(plan, { flag: true }, { was: { flag: false } }).json.b).toBe('3');
		const start = planOf(rule('b', '3', { output: { hold: 'fill' } }));
		expect(run(start, {}, { was: null }).json.b).toBe('3');
		expect(run(start, { t: 'x' }, { was: {} }).json.b).toBeNull();
		// on request it runs only where filling blanks is asked for
		expect(outcome(run(plan, {}, { was, onRequest: true }), 'b')).toEqual(['event left out']);
		const asked = run(plan, {}, { was, onRequest: true, fillBlanks: true });
		expect(asked.json.b).toBe('3');
	});

	it('Once: at creation, if nothing was sent', () => {
		const plan = planOf(rule('boss', 'person', { output: { hold: 'once' } }));
		expect(run(plan, { t: 'x' }, { was: null }).json.boss).toBe('7');
		expect(run(plan, { boss: '3' }, { was: null }).json.boss).toBe('3');
		expect(run(plan, { t: 'x' }, { was: {} }).json.boss).toBeNull();
	});

	it('closed to people: what is sent for it is set aside while the claim applies', () => {
		const plan = planOf(rule('at', 'now', { if: 'changed(stage)', output: { closed: true } }));
		const r = run(plan, { stage: 'won', at: '2001-01-01T00:00:00Z' }, { was: { stage: 'offer' } });
		expect(r.json.at).toBe('2026-11-23T09:00:00.000Z');
		expect(r.setAside).toMatchObject([{ field: 'at', why: 'closed' }]);
	});
});

describe('what starts a rule', () => {
	it('narrowed watch: a stamp when the phone changes, not when anything else does', () => {
		const plan = planOf(rule('day', 'today', { watch: ['t'] }));
		expect(run(plan, { t: 'x' }).json.day).toBe('2026-11-23');
		expect(run(plan, { u: 'x' }).json.day).toBeNull();
		expect(run(plan, { u: 'x' }, { was: null }).json.day).toBeNull();
		expect(run(plan, { t: 'x' }, { was: null }).json.day).toBe('2026-11-23');
	});

	it('today is the day in the workspace’s zone', () => {
		const plan = planOf(rule('day', 'today', { watch: ['t'] }));
		expect(run(plan, { t: 'x' }, { at: '2026-11-23T23:30:00Z' }).json.day).toBe('2026-11-24');
	});

	it('entry points and moments are obeyed, and said', () => {
		const plan = planOf(
			rule('b', 'a', { entryPoints: ['full'] }),
			rule('c', 'a', { moments: ['created'] })
		);
		const r = run(plan, { a: '1' }, { entry: 'api' });
		expect([r.json.b, r.json.c]).toEqual([null, null]);
		expect([...outcome(r, 'b'), ...outcome(r, 'c')]).toEqual([
			'entry point left out',
			'moment left out'
		]);
		expect(run(plan, { a: '1' }, { was: null }).json).toMatchObject({ b: '1', c: '1' });
	});

	it('on entering: only when the guard comes to hold', () => {
		const plan = planOf(rule('was_stage', 'was.stage', { if: 'stage = "Lost"', entering: true }));
		expect(run(plan, { stage: 'lost' }, { was: { stage: 'offer' } }).json.was_stage).toBe('offer');
		const again = run(
			plan,
			{ stage: 'lost', t: 'x' },
			{ was: { stage: 'lost', was_stage: 'offer' } }
		);
		expect(again.json.was_stage).toBe('offer');
		expect(planOf(rule('b', '1', { if: 'was.a = 1', entering: true })).problems).not.toEqual([]);
	});

	it('changed, moved, forward and back', () => {
		const plan = planOf(
			rule('b', 'otherwise(was.b, 0) + 1', { if: 'moved back(stage)' }),
			rule('c', '1', { if: 'moved forward(stage)' }),
			rule('d', '1', { if: 'moved(stage, "Offer", "Won")' }),
			rule('e', '1', { if: 'changed(stage)' })
		);
		const move = (from: string | null, to: string | null) => {
			const { b, c, d, e } = run(plan, { stage: to }, { was: { stage: from } }).json;
			return [b, c, d, e];
		};
		expect(move('offer', 'won')).toEqual([null, '1', '1', '1']);
		expect(move('won', 'survey')).toEqual(['1', null, null, '1']);
		expect(move(null, 'survey')).toEqual([null, null, null, '1']);
		expect(move('won', 'won')).toEqual([null, null, null, null]);
	});
});

describe('decided cases', () => {
	it('1 blank: spaces are blank, text is trimmed', () => {
		const plan = planOf(rule('u', 'text'));
		expect(run(plan, { t: '  x ' }).json).toMatchObject({ t: 'x', u: 'x' });
		expect(run(plan, { t: '   ' }, { was: { t: 'x', u: 'x' } }).json).toMatchObject({
			t: null,
			u: 'x'
		});
	});

	it('2 changed compares typed values: 10 and 10.00, sets without order', () => {
		const plan = planOf(rule('b', 'a'), rule('c', 'count(sizes)'));
		const r = run(
			plan,
			{ a: '10.00', sizes: ['small', 'micro'] },
			{ was: { a: '10', sizes: ['micro', 'small'] } }
		);
		expect(r.changes).toEqual([]);
	});

	it('2 a set has no order in a formula either', () => {
		const plan = planOf(
			rule('flag', 'sizes = ["Small", "Micro"]'),
			rule('t', 'if sizes != ["Small", "Micro"] then "other" else "same"')
		);
		expect(plan.problems).toEqual([]);
		for (const sizes of [
			['micro', 'small'],
			['small', 'micro']
		])
			expect(run(plan, { sizes }).json).toMatchObject({ flag: true, t: 'same' });
		expect(run(plan, { sizes: ['small', 'large'] }).json).toMatchObject({
			flag: false,
			t: 'other'
		});
	});

	it('3 creation: every field that is not blank has changed', () => {
		expect(
			run(planOf(rule('b', '1', { if: 'changed(a)' })), { a: '1' }, { was: null }).json.b
		).toBe('1');
		expect(
			run(
				planOf(rule('b', '1', { if: 'stage = "Won"', entering: true })),
				{ stage: 'won' },
				{ was: null }
			).json.b
		).toBe('1');
	});

	it('6 forms: the field touched last wins, and back to the stored value is no change', () => {
		const plan = planOf(rule('b', 'a * 2'));
		expect(run(plan, { b: '5', a: '3' }, { was: { a: '1', b: '2' } }).json.b).toBe('6');
		const kept = run(plan, { a: '3', b: '5' }, { was: { a: '1', b: '2' } });
		expect(kept.json.b).toBe('5');
		expect(outcome(kept, 'b')).toEqual(['kept']);
		expect(run(plan, { a: '1' }, { was: { a: '1', b: '2' } }).changes).toEqual([]);
	});

	it('6 forms: a touch counts through rules in between', () => {
		const plan = planOf(rule('b', 'a'), rule('c', 'b'));
		expect(run(plan, { c: '9', a: '3' }, { was: { a: '1', b: '1', c: '1' } }).json.c).toBe('3');
		expect(run(plan, { a: '3', c: '9' }, { was: { a: '1', b: '1', c: '1' } }).json.c).toBe('9');
	});

	it('6 and 7 import and API: a triggered Follow wins unless the field is kept', () => {
		const plan = planOf(rule('b', 'a * 2'));
		for (const was of [null, { a: '1', b: '2' }]) {
			expect(run(plan, { a: '3', b: '5' }, { was, keep: [] }).json.b).toBe('6');
			expect(run(plan, { a: '3', b: '5' }, { was, keep: ['b'] }).json.b).toBe('5');
		}
	});

	it('9 on request: standing claims count as triggered, what depends on an event is left out', () => {
		const plan = planOf(
			rule('b', 'a * 2'),
			rule('c', 'otherwise(was.c, 0) + 1'),
			rule('at', 'now')
		);
		const r = run(plan, {}, { was: { a: '4', b: '1' }, onRequest: true });
		expect(r.json).toMatchObject({ b: '8', c: null, at: null });
		expect(outcome(r, 'c')).toEqual(['event left out']);
	});

	it('11 retired options stay where they are', () => {
		const m = structuredClone(schema.model);
		m.lists[0].options[3].retired = true;
		const retired = new Schema(m);
		const f = retired.field('thing', 'size')!;
		expect(misfit(f, 'large', 'large', retired)).toBeNull();
		expect(misfit(f, 'large', 'small', retired)).toContain('retired');
		// a rule cannot choose it anew either
		const plan = compilePlan(retired, setOf(sizeRule()));
		const r = run(plan, { a: '300' }, { was: { a: '5', size: 'micro' } });
		expect(r.json.size).toBe('micro');
		expect(r.failures[0].message).toContain('retired');
	});

	it('16 a claim that fails leaves its field as it was; the rest goes through', () => {
		const plan = planOf(
			rule('b', 'count(for i in 1..100000000 return i)', { watch: ['a'] }),
			rule('c', 'a')
		);
		const r = run(plan, { a: '1' }, { was: { b: '7' } });
		expect(r.json).toMatchObject({ a: '1', b: '7', c: '1' });
		expect(r.failures).toMatchObject([{ field: 'b' }]);
	});
});

describe('18 a Locked claim without a result', () => {
	const double = rule('b', 'A * 2', { output: { hold: 'locked' } });
	const was = { a: '5', b: '10' };
	it('clears the field, and what was sent is set aside', () => {
		const plan = planOf(double);
		const r = run(plan, { a: null }, { was });
		expect([r.json.b, outcome(r, 'b')]).toEqual([null, ['cleared']]);
		expect(reason(plan, r.reports[0])).toBe('A is blank');
		const sent = run(plan, { a: null, b: '7' }, { was });
		expect(sent.json.b).toBeNull();
		expect(sent.setAside).toMatchObject([{ field: 'b', sent: expect.anything(), why: 'locked' }]);
		expect([...sent.readOnly.keys()]).toEqual(['b']);
		// nobody sets it while its source is blank, either
		expect(run(plan, { b: '7' }, { was: {} }).json.b).toBeNull();
	});
	it('gives way to a claim below that applies and has one', () => {
		const below = rule('b', '1', { output: { hold: 'fill' }, if: 'Flag' });
		const plan = planOf(double, below);
		const with_ = run(plan, { flag: true }, { was: {} });
		expect([with_.json.b, outcome(with_, 'b')]).toEqual(['1', ['no result', 'wrote']]);
		expect([...with_.readOnly.keys()]).toEqual([]);
		expect(run(plan, { a: null }, { was: { ...was, flag: false } }).json.b).toBeNull();
	});
	it('is cleared too where what stands below leaves the field, or fails', () => {
		const leaves = rule('b', 'C', { output: { none: 'leave' } });
		const fails = rule('b', 'count(for i in 1..100000000 return i)', { watch: ['a'] });
		for (const below of [leaves, fails]) {
			const r = run(planOf(double, below), { a: null }, { was });
			expect(r.json.b).toBeNull();
			expect([...r.readOnly.keys()]).toEqual(['b']);
		}
	});
	it('lets go when its condition is false or unknown: the last value stays, and people may set it', () => {
		const plan = planOf({ ...double, guard: formula('Flag') });
		for (const flag of [false, null]) {
			const r = run(plan, { flag, a: null }, { was: { ...was, flag: true } });
			expect([r.json.b, [...r.readOnly.keys()]]).toEqual(['10', []]);
			expect(run(plan, { b: '7' }, { was: { ...was, flag } }).json.b).toBe('7');
		}
	});
});

describe('one pass', () => {
	it('settles in the order of what is read, whatever the order of the rules', () => {
		const rules = [rule('d', 'c + 1'), rule('c', 'b + 1'), rule('b', 'a + 1')];
		for (const list of [rules, [...rules].reverse(), [rules[1], rules[0], rules[2]]])
			expect(run(planOf(...list), { a: '1' }).json).toMatchObject({ b: '2', c: '3', d: '4' });
	});

	it('refuses a circle and shows the path, and the rest still works', () => {
		const plan = planOf(rule('b', 'c'), rule('c', 'd'), rule('d', 'b'), rule('e', 'a'));
		expect(plan.problems[0].message).toMatch(/Thing: \w → Thing: \w → Thing: \w → Thing: \w/);
		expect(plan.problems.length).toBe(3);
		expect(run(plan, { a: '1' }).json.e).toBe('1');
	});

	it('refuses a formula that reads the settled value of its own field, and offers the images', () => {
		expect(planOf(rule('b', 'b + 1')).problems[0].message).toMatch(/was\.B .*sent\.B/);
		expect(planOf(rule('b', 'was.b + a')).problems).toEqual([]);
	});

	it('lets two fields convert into each other through what was sent', () => {
		const plan = planOf(rule('b', 'sent.a * 2'), rule('a', 'sent.b / 2'));
		expect(run(plan, { a: '4' }, { was: { a: '1', b: '2' } }).json).toMatchObject({
			a: '4',
			b: '8'
		});
		expect(run(plan, { b: '6' }, { was: { a: '1', b: '2' } }).json).toMatchObject({
			a: '3',
			b: '6'
		});
	});

	it('cleans a field where it is entered, and a second time changes nothing', () => {
		const plan = planOf(rule('t', 'squeeze(sent.text)'));
		const once = run(plan, { t: 'a   b' }).json.t;
		expect(once).toBe('a b');
		expect(run(plan, { t: once }, { was: { t: once } }).changes).toEqual([]);
	});

	it('rounds money half-even to the digits of its currency', () => {
		const plan = planOf(rule('money', 'a'), rule('yen', 'a'));
		expect(run(plan, { a: '2.345' }).json).toMatchObject({ money: '2.34', yen: '2' });
		expect(run(plan, { a: '2.355' }).json).toMatchObject({ money: '2.36', yen: '2' });
		expect(run(plan, { a: '3.5' }).json.yen).toBe('4');
	});
});

describe('amounts whose currency another field tells', () => {
	const withCurrency = new Schema({
		...schema.model,
		lists: [
			...schema.model.lists,
			{
				id: 'currency',
				label: 'Currency',
				options: ['EUR', 'JPY', 'KWD'].map((c) => ({ id: c.toLowerCase(), label: c }))
			}
		],
		types: schema.model.types.map((t) => ({
			...t,
			fields: [
				...t.fields.map((f) => (f.id === 'money' ? { ...f, currencyField: 'cur' } : f)),
				{ id: 'cur', label: 'Currency', group: 'G', type: 'choice' as const, list: 'currency' }
			]
		}))
	});
	// ISO 4217: EUR has two digits, JPY none, KWD three
	it.each([
		['eur', '1.23'],
		['jpy', '1'],
		['kwd', '1.234'],
		[null, '1.2345']
	])('%s: entered and derived alike are rounded to %s', (cur, want) => {
		const entered = compilePlan(withCurrency, { rules: [], order: {} });
		expect(run(entered, { money: '1.2345', cur }).json.money).toBe(want);
		const derived = compilePlan(withCurrency, { rules: [rule('money', 'A')], order: {} });
		expect(run(derived, { a: '1.2345', cur }).json.money).toBe(want);
	});
	it('follow a currency that a rule gives', () => {
		const byRule = rule('cur', {
			kind: 'formula',
			formulas: [{ expr: { k: 'option', list: 'currency', option: 'jpy' } }]
		});
		const plan = compilePlan(withCurrency, { rules: [byRule], order: {} });
		expect(run(plan, { money: '99.5' }, { was: null }).json.money).toBe('100');
	});
});

describe('what is not at hand', () => {
	it('leaves the field as it is and says so; a blank link needs nothing', () => {
		const plan = planOf(rule('b', 'boss.a + 1'), rule('c', 'a'));
		const r = run(plan, { boss: '5', a: '1' }, { was: { b: '3' } });
		expect([r.json.b, r.json.c]).toEqual(['3', '1']);
		expect(outcome(r, 'b')).toEqual(['pending']);
		expect(outcome(run(plan, { boss: null }, { was: { boss: '5', b: '3' } }), 'b')).toEqual([
			'no result'
		]);
	});
});

describe('explanations', () => {
	it('give a reason for every outcome', () => {
		const plan = planOf(
			sizeRule(),
			rule('b', '1', { if: 'a > 100 and flag' }),
			rule('c', 'a'),
			rule('c', 'a + 1'),
			rule('d', 'e')
		);
		const r = run(plan, { a: '60' }, { was: { a: '5', size: 'micro' } });
		const say = (f: string) => r.reports.filter((x) => x.field === f).map((x) => reason(plan, x));
		expect(say('size')).toEqual(['A 60 is in [50..250), the third band']);
		expect(say('b')).toEqual(['“A is more than 100” is not so: A is 60']);
		expect(say('c')[1]).toBe('“Rule on c” comes first');
		expect(say('d')).toEqual(['E did not change']);
		const unknown = run(plan, { a: '160' });
		expect(
			unknown.reports.filter((x) => x.field === 'b').map((x) => [x.outcome, reason(plan, x)])
		).toEqual([['guard unknown', 'it is unknown whether “Flag is yes”: Flag is blank']]);
	});
});

// ---- properties -----------------------------------------------------------------------------------

const fields = ['a', 'b', 'c', 'd', 'e', 'f'];
const formulaFor = (target: number) =>
	fc.oneof(
		fc
			.tuple(fc.nat(target - 1), fc.integer({ min: -3, max: 3 }))
			.map(([s, n]) => `${fields[s]} + ${n < 0 ? `(${n})` : n}`),
		fc
			.tuple(fc.nat(target - 1), fc.nat(target - 1))
			.map(([s, t]) => `if ${fields[s]} > 2 then ${fields[t]} else ${fields[s]} * 2`),
		fc.nat(target - 1).map((s) => `if ${fields[s]} = 1 then null else ${fields[s]}`)
	);
const ruleSets = fc.array(
	fc.integer({ min: 1, max: 5 }).chain((target) =>
		fc.record({
			target: fc.constant(target),
			text: formulaFor(target),
			hold: fc.constantFrom('locked' as const, 'follow' as const, 'fill' as const),
			none: fc.constantFrom('next' as const, 'clear' as const),
			guard: fc.option(
				fc.nat(target - 1).map((s) => `${fields[s]} > 0`),
				{ nil: undefined }
			)
		})
	),
	{ minLength: 1, maxLength: 6 }
);
const values = fc.dictionary(
	fc.constantFrom(...fields),
	fc.option(fc.integer({ min: -4, max: 6 }).map(String), { nil: null }),
	{ noNullPrototype: true }
);
const build = (
	specs: {
		target: number;
		text: string;
		hold: 'locked' | 'follow' | 'fill';
		none: 'next' | 'clear';
		guard: string | undefined;
	}[]
) =>
	specs.map((s) =>
		rule(fields[s.target], s.text, { output: { hold: s.hold, none: s.none }, if: s.guard })
	);

describe('properties', () => {
	it('the same change gives the same result, and settling what is settled writes nothing', () => {
		fc.assert(
			fc.property(ruleSets, values, values, (specs, was, sent) => {
				const plan = planOf(...build(specs));
				expect(plan.problems).toEqual([]);
				const first = run(plan, sent, { was });
				expect(run(plan, sent, { was }).json).toEqual(first.json);
				expect(run(plan, {}, { was: first.json }).changes).toEqual([]);
			}),
			{ numRuns: 200 }
		);
	});

	it('a field whose Locked claim applies is after every change what it is when settled from nothing', () => {
		fc.assert(
			fc.property(ruleSets, values, fc.array(values, { maxLength: 4 }), (specs, start, changes) => {
				const plan = planOf(...build(specs.map((s) => ({ ...s, hold: 'locked' as const }))));
				let { json } = run(plan, start, { was: null });
				for (const sent of changes) {
					const now = run(plan, sent, { was: json });
					json = now.json;
					// of a field that is held now nothing is given, whatever stood there before
					const free = fields.filter((f) => !now.readOnly.has(f));
					const inputs = Object.fromEntries(free.map((f) => [f, json[f]]));
					expect(run(plan, inputs, { was: null }).json).toEqual(json);
				}
			}),
			{ numRuns: 150 }
		);
	});

	it('the order in which rules on different fields are listed does not matter', () => {
		fc.assert(
			fc.property(ruleSets, values, values, (specs, was, sent) => {
				const single = specs.filter((s, i) => specs.findIndex((x) => x.target === s.target) === i);
				const rules = build(single);
				expect(run(planOf(...rules), sent, { was }).json).toEqual(
					run(planOf(...[...rules].reverse()), sent, { was }).json
				);
			}),
			{ numRuns: 150 }
		);
	});

	it('a change that changes nothing writes nothing', () => {
		fc.assert(
			fc.property(ruleSets, values, (specs, was) => {
				const plan = planOf(...build(specs.map((s) => ({ ...s, hold: 'follow' as const }))));
				const same = Object.fromEntries(Object.entries(was));
				expect(run(plan, same, { was }).changes).toEqual([]);
			})
		);
	});
});
