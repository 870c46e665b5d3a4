/**
 * Corners of FEEL as DMN 1.5 (OMG formal/2024-01-01, chapter 10.3) has them; the chapter beside each.
 * What deviates, or is refused with its reason, is listed in docs/formulas.md.
 */
import { describe, expect, it } from 'vitest';
import { planOf, rule, run, schema } from '../../../tests/world';
import { toJson } from '../fields/codec';
import { fromText } from '../fields/codec';
import { readFormula } from './read-formula';
import { printExpression } from './print';

/** What a formula gives, as text; a fault or a failure as its words. */
function given(text: string): string | null {
	const body = { kind: 'formula' as const, formulas: [{ text: `string([${text}])` }] };
	const plan = planOf(rule('t', body, { watch: ['a'] }));
	if (plan.problems.length) return `✗ ${plan.problems[0].message}`;
	const r = run(plan, { a: '1' });
	if (r.failures.length) return `✗ ${r.failures[0].message}`;
	const v = toJson(r.values[schema.type('thing').at.get('t')!]);
	return typeof v === 'string' ? v.slice(1, -1) : null;
}

describe('the standard', () => {
	it.each([
		// 10.3.2.3.5: durations times and by numbers are reckoned as decimals, not as doubles
		['duration("P1D") * 0.1', 'PT2H24M'],
		['duration("PT1H") * 0.7', 'PT42M'],
		['0.1 * duration("PT10S")', 'PT1S'],
		['duration("P1Y") * 1.5', 'P1Y6M'],
		['duration("P1Y") / 0', 'null'],
		// 10.3.2.14: an open end of a range is none of its items
		['for i in [1..3) return i', '[1, 2]'],
		['for i in (1..4] return i', '[2, 3, 4]'],
		['for i in 3..1 return i', '[3, 2, 1]'],
		['for d in @"2026-02-27"..@"2026-03-01" return d.day', '[27, 28, 1]'],
		['for d in (@"2026-02-27"..@"2026-03-01") return d.day', '[28]'],
		// 10.3.2.13.1: arguments by name, of function values too
		['(function(a, b) a - b)(b: 1, a: 3)', '2'],
		['(function(a, b) a - b)(b: 1, c: 3)', 'null'],
		['{f: function(a: number) a * 2, r: f(2)}.r', '4'],
		['{f: function(a: number) a * 2, r: f("2")}.r', 'null'],
		['{f: function(a: list<number>) count(a), r: f(2)}.r', '1'],
		['{f: function(a: number) a, r: f([2])}.r', '2'],
		// 10.3.4.1: string
		['string([1, "a", null, [2, "b"]])', '"[1, \\"a\\", null, [2, \\"b\\"]]"'],
		['string({a: 1, b: "x"})', '"{a: 1, b: \\"x\\"}"'],
		['string("a")', '"a"'],
		['string([])', '"[]"'],
		// 10.3.2.3.1: numbers have 34 digits; a power is one, whatever its exponent
		['decimal(1.0000001 ** 1000000, 20)', '1.10517091254979341664'],
		['2 ** 100', '1267650600228229401496703205376'],
		['(-8) ** 0.5', 'null'],
		['0 ** 5', '0'],
		// 10.3.4.3: replace, as XPath fn:replace has it
		['replace("abcd", "(b)(c)", "$2$1")', '"acbd"'],
		['replace("abc", "(b)", "[$0]")', '"a[b]c"'],
		['replace("abc", "(b)", "$12")', '"ab2c"'],
		['replace("abc", "b", "\\\\$")', '"a$c"'],
		['replace("abc", "b", "$")', 'null'],
		['replace("abc", "b", "\\\\x")', 'null'],
		['replace("aaa", "a", "$1")', '""'],
		// 10.3.2.3: types of several words
		['@"P1Y" instance of years and months duration', 'true'],
		['@"P1D" instance of days and time duration', 'true'],
		['@"P1D" instance of list<days and time duration>', 'false'],
		['@"2026-01-01T00:00:00" instance of date and time', 'true'],
		// 10.3.4.4 and 10.3.4.9: parameters by their names
		['all(list: [true, false])', 'false'],
		['any(list: [true, false])', 'true'],
		['list replace(list: [1, 2], match: function(item, newItem) item = 2, newItem: 9)', '[1, 9]'],
		['list replace(list: [1, 2], position: 1, newItem: 9)', '[9, 2]'],
		['before(point1: 1, point2: 2)', 'true'],
		['before(range: [1..2], point: 3)', 'true'],
		['overlaps before(range1: [1..3], range2: [2..4])', 'true'],
		['includes(range: [1..3], point: 2)', 'true'],
		['during(range1: [2..3], range2: [1..4])', 'true'],
		// 10.3.2.5: a filter speaks of the entries of its items, also of those from outside
		['(function(l) l[x = 2])([{x: 1}, {x: 2}])', '[{x: 2}]'],
		['(function(l) l[x > y].x)([{x: 3, y: 2}, {x: 1, y: 2}])', '[3]'],
		// 10.3.2.9.4: one value where a list is wanted is a list of one
		['list contains(1, 1)', 'true'],
		['append(1, 2)', '[1, 2]'],
		['distinct values(1)', '[1]'],
		['count(5)', '1'],
		// 10.3.1.2, grammar rule 49: behind `in` stands a whole expression
		['5 in (1) + 4', 'true'],
		['5 in ((1) + 4)', 'true'],
		['1 + 5 in (6)', 'true'],
		// 10.3.1.2, grammar rule 28: names hold characters beyond the basic plane
		['{𝒳: 1, y: 𝒳 + 1}.y', '2'],
		['{"😀": 1} = {"😀": 1}', 'true'],
		['string length("😀")', '1'],
		// 10.3.2.11: contexts are equal whatever their order
		['{a: 1, b: 2} = {b: 2, a: 1}', 'true'],
		['{a: 1} = {a: 1, b: 2}', 'false']
	])('%s', (text, expected) => expect(given(text)).toBe(expected));
});

describe('what cannot be right is refused with its reason', () => {
	const RANGE = /^✗ A number lies between 1e-6143 and 9\.99e6144/;
	it.each([
		['2 ** 100000', RANGE],
		['10 ** -7000', RANGE],
		['1e6144 * 10', RANGE],
		['-1e6144 - 1e6144 * 9', RANGE],
		['1e-6143 / 10', RANGE],
		['1e-4000 * 1e-4000', RANGE],
		['product([1e4000, 1e4000])', RANGE],
		['1e-20000', /out of range/],
		['duration("P999999999D") * 1000000', /^✗ A duration has at most 285 000 years/],
		['duration("P999999999Y") * 999999999', /^✗ A duration has at most 750 trillion years/],
		['duration("P99999999999D")', /^✗ Each part of a duration has at most 9 digits/],
		['time("10:00:00@Europe/Paris")', /^✗ A time in a named zone has no offset without its day/],
		['@"10:00:00@Europe/Paris"', /^✗ A time in a named zone/],
		['1 instance of integer', /^✗ There is no type “integer”/],
		['function(a: integer) a', /^✗ There is no type “integer”/]
	])('%s', (text, reason) => expect(given(text)).toMatch(reason));

	it('at the door as well', () => {
		const f = schema.field('thing', 'a')!;
		for (const text of ['1e-20000', '1e99999', '1e28', '-1e28'])
			expect(fromText(f, text, schema)).toMatchObject({ ok: false });
		expect(fromText(f, '1e27', schema)).toMatchObject({ ok: true });
		expect(fromText(f, '0e-20000', schema)).toMatchObject({ ok: true });
	});
});

describe('our own', () => {
	it.each([
		['words("don\'t stop, e-mail")', '["don\'t", "stop", "e-mail"]'],
		['words(" Roses & Co. – North ")', '["Roses", "Co", "North"]'],
		['words("«Zéphyr» 3½")', '["Zéphyr", "3½"]'],
		['words("- &")', '[]']
	])('%s', (text, expected) => expect(given(text)).toBe(expected));

	it('moved takes anything for either side', () => {
		const plan = planOf(
			rule('a', '1', { if: 'moved(Stage, anything, "Won")' }),
			rule('b', '1', { if: 'moved(Stage, "Lost", anything)' }),
			rule('c', '1', { if: 'moved(Stage, anything, anything)' }),
			rule('d', '1', { if: 'moved(field: Stage, to: "Won")' })
		);
		expect(plan.problems).toEqual([]);
		const move = (from: string | null, to: string | null) => {
			const { a, b, c, d } = run(plan, { stage: to }, { was: { stage: from } }).json;
			return [a, b, c, d].map((x) => (x === null ? 0 : 1)).join('');
		};
		expect(move('offer', 'won')).toBe('1011');
		expect(move(null, 'won')).toBe('1011');
		expect(move('lost', 'won')).toBe('1111');
		expect(move('lost', null)).toBe('0110');
		expect(move('won', 'won')).toBe('0000');
	});
	it('and is printed as it was written', () => {
		const scope = { schema, type: 'thing' };
		for (const text of [
			'moved(Stage, anything, "Won")',
			'moved(Stage, "Lost", anything)',
			'moved(Stage, "Lost", "Won")',
			'(function(a, b) a - b)(b: 1, a: 3)',
			'function(a: number, b) a + b',
			'@"P1Y" instance of years and months duration'
		]) {
			const { compiled, faults } = readFormula({ text }, scope);
			expect(faults).toEqual([]);
			expect(printExpression(compiled!.expr, schema).text).toBe(text);
		}
		expect(given('moved(Stage, "Won")')).toContain('Write anything for a side');
		expect(given('moved(Stage, anything)')).toContain('Write anything for a side');
	});
});
