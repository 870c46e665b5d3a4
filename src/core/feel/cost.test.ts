/** What formulas may cost: reading and compiling grow with their length, running is counted in steps. */
import fc from 'fast-check';
import { describe, expect, it, vi } from 'vitest';
import { analyse } from '../check/findings';
import { formula, planOf, rule, run, schema, setOf } from '../../../tests/world';
import { settle } from '../settle/settle';
import { NOTHING_ELSE, submissionOf } from '../trials/records';
import { zones } from '../../runtime/zones';
import { EVALUATION_STEPS, LimitError } from './budget';
import { compileExpression } from './compile';
import { FUNCTIONS } from './functions';
import { callFunction } from './functions/spec';
import { parseExpression } from './parse';
import { printExpression } from './print';
import type { Expr } from '../document/tree';
import { FormulaError } from '../document/tree';

const runs = { numRuns: Number(process.env.RIGID_RUNS ?? 400), seed: 20261125 };

/** Every construct with a place for another one. */
const AROUND = [
	'(#)',
	'[#]',
	'[#, 1]',
	'[#..5]',
	'[1..#]',
	'(#..5]',
	'(< #)',
	'-#',
	'# + 1',
	'2 * #',
	'# ** 2',
	'A in (#)',
	'A in (#, 1)',
	'A in (1, #)',
	'A in (#..5]',
	'A in (#) + 1',
	'A in (< #)',
	'A in #',
	'A in ((#))',
	'# in (1)',
	'A between # and 2',
	'A between 1 and #',
	'# = 1',
	'# < 1',
	'# and true',
	'true or #',
	'if # then 1 else 2',
	'if true then # else 2',
	'if true then 1 else #',
	'for i in # return i',
	'for i in [1] return #',
	'for i in 1..# return i',
	'some i in # satisfies true',
	'every i in [1] satisfies #',
	'{a: #}',
	'{a: 1, b: #}.b',
	'function(p) #',
	'(function(p) p)(#)',
	'#[1]',
	'[1][#]',
	'[1][item = #]',
	'#.year',
	'# instance of number',
	'A in not(#)',
	// functions whose way of calling depends on the types of what they are given
	'context put({}, "a", #)',
	'context put(#, "a", 1)',
	'context put({}, ["a"], #)',
	'date(#)',
	'time(#)',
	'date and time(#)',
	'otherwise(#, 1)',
	'otherwise(1, #)',
	'list contains(Sizes, #)',
	'list contains(Sizes, [#])',
	'list contains(#, 1)',
	...[...FUNCTIONS.values()].map(
		([d]) => `${d.name}(${d.params.map((_, i) => (i ? '1' : '#')).join(', ')})`
	)
];
/** What is nested deepest. */
const LEAVES = ['1', 'A', '"Micro"', 'Size class', 'null', 'Boss.Team', 'nothing known', '('];

const nested = fc
	.tuple(
		fc.array(fc.constantFrom(...AROUND), { minLength: 1, maxLength: 60 }),
		fc.constantFrom(...LEAVES)
	)
	.map(([around, leaf]) => around.reduce((inner, a) => a.replace('#', () => inner), leaf));

/** How often the parser looked at the text: every look at a sign or word begins with one of these. */
function looks(text: string, read: () => void): number {
	const spy = vi.spyOn(String.prototype, 'startsWith');
	try {
		read();
		return spy.mock.contexts.filter((s) => String(s) === text).length;
	} finally {
		spy.mockRestore();
	}
}

/** A tree that counts how often its nodes are looked at. */
function counted(tree: Expr): { tree: Expr; visits: () => number } {
	let visits = 0;
	const watch = <T>(x: T): T =>
		typeof x !== 'object' || x === null
			? x
			: new Proxy(x, {
					get: (o, key, self) => {
						if (key === 'k') visits++;
						const v: unknown = Reflect.get(o, key, self);
						return typeof v === 'function' ? v : watched(v);
					}
				});
	const known = new WeakMap<object, object>();
	const watched = (x: unknown): unknown => {
		if (typeof x !== 'object' || x === null) return x;
		const had = known.get(x) ?? watch(x);
		known.set(x, had);
		return had;
	};
	return { tree: watched(tree) as Expr, visits: () => visits };
}

const sizeOf = (e: unknown): number =>
	typeof e !== 'object' || e === null
		? 0
		: 1 + Object.values(e).reduce((n: number, x) => n + sizeOf(x), 0);

describe('reading a formula', () => {
	it('looks at each character a bounded number of times, whatever is nested in what', () => {
		let most = 0;
		fc.assert(
			fc.property(nested, (text) => {
				const n = looks(text, () => {
					try {
						parseExpression(text, { schema, type: 'thing' });
					} catch (e) {
						if (!(e instanceof FormulaError)) throw e;
					}
				});
				most = Math.max(most, n / text.length);
				expect(n).toBeLessThan(60 * text.length + 200);
			}),
			runs
		);
		expect(most).toBeGreaterThan(1);
	});

	it('compiles each node a bounded number of times', () => {
		let some = 0;
		fc.assert(
			fc.property(nested, (text) => {
				let tree: Expr;
				try {
					tree = parseExpression(text, { schema, type: 'thing' });
				} catch (e) {
					if (e instanceof FormulaError) return;
					throw e;
				}
				some++;
				const c = counted(tree);
				compileExpression(c.tree, { schema, type: 'thing' });
				// a test looks for “?” in all that is nested in it, so depth counts, and nothing doubles
				expect(c.visits()).toBeLessThan(60 * 60 * sizeOf(tree) + 1000);
				printExpression(tree, schema);
			}),
			runs
		);
		expect(some).toBeGreaterThan(runs.numRuns / 8);
	});

	it.each(AROUND)('%s is read when nested as deep as may be', (around) => {
		for (const depth of [20, 40, 80, 190]) {
			const text = Array.from({ length: depth }).reduce<string>(
				(t) => around.replace('#', () => t),
				'1'
			);
			let tree: Expr;
			try {
				tree = parseExpression(text, { schema, type: 'thing' });
			} catch (e) {
				if (e instanceof FormulaError) continue;
				throw e;
			}
			compileExpression(tree, { schema, type: 'thing' });
		}
	});

	it('the ways of loops within loops are not multiplied', () => {
		const loops = Array.from(
			{ length: 60 },
			(_, i) => `v${i + 1} in [v${i}.Boss, v${i}.Team, v${i}.Boss]`
		);
		const text = `for v0 in Team, ${loops.join(', ')} return v60.A`;
		const c = compileExpression(parseExpression(text, { schema, type: 'thing' }), {
			schema,
			type: 'thing'
		});
		expect(c.reads.length).toBeLessThan(20_000);
	});
});

describe('running a formula', () => {
	/** Settles a text field by a formula, beside another rule that has nothing to do with it. */
	const failing = (text: string) => {
		const heavy = rule('t', { kind: 'formula', formulas: [{ text }] });
		const plan = planOf(heavy, rule('b', 'A + 1'));
		expect(plan.problems).toEqual([]);
		const done = run(plan, { a: '1', u: 'x'.repeat(4000) }, { was: null });
		expect(done.json.b).toBe('2');
		expect(done.json.t).toBeNull();
		return done.failures.map((f) => f.message);
	};

	it.each([
		[
			'loops in loops',
			'string({l: for j in 1..30000 return j, r: count(for i in 1..2000 return sum(l))}.r)'
		],
		['loops over loops', 'string(count(for i in 1..1000, j in 1..1000, k in 1..1000 return 1))'],
		['powers', 'string(count(for i in 1..100000 return i ** 0.5))'],
		['logarithms', 'string(sum(for i in 1..100000 return log(i)))'],
		['divisions', 'string(sum(for i in 1..100000 return 1 / i))'],
		[
			'sorting again and again',
			'string(count(for i in 1..2000 return sort(for j in 1..2000 return 2000 - j)))'
		],
		[
			'a pattern over a long text',
			'string(count(for i in 1..1000 return matches(Other text, "(x+x+)+y")))'
		],
		['a large pattern', 'string(matches(Other text, "[a-z]{1000}[0-9]{1000}"))'],
		[
			'patterns without end',
			'string(count(for i in 1..5000 return matches("a", string(i) + "{900}")))'
		],
		[
			'a text that doubles',
			`string length(${'replace('.repeat(12)}Other text${', "x", "xxxxxxxxxx")'.repeat(12)})`.replace(
				/^/,
				'string('
			) + ')'
		],
		['texts joined', 'string(string length(string join(for i in 1..90000 return Other text)))'],
		[
			'a separator without end',
			'string(string length(string join(for i in 1..1000 return "a", Other text)))'
		],
		[
			'parts without end',
			'string(count(split(string join(for i in 1..300 return Other text), "x?")))'
		],
		['functions calling functions', 'string((function(f) f(f))(function(f) f(f)))'],
		['membership', 'string({l: for i in 1..20000 return i, r: count(for i in l return i in l)}.r)'],
		[
			'comparing lists',
			'string({l: for i in 1..20000 return i, m: for i in 1..20000 return i, r: count(for i in l return l = m)}.r)'
		],
		['lists within lists', 'string(count(for i in 1..100000 return partial))']
	])('%s ends, and only its rule fails', (_, text) => {
		const said = failing(text);
		expect(said).toHaveLength(1);
		expect(said[0]).toMatch(/too many steps|may have|too deep|cannot be worked out/);
	});

	it.each([
		'flatten(#)',
		'# = #',
		'# in #',
		'distinct values(#)',
		'string(#)',
		'count(union(#, #))',
		'list contains(#, #)',
		'index of(#, #)',
		'[#[1]] = [#[1]]',
		'mode(flatten(#))'
	])('lists that double thirty times end in %s', (use) => {
		const steps = Array.from({ length: 30 }, (_, i) => `l${i + 1}: [l${i}, l${i}]`).join(', ');
		const body = use.replaceAll('#', 'l30');
		const [said] = failing(`string({l0: [1, 1], ${steps}, r: ${body}}.r)`);
		expect(said).toMatch(/too many steps|may have/);
	});

	it('a list cannot come to hold itself', () => {
		// 1, then 1 and that one, then 1 and those two: seven ones
		const plan = planOf(rule('b', 'count(flatten(for i in 1..3 return [1, partial]))'));
		expect(run(plan, { a: '1' }, { was: null }).json.b).toBe('7');
	});

	it('what a function throws, whatever it is, is no more than its failure', () => {
		const [d] = FUNCTIONS.get('count')!;
		const env = { steps: 100, zone: 'UTC', zones };
		for (const wrong of [new RangeError('Invalid string length'), new TypeError('x'), 'text'])
			expect(() =>
				callFunction(
					{
						...d,
						call: () => {
							throw wrong;
						}
					},
					[[]],
					env
				)
			).toThrow(LimitError);
	});

	it('a change has steps of its own, which grow with the records it touches', () => {
		const rules = Array.from({ length: 40 }, () =>
			rule('b', 'if count(for i in 1..90000 return i) > 0 and A > 5 then 1 else null')
		);
		const plan = planOf(...rules);
		const record = submissionOf(plan.schema, { type: 'thing', was: null, sent: [['a', '1']] });
		const settled = (explain: boolean) =>
			settle(
				plan,
				{ records: [record], entryPoint: 'full', instant: 0, person: null },
				NOTHING_ELSE,
				{ zones, explain, states: explain }
			).records[0].failures;
		expect(settled(false).length).toBeGreaterThan(0);
		// asking for reasons alters nothing
		expect(settled(true)).toEqual(settled(false));
	});

	it('is charged the same for the same, whatever ran before', () => {
		const c = compileExpression(
			parseExpression('matches(Text, "a+b") and sqrt(A) > 1', { schema, type: 'thing' }),
			{ schema, type: 'thing' }
		);
		const steps = () => {
			const env = { rec: null, vars: [], steps: EVALUATION_STEPS, depth: 0, patterns: null };
			const values = schema.type('thing').type.fields.map((f) => (f.id === 't' ? 'aab' : null));
			c.run({
				...env,
				rec: { type: 'thing', id: '1', was: values, sent: values, settled: values }
			} as never);
			return env.steps;
		};
		expect(steps()).toBe(steps());
	});
});

describe('analysing rules that compute much', () => {
	it('is given up rule by rule and said so, while the others are analysed', () => {
		const heavy = {
			kind: 'formula' as const,
			formulas: [formula('if count(for i in 1..100000 return i ** 0.5) > A then 1 else B')]
		};
		const rules = [
			...['c', 'd', 'e'].map((f) =>
				rule(f, heavy, { if: 'count(for i in 1..40000 return i) > A' })
			),
			rule('size', {
				kind: 'options',
				input: 'stage',
				rows: { won: ['micro'] },
				blank: { none: true }
			})
		];
		const rs = setOf(...rules);
		const { findings, open } = analyse(planOf(...rules), rs, zones);
		for (const r of rules.slice(0, 3))
			expect(
				open
					.filter((o) => o.rule === r.id)
					.map((o) => o.message)
					.join()
			).toContain('too much');
		expect(findings.some((f) => f.rule === rules[3].id)).toBe(true);
	});
});
