import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases, formula } from '../../../demo/rules';
import { demoTrials } from '../../../demo/trials';
import { checkRule, checkTrial } from '../../door';
import { zones } from '../../runtime/zones';
import { sayPlain, type SayValue } from '../conditions/words';
import { canonicalJson } from '../document/canonical';
import { Schema } from '../document/model';
import { compilePlan } from '../plan/plan';
import type { Rule } from '../document/rules';
import { runSteps, runTrial, type Trial } from '../trials/trials';
import { alterationsOf } from './alter';
import { cover, triedBy } from './cover';
import { provenAlike } from './alike';
import { pointsOf } from './points';
import { propose } from './propose';
import { strengthOf } from './strength';

const { set } = demoReleases.at(-1)!;
const plan = compilePlan(new Schema(demoModel), set);
const say: SayValue = (f, v) => sayPlain(f, v, plan.schema);
const byId = new Map(set.rules.map((r) => [r.id, r]));
const covered = (trials: readonly Trial[], of = plan, rules = set) =>
	cover(of, rules, trials, zones, say);
const tried = (rules: ReturnType<typeof covered>) =>
	rules.flatMap((r) => r.points).filter((p) => p.trials.length).length;
const bands = set.rules.find(
	(r) => r.body.kind === 'bands' && r.outputs[0].field === 'size_class'
)!;

describe('what trials try', () => {
	const headcount = (v: string | null, expected: Trial['expect']): Trial => ({
		id: `h${v}`,
		name: '',
		type: 'customer',
		was: { country: 'netherlands', headcount: '48' },
		sent: [['headcount', v]],
		entryPoint: 'full',
		at: '2026-11-23T09:00:00Z',
		expect: expected
	});
	const labelsOf = (rule: Rule, t: Trial) => {
		const { points } = covered([t]).find((r) => r.rule === rule.id)!;
		return points.filter((p) => p.trials.length).map((p) => p.label);
	};
	const labels = (t: Trial) => labelsOf(bands, t);
	const size = (value: string | null) => [{ field: 'size_class', value }];

	it('both sides of a limit, the limit itself on the side to which it belongs', () => {
		expect(labels(headcount('10', size('small')))).toContain('Headcount exactly 10');
		expect(labels(headcount('10', size('small')))).not.toContain('Headcount just below 10');
		expect(labels(headcount('9', size('micro')))).toContain('Headcount just below 10');
		// what belongs above has no side of its own just above
		expect(labels(headcount('11', size('small'))).join()).not.toContain('above 10');
		// 20 is on neither side of any limit
		expect(labels(headcount('20', size('small'))).join()).not.toContain('Headcount');
	});
	it('the band, and a blank', () => {
		expect(labels(headcount('20', size('small')))).toContain('10 to below 50');
		expect(labels(headcount(null, size(null)))).toContain('what it reads is blank');
	});
	it('each cell of a decision table: a record that its row would take but for that cell', () => {
		const lift = byId.get('size_lift')!;
		// row 2: headcount under 50, turnover above 10 million, balance sheet above 10 million
		const at = (people: string, turnover: string, balance: string) =>
			labelsOf(lift, {
				...headcount(people, size(null)),
				was: { country: 'netherlands', turnover, balance_sheet_total: balance }
			});
		expect(at('20', '20000000', '20000000')).not.toContain('all of row 2 but Headcount');
		expect(at('60', '20000000', '20000000')).toContain('all of row 2 but Headcount');
		expect(at('20', '9000000', '20000000')).toContain('all of row 2 but Turnover');
		expect(at('20', '20000000', '9000000')).toContain('all of row 2 but Balance sheet total');
		// two cells fail: none of them alone
		const both = at('20', '9000000', '9000000').filter((l) => l.startsWith('all of row 2'));
		expect(both).toEqual([]);
		// what asks for nothing has no point
		const limit = byId.get('discount_limit')!;
		const points = pointsOf(plan, limit, say).map((p) => p.label);
		expect(points).toContain('all of row 1 but Size class');
		expect(points).toContain('all of row 6 but Kind');
		expect(points).not.toContain('all of row 6 but Size class');
	});
	it('nothing where the trial expects nothing of what the rule writes', () => {
		expect(labels(headcount('10', [{ field: 'country', stays: true }]))).toEqual([]);
		expect(labels(headcount('10', [{ rule: bands.id, writes: true }]))).not.toEqual([]);
		expect(labels(headcount('10', [{ refused: false }]))).toEqual([]);
	});
	it('of a trial that cannot be run: nothing', () => {
		expect(triedBy(plan, byId, { ...headcount('10', size('small')), at: 'never' }, zones)).toEqual(
			[]
		);
	});
	it('a switched off rule has nothing to be tried', () => {
		const off = { ...set, rules: set.rules.map((r) => (r === bands ? { ...r, off: true } : r)) };
		const rules = covered([], compilePlan(plan.schema, off), off);
		expect(rules.some((r) => r.rule === bands.id)).toBe(false);
	});
	it('every point has a key of its own, words, and no identity of what it speaks of in them', () => {
		const all = covered([]).flatMap((r) => r.points);
		expect(new Set(all.map((p) => p.key)).size).toBe(all.length);
		for (const p of all) {
			expect(p.label).toMatch(/\S/);
			expect(p.label).not.toMatch(/[a-z]_[a-z]/);
		}
	});
});

describe('trials that are proposed', () => {
	const before = covered(demoTrials);
	const all = before.flatMap((r) => {
		const open = r.points.filter((p) => !p.trials.length);
		return propose(plan, set, byId.get(r.rule)!, open, zones).map((p, i) => ({
			...p,
			trial: { ...p.trial, id: `${r.rule}${i}`, name: 'x' }
		}));
	});
	it('hold, are sound documents, and get to the points that they are proposed for', () => {
		expect(all.length).toBeGreaterThan(100);
		for (const { trial, points } of all) {
			expect(checkTrial(JSON.parse(JSON.stringify(trial)))).toEqual(trial);
			expect(runTrial(plan, trial, zones)).toMatchObject({ held: true });
			const met = triedBy(plan, byId, trial, zones);
			expect(points.length).toBeGreaterThan(0);
			for (const key of points) expect(met).toContain(key);
		}
	});
	it('try nine in ten points of the demo, where its own trials try a third', () => {
		const of = before.flatMap((r) => r.points).length;
		expect(tried(before) / of).toBeLessThan(0.4);
		expect(tried(covered([...demoTrials, ...all.map((p) => p.trial)])) / of).toBeGreaterThan(0.9);
	});
	it('are the same each time', () => {
		const [r] = before;
		const rule = byId.get(r.rule)!;
		expect(propose(plan, set, rule, r.points, zones)).toEqual(
			propose(plan, set, rule, r.points, zones)
		);
	});
	it('of what is tried already there are none', () => {
		expect(propose(plan, set, bands, [], zones)).toEqual([]);
	});
});

describe('small mistakes', () => {
	it('are each a rule that could be stored, and another than the one they are made of', () => {
		for (const rule of demoDraft.rules) {
			const said = new Set<string>();
			for (const a of alterationsOf(demoDraft, rule, plan.schema)) {
				const own = a.set.rules.find((r) => r.id === rule.id)!;
				expect(checkRule(JSON.parse(JSON.stringify(own)))).toEqual(own);
				const text = canonicalJson(a.set);
				expect(text).not.toBe(canonicalJson(demoDraft));
				expect(said.has(a.key)).toBe(false);
				said.add(a.key);
			}
		}
	});

	const held = demoTrials.filter((t) => runTrial(plan, t, zones).held);
	/** What a mistake makes of the rules. */
	const with_ = (rule: string, n: { altered: unknown; key: string }) =>
		compilePlan(
			plan.schema,
			alterationsOf(set, byId.get(rule)!, plan.schema).find((a) => a.key === n.key)!.set
		);
	const notices = set.rules.flatMap((r) => [...strengthOf(plan, set, r, held, zones)]);

	it('are noticed by a trial that fails with the mistake', () => {
		const noticed = notices.filter((n) => n.by);
		expect(noticed.length).toBeGreaterThan(100);
		for (const n of noticed) {
			const t = held.find((x) => x.id === n.by)!;
			expect(runTrial(with_(n.rule, n), t, zones).held).toBe(false);
		}
	});
	it('else shown by a trial that holds, and would not with the mistake', () => {
		const would = notices.filter((n) => n.would);
		expect(would.length).toBeGreaterThan(50);
		const failing = would.filter((n) => {
			const t = { ...n.would!, id: 'w' };
			expect(runTrial(plan, t, zones).held).toBe(true);
			return !runTrial(with_(n.rule, n), t, zones).held;
		});
		expect(failing).toHaveLength(would.length);
	});
	describe('that come to the same on every record', () => {
		const body = bands.body as Extract<Rule['body'], { kind: 'bands' }>;
		const guarded = (text: string): Rule => ({
			...bands,
			outputs: [{ ...bands.outputs[0], hold: 'follow' }],
			watch: ['headcount'],
			guard: formula('customer', text)
		});
		const check = set.rules.find((r) => r.body.kind === 'check' && r.type === 'customer')!;
		const checked = (text: string): Rule => ({
			...check,
			watch: ['headcount'],
			guard: null,
			body: { ...check.body, holds: formula('customer', text) } as Rule['body']
		});
		const ALWAYS = 'Headcount >= 10 or not(Headcount >= 10) or is blank(Headcount)';
		/** Rules with something in them that does not count; slips of them that are none, and such as are. */
		const idle: [what: string, rule: Rule, none: string[], some: string[]][] = [
			['nothing', bands, [], ['limit moved', 'results exchanged', 'switched off']],
			[
				'a limit whose two sides get the same',
				{ ...bands, body: { ...body, results: [body.results[1], ...body.results.slice(1)] } },
				['limit moved', 'limit belongs to the other side'],
				['results exchanged', 'switched off', 'hold weakened']
			],
			[
				'a condition that always holds',
				guarded(ALWAYS),
				['condition dropped', 'watched fields dropped'],
				['switched off', 'limit moved', 'hold weakened']
			],
			[
				'limits where it never applies',
				guarded('Headcount >= 10'),
				['watched fields dropped', 'blank decided otherwise'],
				['condition dropped', 'comparison turned', 'number changed', 'switched off']
			],
			[
				'all of one whose condition never holds',
				guarded('Headcount < 10 and Headcount > 20'),
				['switched off', 'limit moved', 'results exchanged'],
				['condition dropped', 'and and or exchanged']
			],
			[
				'a part that another holds already',
				checked('Headcount >= 0 and Headcount >= -5'),
				['a part of the condition dropped', 'number changed', 'comparison turned'],
				['switched off', 'and and or exchanged']
			],
			[
				'neither of two parts that count',
				checked('Headcount >= 0 and Headcount <= 9000'),
				['watched fields dropped'],
				['a part of the condition dropped', 'number changed', 'comparison turned']
			]
		];
		it.each(idle)('are left out: %s', (_, rule, none, some) => {
			const rules = { ...set, rules: set.rules.map((r) => (r.id === rule.id ? rule : r)) };
			const of = compilePlan(plan.schema, rules);
			expect(of.problems.length).toBe(plan.problems.length);
			const alike = alterationsOf(rules, rule, plan.schema).flatMap((x) => {
				const other = compilePlan(plan.schema, x.set);
				return provenAlike(of, other, rule, x, zones) ? [{ slip: x.slip, other }] : [];
			});
			const slips = alike.map((x) => x.slip as string);
			expect(slips).toEqual(expect.arrayContaining(none));
			const all = alterationsOf(rules, rule, plan.schema).map((x) => x.slip as string);
			const times = (list: string[], slip: string) => list.filter((s) => s === slip).length;
			// of each of these at least one counts
			for (const slip of some)
				expect([slip, times(slips, slip) < times(all, slip)]).toEqual([slip, true]);
			// whatever is tried, none of them shows
			const came = (p: typeof plan, t: Trial) =>
				runSteps(p, t, zones).map(({ records }) =>
					records.map((r) => [r.values.map(String), r.messages, r.sends, [...r.hidden]])
				);
			const open = pointsOf(of, rule, say);
			const records = [
				...held.filter((t) => t.type === rule.type),
				...propose(of, rules, rule, open, zones).map((p) => p.trial),
				...['9', '10', '11', '0', '-5', '-6', null].map((v): Trial => ({
					...held[0],
					type: 'customer',
					was: {},
					sent: [['headcount', v]]
				}))
			];
			for (const { slip, other } of alike)
				for (const t of records) expect([slip, came(other, t)]).toEqual([slip, came(of, t)]);
			const holding = held.filter((t) => runTrial(of, t, zones).held);
			const counted = [...strengthOf(of, rules, rule, holding, zones)];
			expect(counted.length).toBeLessThanOrEqual(all.length - alike.length);
		});
		it('count where what sets it off at linked records would be another', () => {
			const rule: Rule = {
				...set.rules.find((r) => r.type === 'deal' && r.body.kind === 'options')!,
				entering: false,
				watch: null,
				guard: formula(
					'deal',
					"Customer.'Key grower' = true and (Customer.Headcount >= 0 or Customer.Headcount < 0 or is blank(Customer.Headcount))"
				)
			};
			const rules = { ...set, rules: set.rules.map((r) => (r.id === rule.id ? rule : r)) };
			const of = compilePlan(plan.schema, rules);
			expect(of.problems.length).toBe(plan.problems.length);
			const alike = alterationsOf(rules, rule, plan.schema)
				.filter((x) => x.slip === 'a part of the condition dropped')
				.map((x) => provenAlike(of, compilePlan(plan.schema, x.set), rule, x, zones));
			// without its second part a change of the customer would no longer set it off
			expect(alike[1]).toBe(false);
		});
		it('are left out: the order of claims that never meet, but not of those that do', () => {
			const one = guarded('Headcount < 10');
			const two: Rule = {
				...guarded('Headcount > 20'),
				id: 'size_other'
			};
			const alikeOf = (last: Rule) => {
				const rules = { ...set, order: {}, rules: [one, last] };
				const of = compilePlan(plan.schema, rules);
				return alterationsOf(rules, last, plan.schema)
					.filter((x) => x.slip === 'claim order exchanged')
					.map((x) => provenAlike(of, compilePlan(plan.schema, x.set), last, x, zones));
			};
			expect(alikeOf(two)).toEqual([true]);
			const other = { ...body, results: [...body.results].reverse() };
			expect(alikeOf({ ...two, body: other, guard: formula('customer', 'Headcount > 5') })).toEqual(
				[false]
			);
		});
	});
	it('no trial notices without trials, and every one is counted', () => {
		const none = [...strengthOf(plan, set, bands, [], zones)];
		expect(none.length).toBe(notices.filter((n) => n.rule === bands.id).length);
		expect(none.some((n) => n.by)).toBe(false);
	});
	it('a limit moved by one is noticed by trials at its two sides, and by no others', () => {
		const at = (v: string, size: string): Trial => ({
			id: v,
			name: v,
			type: 'customer',
			was: null,
			sent: [['headcount', v]],
			entryPoint: 'full',
			at: '2026-11-23T09:00:00Z',
			expect: [{ field: 'size_class', value: size }]
		});
		const moved = (trials: Trial[]) =>
			[...strengthOf(plan, set, bands, trials, zones)].filter((n) => n.slip === 'limit moved');
		const far = moved([
			at('5', 'micro'),
			at('30', 'small'),
			at('100', 'medium'),
			at('300', 'large')
		]);
		expect(far.length).toBeGreaterThan(5);
		expect(far.filter((n) => n.by)).toEqual([]);
		const near = moved([
			at('0', 'micro'),
			at('9', 'micro'),
			at('10', 'small'),
			at('49', 'small'),
			at('50', 'medium'),
			at('249', 'medium'),
			at('250', 'large')
		]);
		expect(near.filter((n) => !n.by).map((n) => n.altered)).toHaveLength(1);
	});
});
