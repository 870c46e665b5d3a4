/** The index of a decision table names every row that a scan of all rows finds. Invented tables. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { schema } from '../../../tests/world';
import { compileTests } from '../feel/compile';
import type { Env } from '../feel/env';
import { parseTests } from '../feel/parse';
import { num, parseNum } from '../value/num';
import { LocalDate, Moment } from '../value/temporal';
import type { Value } from '../value/value';
import { RowIndex, type IndexedCell } from './row-index';

const scope = { schema, type: 'thing' };
const compiled = new Map<string, IndexedCell>();
function cell(text: string): IndexedCell {
	const had = compiled.get(text);
	if (had) return had;
	const { tests, run } = compileTests(parseTests(text, scope), { ...scope, input: { t: 'any' } });
	const made = { tests, run };
	compiled.set(text, made);
	return made;
}
// as much of what formulas run in as cells ask for: the record has 5 in A
const at = schema.type('thing').at;
const values = schema.type('thing').type.fields.map((f) => (f.id === 'a' ? num(5) : null));
const env = {
	rec: { type: 'thing', id: '1', was: values, sent: values, settled: values },
	input: null,
	vars: [],
	steps: 1e9,
	depth: 0,
	now: null,
	today: LocalDate.parse('2026-11-23'),
	person: null,
	entryPoint: 'full'
} as unknown as Env;

const NUMBERS = [
	'-3',
	'0',
	'0.1',
	'0.10000000000000001',
	'7',
	'7.5',
	'10',
	'123456789012345678901'
];
const TEXTS = ['"A"', '"B"', '"b"', '"Bb"', '""'];
const DATES = ['@"2026-01-31"', '@"2026-02-01"', '@"2026-12-31"'];
const of = (constants: string[]) => {
	const one = fc.constantFrom(...constants);
	return fc.oneof(
		one,
		fc.tuple(fc.constantFrom('<', '<=', '>', '>=', '=', '!='), one).map((x) => x.join(' ')),
		fc
			.tuple(fc.constantFrom('[', '(', ']'), one, one, fc.constantFrom(']', ')', '['))
			.map(([a, lo, hi, b]) => `${a}${lo}..${hi}${b}`),
		fc.array(one, { minLength: 2, maxLength: 3 }).map((x) => x.join(', ')),
		fc.array(one, { minLength: 1, maxLength: 2 }).map((x) => `not(${x.join(', ')})`)
	);
};
const anyCell = fc.oneof(
	fc.constantFrom(
		'-',
		'null',
		'not(null)',
		'true',
		'false',
		'? > A',
		'< A',
		'@"2026-02-01T10:00:00"'
	),
	of(NUMBERS),
	of(TEXTS),
	of(DATES),
	fc.tuple(of(NUMBERS), of(TEXTS)).map(([a, b]) => (/not\(/.test(a + b) ? a : `${a}, ${b}`))
);
const anyValue = fc.constantFrom<Value>(
	null,
	true,
	false,
	...[
		'-4',
		'-3',
		'0',
		'0.05',
		'0.1',
		'0.10000000000000001',
		'0.2',
		'5',
		'7',
		'8',
		'10',
		'1e30'
	].map((x) => parseNum(x)),
	parseNum('123456789012345678901'),
	parseNum('123456789012345678902'),
	'A',
	'B',
	'b',
	'Bb',
	'C',
	['A'],
	['A', 'C'],
	...['2026-01-30', '2026-01-31', '2026-02-01', '2026-06-01', '2027-01-01'].map((x) =>
		LocalDate.parse(x)
	),
	Moment.parse('2026-02-01T10:00:00Z')
);

function visited(index: RowIndex, values: readonly Value[]) {
	const out: number[] = [];
	index.visit(values, (row) => {
		out.push(row);
		return false;
	});
	return out;
}

describe('the index of rows', () => {
	it('names every row that matches, in order, for any cells and any values', () => {
		expect(at.get('a')).toBe(0);
		fc.assert(
			fc.property(
				fc.array(fc.tuple(anyCell, anyCell), { minLength: 1, maxLength: 70 }),
				fc.array(fc.tuple(anyValue, anyValue), { minLength: 1, maxLength: 12 }),
				(texts, asked) => {
					const rows = texts.map((r) => r.map(cell));
					const index = new RowIndex(rows, 2, env);
					for (const values of asked) {
						const named = visited(index, values);
						expect(named).toEqual([...new Set(named)].sort((a, b) => a - b));
						const matching = rows.flatMap((r, i) =>
							r.every((c, k) => {
								env.input = values[k];
								return c.run(env) === true;
							})
								? [i]
								: []
						);
						expect(named).toEqual(expect.arrayContaining(matching));
					}
				}
			),
			{ numRuns: 300 }
		);
	});

	it('names few rows of a large table, and ends where it is told to', () => {
		const rows = Array.from({ length: 1_500 }, (_, i) =>
			Array.from({ length: 7 }, (_, k) =>
				k === i % 7 ? cell(`[${i * 10}..${i * 10 + 9}]`) : cell('-')
			)
		);
		const index = new RowIndex(rows, 7, env);
		expect(index.plain).toBe(true);
		for (const i of [0, 6, 7, 703, 1_499]) {
			const values = Array.from({ length: 7 }, (_, k) => num(k === i % 7 ? i * 10 + 3 : -5));
			expect(visited(index, values)).toEqual([i]);
		}
		let n = 0;
		index.visit([null, null, null, null, null, null, null], () => ++n > 0);
		expect(n).toBe(0);
		const open = new RowIndex([[cell('-')], [cell('-')]], 1, env);
		open.visit([null], () => ++n > 0);
		expect(n).toBe(1);
		expect(new RowIndex([[cell('? > A')]], 1, env).plain).toBe(false);
	});
});
