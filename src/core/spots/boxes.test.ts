import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileTests } from '../feel/compile';
import type { Env } from '../feel/env';
import { parseTests } from '../feel/parse';
import type { Tests } from '../document/tree';
import type { Ty } from '../feel/types';
import { NUMBER } from '../feel/types';
import { schema } from '../../../tests/world';
import { num } from '../value/num';
import type { Value } from '../value/value';
import { analyseBoxes } from './boxes';
import type { Domain } from './taken';

const SIZE: Ty = { t: 'choice', list: 'size' };
const sizes = ['micro', 'small', 'medium', 'large'];
const NUMBERS: Domain = { kind: 'number', places: 0 };
const SIZES: Domain = { kind: 'options', values: sizes };
const cell = (text: string, input: Ty) =>
	compileTests(parseTests(text, { schema, type: 'thing' }), { schema, type: 'thing', input });
const tests = (text: string, input: Ty): Tests => cell(text, input).tests;
/** Whether a cell takes a value, as the engine runs it. */
const taker = (text: string, input: Ty) => {
	const { run } = cell(text, input);
	return (v: Value) => run({ input: v, vars: [], steps: 1000 } as unknown as Env) === true;
};

describe('decision tables as boxes', () => {
	it('find the hole between two stretches, and the blank', () => {
		const rows = ['< 10', '[10..20)', '> 20'].map((c) => [tests(c, NUMBER)]);
		const a = analyseBoxes([NUMBERS], rows)!;
		expect(a.gaps.map((g) => String(g.values[0])).sort()).toEqual(['20', 'null']);
		expect(a.overlaps).toEqual([]);
	});
	it('know that whole numbers have no hole between 9 and 10, and decimals of two digits none below 50000', () => {
		const rows = ['<= 9', '>= 10', 'null'].map((c) => [tests(c, NUMBER)]);
		expect(analyseBoxes([NUMBERS], rows)!.gaps).toEqual([]);
		expect(analyseBoxes([{ kind: 'number', places: null }], rows)!.gaps).toHaveLength(1);
		const cents = ['<= 49999.99', '>= 50000', 'null'].map((c) => [tests(c, NUMBER)]);
		expect(analyseBoxes([{ kind: 'number', places: 2 }], cents)!.gaps).toEqual([]);
	});
	it('find rows that share a combination, and rows that earlier ones cover', () => {
		const rows = [
			['< 10', '"Small"'],
			['>= 10', '"Small"'],
			['[5..15]', '"Small", "Large"'],
			['7', '"Small"'],
			['[9..3]', '-']
		].map(([x, y]) => [tests(x, NUMBER), tests(y, SIZE)]);
		const a = analyseBoxes([NUMBERS, SIZES], rows)!;
		expect(a.overlaps.map((o) => o.rows.join())).toEqual(['0,2', '0,3', '1,2', '2,3']);
		expect(a.covered).toEqual([
			{ row: 3, by: [0, 2] },
			{ row: 4, by: [] }
		]);
	});
	it('say that other cells are not analysed', () => {
		expect(analyseBoxes([NUMBERS], [[tests('? * 2 > 5', NUMBER)]])).toBeNull();
	});

	// brute force over a small space: no gap, overlap or cover that is not there, none missed
	it('agree with brute force over small domains, for any tables of constants, ranges and options', () => {
		const whole = fc.integer({ min: 0, max: 6 });
		const numeric = fc.oneof(
			fc.constant('-'),
			fc.constant('null'),
			whole.map(String),
			fc.tuple(fc.constantFrom('<', '<=', '>', '>=', '!='), whole).map(([o, x]) => `${o} ${x}`),
			fc
				.tuple(fc.constantFrom('[', '('), whole, fc.nat(4), fc.constantFrom(']', ')'))
				.map(([a, x, d, b]) => `${a}${x}..${x + d}${b}`),
			fc.tuple(whole, whole).map(([a, b]) => `${a}, ${b}`),
			fc.tuple(whole, fc.nat(3)).map(([a, d]) => `not([${a}..${a + d}])`)
		);
		const label = fc.constantFrom('"Micro"', '"Small"', '"Medium"', '"Large"');
		const choice = fc.oneof(
			fc.constant('-'),
			fc.constant('null'),
			label,
			fc.tuple(label, label).map(([a, b]) => `${a}, ${b}`),
			label.map((l) => `not(${l})`)
		);
		const space: [Value, Value][] = [];
		for (const x of [...Array.from({ length: 15 }, (_, i) => num(i - 2)), null])
			for (const y of [...sizes, null]) space.push([x, y]);
		fc.assert(
			fc.property(fc.array(fc.tuple(numeric, choice), { minLength: 1, maxLength: 5 }), (table) => {
				const rows = table.map(([x, y]) => [tests(x, NUMBER), tests(y, SIZE)]);
				const a = analyseBoxes([NUMBERS, SIZES], rows)!;
				const takers = table.map(([p, q]) => [taker(p, NUMBER), taker(q, SIZE)]);
				const hits = ([x, y]: readonly Value[]) =>
					takers.flatMap(([p, q], i) => (p(x) && q(y) ? [i] : []));
				const all = space.map(hits);
				for (const g of a.gaps) expect(hits(g.values)).toEqual([]);
				expect(a.gaps.length > 0).toBe(all.some((h) => !h.length));
				for (const o of a.overlaps)
					expect(hits(o.values)).toEqual(expect.arrayContaining([...o.rows]));
				const pairs = new Set(
					all.flatMap((h) => h.flatMap((i) => h.filter((j) => j > i).map((j) => `${i},${j}`)))
				);
				expect(new Set(a.overlaps.map((o) => o.rows.join()))).toEqual(pairs);
				const never = table.map((_, r) => r).filter((r) => !all.some((h) => h[0] === r));
				expect(a.covered.map((c) => c.row)).toEqual(never);
			}),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 300), seed: 20261124 }
		);
	});
});
