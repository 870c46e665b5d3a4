import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cellOf, filterOf, order, type GridColumn } from './columns';

interface Row {
	name: string;
	size: number | null;
}
const name: GridColumn<Row> = { id: 'name', label: 'Name', value: (r) => r.name, width: 100 };
const size: GridColumn<Row> = {
	id: 'size',
	label: 'Size',
	value: (r) => r.size,
	text: (r) => (r.size === null ? '' : `${r.size} m²`),
	numeric: true,
	width: 100
};
const rows: Row[] = [
	{ name: 'Łódź', size: 3 },
	{ name: 'lodz', size: 10 },
	{ name: 'Århus', size: -2.5 },
	{ name: 'No. 10', size: null }
];
const kept = (c: GridColumn<Row>, typed: string) => {
	const test = filterOf(c, typed);
	return test ? rows.filter(test).map((r) => r.name) : null;
};

describe('a filter', () => {
	it('asks for a part of the text, whatever its case and accents', () => {
		expect(kept(name, 'arhus')).toEqual(['Århus']);
		expect(kept(name, ' NO. ')).toEqual(['No. 10']);
		expect(kept(name, 'x')).toEqual([]);
	});
	it('of nothing keeps every row', () => {
		expect(kept(name, '')).toBeNull();
		expect(kept(size, '   ')).toBeNull();
	});
	it('of numbers compares, takes a range with both ends, or asks for a part', () => {
		expect(kept(size, '> 3')).toEqual(['lodz']);
		expect(kept(size, '>=3')).toEqual(['Łódź', 'lodz']);
		expect(kept(size, '< 0')).toEqual(['Århus']);
		expect(kept(size, '= 10')).toEqual(['lodz']);
		expect(kept(size, '-3..3')).toEqual(['Łódź', 'Århus']);
		expect(kept(size, '3 m')).toEqual(['Łódź']);
		expect(kept(size, '> 1 000')).toEqual([]);
	});
	it('of numbers that is half typed leaves nothing out yet', () => {
		for (const typed of ['>', '<= ', '= -', '3..', '3 .. -']) expect(kept(size, typed)).toBeNull();
		// in a column of texts the same signs are a part of the text
		expect(kept(name, '>')).toEqual([]);
		expect(kept(name, '..')).toEqual([]);
	});
	it('of few texts is one of them, exactly', () => {
		const pick = { ...name, pick: true };
		expect(kept(pick, 'lodz')).toEqual(['lodz']);
		expect(kept(pick, 'lod')).toEqual([]);
	});
	it('never throws, whatever is typed', () => {
		fc.assert(
			fc.property(fc.string({ unit: 'binary' }), fc.constantFrom(name, size), (typed, c) => {
				const test = filterOf(c, typed);
				if (test) for (const r of rows) expect(typeof test(r)).toBe('boolean');
			})
		);
	});
});

describe('the order of cells', () => {
	it('has numbers by size, texts as in a dictionary with numbers in them by size', () => {
		expect([10, 9, -1].sort(order)).toEqual([-1, 9, 10]);
		expect(['row 10', 'Row 9', 'ärger', 'apfel'].sort(order)).toEqual([
			'apfel',
			'ärger',
			'Row 9',
			'row 10'
		]);
		expect(['a', 2].sort(order)).toEqual([2, 'a']);
	});
	it('is an order', () => {
		const value = fc.oneof(fc.double({ noNaN: true }), fc.string());
		fc.assert(
			fc.property(value, value, value, (a, b, c) => {
				expect(Math.sign(order(a, b)) + Math.sign(order(b, a))).toBe(0);
				if (order(a, b) <= 0 && order(b, c) <= 0) expect(order(a, c)).toBeLessThanOrEqual(0);
			})
		);
	});
});

it('a cell without a text of its own says its value', () => {
	expect(cellOf(name, rows[0])).toBe('Łódź');
	expect(cellOf(size, rows[0])).toBe('3 m²');
	expect(cellOf({ ...size, text: undefined }, rows[3])).toBe('');
});
