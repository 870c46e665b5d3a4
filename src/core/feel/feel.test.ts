import fc from 'fast-check';
import { evaluate } from 'feelin';
import { describe, expect, it } from 'vitest';
import { zones } from '../../runtime/zones';
import { schema } from '../../../tests/world';
import { Schema } from '../document/model';
import { Moment, LocalDate } from '../value/temporal';
import { show, type Value } from '../value/value';
import type { Env } from './env';
import { compileExpression, compileTests } from './compile';
import { MAX_SOURCE, parseExpression, parseTests } from './parse';
import { printExpression } from './print';
import { bare, FormulaError } from '../document/tree';
import { isTree } from './tree-check';
import { FUNCTIONS } from './functions';

const plain = new Schema({ types: [], lists: [], zone: 'UTC' });
const env = (): Env => ({
	rec: null,
	input: null,
	vars: [],
	now: Moment.fromInstant(0, 'UTC', zones)!,
	today: LocalDate.of(2026, 11, 23)!,
	person: null,
	entryPoint: 'full',
	zone: 'UTC',
	zones,
	record: () => null,
	related: () => [],
	matching: () => [],
	steps: 100_000,
	depth: 0
});
function value(text: string): Value {
	const c = compileExpression(parseExpression(text, { schema: plain, type: null }), {
		schema: plain,
		type: null
	});
	if (c.faults.length) throw new FormulaError(c.faults[0]);
	return c.run(env());
}
const is = (text: string, want: string) => expect(show(value(text)), text).toBe(want);
const fault = (text: string, type: string | null = null) => {
	const s = type ? schema : plain;
	try {
		const c = compileExpression(parseExpression(text, { schema: s, type }), { schema: s, type });
		return c.faults[0] ?? null;
	} catch (e) {
		if (e instanceof FormulaError) return e.fault;
		throw e;
	}
};

describe('FEEL', () => {
	// OMG DMN 1.5, chapter 10.3: examples of the built-in functions and of the semantics (recalled from memory)
	it.each([
		['substring("foobar", 3)', '"obar"'],
		['substring("foobar", 3, 3)', '"oba"'],
		['substring("foobar", -2, 1)', '"a"'],
		['string length("foo")', '3'],
		['upper case("aBc4")', '"ABC4"'],
		['lower case("aBc4")', '"abc4"'],
		['substring before("foobar", "bar")', '"foo"'],
		['substring before("foobar", "xyz")', '""'],
		['substring after("foobar", "ob")', '"ar"'],
		['substring after("", "a")', '""'],
		['contains("foobar", "of")', 'false'],
		['starts with("foobar", "fo")', 'true'],
		['ends with("foobar", "r")', 'true'],
		['matches("foobar", "^fo*b")', 'true'],
		['split("John Doe", "\\\\s")', '["John", "Doe"]'],
		['string join(["a", "b", "c"], "_and_")', '"a_and_b_and_c"'],
		['list contains([1, 2, 3], 2)', 'true'],
		['count([1, 2, 3])', '3'],
		['count([])', '0'],
		['min([1, 2, 3])', '1'],
		['max(1, 2, 3)', '3'],
		['sum([1, 2, 3])', '6'],
		['sum([])', 'null'],
		['mean([1, 2, 3])', '2'],
		['all([false, null, true])', 'false'],
		['all([true, null])', 'null'],
		['any([false, null, true])', 'true'],
		['any([])', 'false'],
		['all([])', 'true'],
		['sublist([4, 5, 6], 1, 2)', '[4, 5]'],
		['append([1], 2, 3)', '[1, 2, 3]'],
		['concatenate([1, 2], [3])', '[1, 2, 3]'],
		['insert before([1, 3], 1, 2)', '[2, 1, 3]'],
		['remove([1, 2, 3], 2)', '[1, 3]'],
		['reverse([1, 2, 3])', '[3, 2, 1]'],
		['index of([1, 2, 3, 2], 2)', '[2, 4]'],
		['union([1, 2], [2, 3])', '[1, 2, 3]'],
		['distinct values([1, 2, 3, 2, 1])', '[1, 2, 3]'],
		['flatten([[1, 2], [[3]], 4])', '[1, 2, 3, 4]'],
		['product([2, 3, 4])', '24'],
		['median(8, 2, 5, 3, 4)', '4'],
		['median([6, 1, 2, 3])', '2.5'],
		['mode(6, 3, 9, 6, 6)', '[6]'],
		['mode([6, 1, 9, 6, 1])', '[1, 6]'],
		['decimal(1 / 3, 2)', '0.33'],
		['decimal(2.5, 0)', '2'],
		['floor(-1.5)', '-2'],
		['ceiling(-1.5)', '-1'],
		['round up(5.5, 0)', '6'],
		['round up(-1.126, 2)', '-1.13'],
		['round down(5.5, 0)', '5'],
		['round half up(-5.5, 0)', '-6'],
		['round half down(5.5, 0)', '5'],
		['abs(-10)', '10'],
		['modulo(-12, 5)', '3'],
		['sqrt(16)', '4'],
		['odd(5)', 'true'],
		['even(2)', 'true'],
		['date("2017-08-25").year', '2017'],
		['week of year(date(2005, 1, 1))', '53'],
		['week of year(date(2005, 1, 3))', '1'],
		['day of year(date(2019, 9, 17))', '260'],
		['day of week(date(2019, 9, 17))', '"Tuesday"'],
		['month of year(date(2019, 9, 17))', '"September"'],
		['duration("P1DT2H").hours', '2'],
		['duration("P1DT6H") * 2', 'P2DT12H'],
		['3 * duration("P1Y2M")', 'P3Y6M'],
		['duration("P3D") / 2', 'P1DT12H'],
		['overlaps before([1..5], [3..8])', 'true'],
		['overlaps before([3..8], [1..5])', 'false'],
		['overlaps before([1..5], [6..8])', 'false'],
		['years and months duration(date("2011-12-22"), date("2013-08-24"))', 'P1Y8M'],
		['date("2012-12-25") - date("2012-12-24") = duration("P1D")', 'true'],
		['before([1..5), 5)', 'true'],
		['meets([1..5], [5..10])', 'true'],
		['overlaps([1..5], [3..8])', 'true'],
		['during(5, [1..10])', 'true'],
		['starts([1..5], [1..10])', 'true'],
		['coincides([1..5], [1..5])', 'true'],
		['{a: 1, b: a + 1}.b', '2'],
		['[1, 2, 3, 4][item > 2]', '[3, 4]'],
		['[1, 2, 3, 4][-1]', '4'],
		['[{x: 1, y: 2}, {x: 2, y: 3}][x = 1].y', '[2]'],
		['for i in [1, 2, 3] return i * 2', '[2, 4, 6]'],
		['for i in 1..2, j in 2..3 return i * j', '[2, 3, 4, 6]'],
		['for i in 0..4 return if i = 0 then 1 else i * partial[-1]', '[1, 1, 2, 6, 24]'],
		['some x in [1, 2], y in [2, 3] satisfies x < y', 'true'],
		['every x in [1, 2] satisfies x < 2', 'false'],
		['5 between 1 and 10', 'true'],
		['5 in (> 3, < 1)', 'true'],
		['5 in [1..5)', 'false'],
		['{a: 1} instance of context', 'true'],
		['-2 ** 2', '4'],
		['"a" + "b"', '"ab"'],
		['if null then 1 else 2', '2'],
		['number("1 000,0", " ", ",")', '1000'],
		['substring(start position: 3, string: "foobar")', '"obar"'],
		['string(1.0)', '"1"'],
		['(function(x) x * 2)(4)', '8'],
		['sort([3, 1, 4], function(a, b) a > b)', '[4, 3, 1]'],
		['format date(date("2026-11-23"), "dd.MM.yy")', '"23.11.26"'],
		['format date(date and time("2026-01-05T09:07:00"), "MMMM d, HH:mm")', '"January 5, 09:07"'],
		['format date(date("2026-11-23"), "qq")', 'null'],
		['format number(-1234567.125, 2, ",")', '"-1,234,567.12"'],
		['format number(0.5, 0)', '"0"'],
		['context put({a: 1}, "a", 2)', '{a: 2}'],
		['@"2026-11-23T10:00:00Z" = @"2026-11-23T11:00:00+01:00"', 'true'],
		['date("2026-01-31") + duration("P1M")', '2026-02-28']
	])('%s is %s', (text, want) => is(text, want));

	// three-valued logic, DMN 1.5 table 50 and 51
	it('follows the truth tables of and, or and not', () => {
		const all = ['true', 'false', 'null'];
		const and = {
			'true true': 'true',
			'true null': 'null',
			'null true': 'null',
			'null null': 'null'
		} as Record<string, string>;
		const or = {
			'false false': 'false',
			'false null': 'null',
			'null false': 'null',
			'null null': 'null'
		} as Record<string, string>;
		for (const a of all)
			for (const b of all) {
				is(`${a} and ${b}`, and[`${a} ${b}`] ?? 'false');
				is(`${a} or ${b}`, or[`${a} ${b}`] ?? 'true');
			}
		is('not(null)', 'null');
	});

	it('compares nothing with anything as unknown, and only with equality as known', () => {
		for (const op of ['<', '<=', '>', '>=']) is(`null ${op} 5`, 'null');
		is('null = 5', 'false');
		is('null = null', 'true');
	});

	it('runs its own help: every example that states a result is right', () => {
		let checked = 0;
		for (const ways of FUNCTIONS.values())
			for (const d of ways)
				if (d.example.includes(' = ') && !d.example.includes('today')) {
					is(d.example, 'true');
					checked++;
				}
		expect(checked).toBeGreaterThan(40);
	});

	// oracle: feelin 8.2, where it is right. Reviewed differences are kept out of the generator: doubles
	// (division, decimals beyond 15 digits), comparisons with null, and ranges whose ends stand the wrong
	// way round (it swaps them; here, as in DMN, nothing lies in them).
	it('agrees with an independent interpreter on generated expressions', () => {
		const number = fc.integer({ min: -50, max: 50 }).map((n) => (n < 0 ? `(${n})` : String(n)));
		const { numeric, logical } = fc.letrec<{ numeric: string; logical: string }>((tie) => ({
			numeric: fc.oneof(
				{ maxDepth: 4 },
				number,
				fc
					.tuple(tie('numeric'), fc.constantFrom('+', '-', '*'), tie('numeric'))
					.map(([a, o, b]) => `(${a} ${o} ${b})`),
				fc
					.tuple(tie('logical'), tie('numeric'), tie('numeric'))
					.map(([c, a, b]) => `(if ${c} then ${a} else ${b})`),
				fc
					.array(tie('numeric'), { minLength: 1, maxLength: 3 })
					.map((xs) => `sum([${xs.join(', ')}])`),
				fc
					.array(tie('numeric'), { minLength: 1, maxLength: 3 })
					.map((xs) => `max([${xs.join(', ')}])`),
				tie('numeric').map((x) => `abs(${x})`)
			),
			logical: fc.oneof(
				{ maxDepth: 4 },
				fc.constantFrom('true', 'false'),
				fc
					.tuple(tie('numeric'), fc.constantFrom('<', '<=', '>', '>=', '=', '!='), tie('numeric'))
					.map(([a, o, b]) => `(${a} ${o} ${b})`),
				fc
					.tuple(tie('logical'), fc.constantFrom('and', 'or'), tie('logical'))
					.map(([a, o, b]) => `(${a} ${o} ${b})`),
				tie('logical').map((x) => `not(${x})`),
				fc
					.tuple(tie('numeric'), fc.nat(20), fc.nat(20))
					.map(([a, b, c]) => `(${a} in [${b}..${b + c}])`),
				fc
					.tuple(tie('numeric'), fc.array(tie('numeric'), { maxLength: 3 }))
					.map(([a, xs]) => `list contains([${xs.join(', ')}], ${a})`)
			)
		}));
		fc.assert(
			fc.property(fc.oneof(numeric, logical), (text) => {
				const theirs = (evaluate(text, {}) as { value: unknown }).value;
				expect(show(value(text)), text).toBe(String(theirs === -0 ? 0 : theirs));
			}),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 300), seed: 20261123 }
		);
	});

	// Reviewed differences kept out: positions beyond the text or 0, patterns (it backtracks), sorting of
	// unlike things, and `index of` an absent list.
	it('agrees with it on generated texts and lists', () => {
		const word = fc.stringMatching(/^[a-c]{0,4}$/).map((t) => `"${t}"`);
		const { text, list, truth, number } = fc.letrec<{
			text: string;
			list: string;
			truth: string;
			number: string;
		}>((tie) => ({
			text: fc.oneof(
				{ maxDepth: 3 },
				word,
				fc.tuple(tie('text'), tie('text')).map(([a, b]) => `(${a} + ${b})`),
				tie('text').map((t) => `upper case(${t})`),
				tie('text').map((t) => `lower case(${t})`),
				fc.tuple(tie('text'), word).map(([t, m]) => `substring before(${t} + "ab", "ab" + ${m})`),
				fc.tuple(tie('text'), word).map(([t, m]) => `substring after(${m} + ${t}, ${m})`),
				tie('number').map((n) => `string(${n})`),
				fc
					.tuple(tie('truth'), tie('text'), tie('text'))
					.map(([c, a, b]) => `(if ${c} then ${a} else ${b})`)
			),
			number: fc.oneof(
				{ maxDepth: 3 },
				fc.nat(9).map(String),
				tie('text').map((t) => `string length(${t})`),
				tie('list').map((l) => `count(${l})`),
				tie('list').map((l) => `sum(append(${l}, 1))`),
				tie('list').map((l) => `min(append(${l}, 5))`),
				tie('list').map((l) => `append(${l}, 7)[-1]`)
			),
			list: fc.oneof(
				{ maxDepth: 3 },
				fc.array(fc.nat(4), { maxLength: 4 }).map((xs) => `[${xs.join(', ')}]`),
				fc.tuple(tie('list'), tie('number')).map(([l, n]) => `append(${l}, ${n})`),
				fc.tuple(tie('list'), tie('list')).map(([a, b]) => `concatenate(${a}, ${b})`),
				fc.tuple(tie('list'), tie('list')).map(([a, b]) => `union(${a}, ${b})`),
				tie('list').map((l) => `reverse(${l})`),
				tie('list').map((l) => `distinct values(${l})`),
				tie('list').map((l) => `sort(${l}, function(x, y) x < y)`),
				tie('list').map((l) => `${l}[item > 1]`),
				tie('list').map((l) => `(for x in ${l} return x * 2)`)
			),
			truth: fc.oneof(
				{ maxDepth: 3 },
				fc.tuple(tie('text'), word).map(([t, m]) => `contains(${t}, ${m})`),
				fc.tuple(tie('text'), word).map(([t, m]) => `starts with(${t}, ${m})`),
				fc.tuple(tie('text'), word).map(([t, m]) => `ends with(${t}, ${m})`),
				fc.tuple(tie('list'), tie('number')).map(([l, n]) => `list contains(${l}, ${n})`),
				tie('list').map((l) => `(some x in ${l} satisfies x > 2)`),
				tie('list').map((l) => `(every x in ${l} satisfies x > 2)`)
			)
		}));
		fc.assert(
			fc.property(fc.oneof(text, list, truth, number), (source) => {
				const theirs = (evaluate(source, {}) as { value: unknown }).value;
				const plain = (v: unknown): string =>
					Array.isArray(v)
						? `[${v.map(plain).join(', ')}]`
						: typeof v === 'string'
							? JSON.stringify(v)
							: String(v);
				expect(show(value(source)), source).toBe(plain(theirs));
			}),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 300), seed: 20261124 }
		);
	});

	it('prints what it read, and reads what it prints', () => {
		const samples = [
			'if a > 1 and not(b = 2 or c < 3) then (a + b) * c else -a ** 2',
			'size class in ("Small", "Large")',
			'a in [1..10) or a in (< 3, > 5)',
			'was.Discount % + 1',
			'sent.text = "x\\"y\\n"',
			'(a - (b - c)) / (d * e)',
			'some x in [1, 2] satisfies x > a',
			'for i in 1..3 return i + a',
			'{p: 1, q: p}.q',
			'count(team[a > 1].text)',
			'boss.boss.size class = "Micro"',
			'changed(stage) and moved(stage, "Won", "Lost")',
			'a between 1 and 2',
			'day + @"P1M"',
			'substring(string: text, start position: 2)',
			'(function(x) x + 1)(a)'
		].map((s) => s.replace('was.Discount %', "was.'Discount %'"));
		for (const text of samples) {
			const read = (s: string) => {
				const c = compileExpression(parseExpression(s, { schema, type: 'thing' }), {
					schema,
					type: 'thing'
				});
				expect(c.faults, s).toEqual([]);
				return bare(c.expr);
			};
			const tree = read(text);
			const printed = printExpression(tree, schema).text;
			expect(read(printed), printed).toEqual(tree);
			expect(isTree(tree), text).toBe(true);
		}
	});
});

// ---- generated formulas over fields --------------------------------------------------------------

const typed = fc.letrec<{ n: string; b: string; t: string }>((tie) => ({
	n: fc.oneof(
		{ maxDepth: 4 },
		fc.constantFrom('A', 'B', 'was.C', 'sent.D', 'Boss.A', "'Discount %'", '1', '2.50'),
		fc
			.tuple(tie('n'), fc.constantFrom('+', '-', '*', '/', '**'), tie('n'))
			.map(([a, o, b]) => `(${a} ${o} ${b})`),
		tie('n').map((a) => `-(${a})`),
		fc.tuple(tie('b'), tie('n'), tie('n')).map(([c, a, b]) => `(if ${c} then ${a} else ${b})`),
		tie('t').map((t) => `string length(${t})`),
		fc.tuple(tie('n'), tie('n')).map(([a, b]) => `sum([${a}, ${b}][item > 1])`)
	),
	b: fc.oneof(
		{ maxDepth: 4 },
		fc.constantFrom(
			'Flag',
			'Size class = "Small"',
			'Stage in ("Won", "Lost")',
			'changed(Stage)',
			'is blank(Text)'
		),
		fc
			.tuple(tie('n'), fc.constantFrom('<', '<=', '>', '>=', '=', '!='), tie('n'))
			.map(([a, o, b]) => `(${a} ${o} ${b})`),
		fc
			.tuple(
				tie('b'),
				fc.constantFrom('and', 'or'),
				tie('b'),
				fc.constantFrom('and', 'or'),
				tie('b')
			)
			.map(([a, o, b, p, c]) => `(${a} ${o} ${b} ${p} ${c})`),
		tie('b').map((a) => `not(${a})`),
		fc.tuple(tie('n'), tie('n'), tie('n')).map(([a, b, c]) => `(${a} in [${b}..${c}))`),
		fc.tuple(tie('n'), tie('n')).map(([a, b]) => `(some x in [${a}, ${b}] satisfies x > A)`)
	),
	t: fc.oneof(
		{ maxDepth: 3 },
		fc.constantFrom('Text', 'Boss.Other text', '"a\\"b"', 'label(Stage)', 'string(Day)'),
		fc.tuple(tie('t'), tie('t')).map(([a, b]) => `(${a} + ${b})`),
		tie('n').map((n) => `string(${n})`)
	)
}));

describe('generated formulas', () => {
	it('compile; printed and read again they are the same tree; and the tree survives JSON', () => {
		fc.assert(
			fc.property(fc.oneof(typed.n, typed.b, typed.t), (text) => {
				const read = (s: string) =>
					compileExpression(parseExpression(s, { schema, type: 'thing' }), {
						schema,
						type: 'thing'
					});
				const first = read(text);
				expect(first.faults, text).toEqual([]);
				const tree = bare(first.expr);
				const printed = printExpression(tree, schema);
				expect(bare(read(printed.text).expr), `${text} printed as ${printed.text}`).toEqual(tree);
				expect(isTree(JSON.parse(JSON.stringify(tree)))).toBe(true);
				// every part knows where it stands in the printed text
				const inside = (e: object) =>
					JSON.stringify(e, (k, v) => {
						if (k === 'at')
							expect(v.from >= 0 && v.to <= printed.text.length && v.from <= v.to).toBe(true);
						return v;
					});
				inside(printed.expr);
			}),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 400) }
		);
	});

	it('read what they name and nothing else', () => {
		const reads = (text: string) =>
			compileExpression(parseExpression(text, { schema, type: 'thing' }), {
				schema,
				type: 'thing'
			}).reads.map(
				(r) => `${r.image}:${[...r.via.map((v) => v.field), r.field].join('.')}${r.many ? '*' : ''}`
			);
		expect(reads('A + was.B + sent.C')).toEqual(['settled:a', 'was:b', 'sent:c']);
		expect(reads('Boss.Boss.A')).toEqual([
			'settled:boss',
			'settled:boss.boss',
			'settled:boss.boss.a'
		]);
		expect(reads('was.Boss.A')).toEqual(['was:boss', 'was:boss.a']);
		expect(reads('sum(Team.A)')).toContain('settled:boss.a*');
		expect(reads('count(Team[A > 1])').some((r) => r.endsWith('a*'))).toBe(true);
	});

	it('read through links with the values a loader gives', () => {
		const c = compileExpression(
			parseExpression('Boss.A + sum(Team.B)', { schema, type: 'thing' }),
			{ schema, type: 'thing' }
		);
		const at = schema.type('thing').at;
		const row = (values: Record<string, Value>) => {
			const v: Value[] = schema.type('thing').type.fields.map(() => null);
			for (const [k, x] of Object.entries(values)) v[at.get(k)!] = x;
			return v;
		};
		const view = (id: string, v: Value[]) => ({ type: 'thing', id, was: v, sent: v, settled: v });
		const all: Record<string, Value[]> = {
			'1': row({ boss: '2' }),
			'2': row({ a: value('5') }),
			'3': row({ b: value('1.5') }),
			'4': row({ b: value('2') })
		};
		const got = c.run({
			...env(),
			rec: view('1', all['1']),
			record: (_t, id) => view(id, all[id]),
			related: () => ['3', '4']
		});
		expect(show(got)).toBe('8.5');
	});
});

describe('formulas over fields', () => {
	it('keep their meaning when fields and options are renamed', () => {
		const c = compileExpression(
			parseExpression('size class = "Small" and a > 1', { schema, type: 'thing' }),
			{ schema, type: 'thing' }
		);
		const m = structuredClone(schema.model);
		m.types[0].fields.find((f) => f.id === 'size')!.label = 'Class by size';
		m.lists[0].options[1].label = 'Petite';
		const renamed = new Schema(m);
		expect(printExpression(bare(c.expr), renamed).text).toBe('Class by size = "Petite" and A > 1');
		expect(compileExpression(bare(c.expr), { schema: renamed, type: 'thing' }).faults).toEqual([]);
	});

	it('say what is wrong, where, and what was meant', () => {
		expect(fault('size clas = "Small"', 'thing')).toMatchObject({
			from: 0,
			to: 9,
			message: expect.stringContaining('Did you mean Size class?')
		});
		expect(fault('size class = "Smal"', 'thing')).toMatchObject({
			from: 13,
			to: 19,
			message: expect.stringContaining('Did you mean “Small”?')
		});
		expect(fault('size class = "Huge"', 'thing')!.message).toContain(
			'It has “Micro”, “Small”, “Medium”, “Large”'
		);
		expect(fault('size class > "Small"', 'thing')!.message).toContain('position(');
		expect(fault('a + text', 'thing')!.message).toContain('cannot join');
		expect(fault('a == 1', 'thing')).toMatchObject({
			from: 2,
			to: 4,
			message: expect.stringContaining('one “=”')
		});
		expect(fault('sqr(4)')!.message).toContain('Did you mean sqrt()?');
		expect(fault('1 +')!.message).toContain('missing');
		expect(fault('if true then 1')!.message).toContain('else');
		expect(fault('“x”')!.message).toContain('straight double quotes');
		expect(fault('10,000')!.message).toContain('10000');
		expect(fault('day.hour', 'thing')!.message).toContain('year, month, day, weekday');
	});

	it('reads names with any letters, spaces and signs, the longest first', () => {
		const m = structuredClone(schema.model);
		const f = m.types[0].fields;
		f.push(
			{ id: 'x1', label: 'Größe', group: 'G', type: 'number' },
			{ id: 'x2', label: 'A b', group: 'G', type: 'text' },
			{ id: 'x3', label: 'in stock', group: 'G', type: 'yesno' }
		);
		const s = new Schema(m);
		const reads = (t: string) =>
			compileExpression(parseExpression(t, { schema: s, type: 'thing' }), {
				schema: s,
				type: 'thing'
			}).reads.map((r) => r.field);
		expect(reads('größe + a')).toEqual(['x1', 'a']);
		expect(reads('A  b = "x"')).toEqual(['x2']);
		expect(reads("'in stock'")).toEqual(['x3']);
		expect(reads("'discount %' > 1")).toEqual(['money']);
	});

	it('tests cells', () => {
		const cell = (text: string, v: Value) => {
			const c = compileTests(parseTests(text, { schema, type: 'thing' }), {
				schema,
				type: 'thing',
				input: { t: 'number' }
			});
			expect(c.faults, text).toEqual([]);
			return c.run({ ...env(), input: v });
		};
		const five = value('5');
		expect(cell('-', null)).toBe(true);
		expect(cell('[1..5)', five)).toBe(false);
		expect(cell('< 3, >= 5', five)).toBe(true);
		expect(cell('not(1, 5)', five)).toBe(false);
		expect(cell('? > 3 and ? < 6', five)).toBe(true);
		expect(cell('> 3', null)).toBeNull();
		expect(cell('null', null)).toBe(true);
	});
});

describe('any source', () => {
	it('ends in bounded time with a named error or a value, and never throws anything else', () => {
		const junk = fc.oneof(
			fc.string({ maxLength: 60 }),
			fc
				.array(
					fc.constantFrom(
						'(',
						')',
						'[',
						']',
						'{',
						'}',
						'..',
						',',
						'if ',
						'then ',
						'else ',
						'for ',
						'in ',
						'return ',
						'1',
						'"a"',
						'a',
						'+',
						'-',
						'*',
						'/',
						'=',
						'<',
						'and ',
						'or ',
						'not(',
						'?',
						'@"',
						'.',
						"'",
						' '
					),
					{ maxLength: 30 }
				)
				.map((x) => x.join(''))
		);
		fc.assert(
			fc.property(junk, (text) => {
				try {
					const c = compileExpression(
						parseExpression(text, { schema: plain, type: null, variables: ['a'] }),
						{ schema: plain, type: null, variables: [{ name: 'a', ty: { t: 'any' } }] }
					);
					c.run(env());
					expect(isTree(bare(c.expr))).toBe(true);
				} catch (e) {
					expect((e as Error).name).toMatch(/FormulaError|LimitError/);
				}
			}),
			{ numRuns: 2000 }
		);
	});

	it('is refused when too long, too deep or too costly', () => {
		expect(fault('1'.repeat(MAX_SOURCE + 1))!.message).toContain('characters');
		expect(fault('('.repeat(5000) + '1' + ')'.repeat(5000))!.message).toContain('deep');
		expect(fault('-'.repeat(5000) + '1')!.message).toContain('deep');
		expect(fault('1' + ' + 1'.repeat(3000))!.message).toContain('sum(');
		expect(value('true' + ' and true'.repeat(2000))).toBe(true);
		expect(() => value('count(for i in 1..1000000000 return i)')).toThrow('too many steps');
		expect(() =>
			value('{f: function(n) f(n), x: (function(g) g(g))(function(g) g(g))}.x')
		).toThrow();
	});

	it('runs patterns in time that grows with the text only', () => {
		const start = performance.now();
		is('matches("aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa!", "^(a+)+$")', 'false');
		expect(performance.now() - start).toBeLessThan(2000);
	});

	it('is no tree unless it has the shape of one', () => {
		for (const bad of [
			null,
			1,
			[],
			{},
			{ k: 'num' },
			{ k: 'bin', op: '^', a: { k: 'null' }, b: { k: 'null' } },
			{ k: '__proto__' },
			{ k: 'env', name: 'process' }
		])
			expect(isTree(bad)).toBe(false);
	});
});
