import fc from 'fast-check';
import { expect, it } from 'vitest';
import { keptSetBy, markedBy, readSetBy, type SetBy } from './set-by';

const number = fc.bigInt({ min: 1n, max: 10n ** 18n }).map(String);
const added = fc.option(fc.dictionary(fc.string(), fc.array(fc.string())), { nil: undefined });
const made: fc.Arbitrary<SetBy> = fc.oneof(
	fc.record({ change: number, claim: fc.string({ minLength: 1 }), added }).map((s) => {
		const { added, ...rest } = s;
		return { by: 'rule' as const, ...rest, ...(added && { added }) };
	}),
	fc
		.record({
			by: fc.constantFrom('person' as const, 'import', 'api'),
			change: number,
			account: number
		})
		.map((s) => s)
);

it('is read as it was kept', () => {
	fc.assert(
		fc.property(fc.dictionary(fc.string(), made), (all) => {
			expect(readSetBy(JSON.parse(JSON.stringify(keptSetBy(all))))).toEqual({ ...all });
		})
	);
});

it('keeps all words where history never had the change, and marks it so', () => {
	const words: SetBy = { by: 'person', name: 'Ida Faro', at: '2020-01-01T00:00:00.000Z' };
	expect(readSetBy(keptSetBy({ a: words }))).toEqual({ a: words });
	expect(markedBy(words)).toBe('p 0 ');
	expect(readSetBy({ a: 'p 0 ' })).toEqual({ a: { by: 'person' } });
});

it('is a few signs', () => {
	const s: SetBy = { by: 'rule', change: '457', claim: 'size:o' };
	expect(JSON.stringify(keptSetBy({ size: s }))).toBe('{"size":"r 457 size:o"}');
});
