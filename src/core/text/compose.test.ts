import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { joinPieces, type Piece } from './compose';
import { looseKey } from './loose';

/** `{A}, {B}` with values by letter; a letter without a value is blank. */
const join = (text: string, values: Record<string, string>) =>
	joinPieces(
		text
			.split(/(\{\w\})/)
			.filter(Boolean)
			.map((p): Piece => (/^\{\w\}$/.test(p) ? { value: values[p[1]] ?? null } : { fixed: p }))
	);

// common practice, no source: how people write a text when a part is missing
describe('a composed text without its blank parts', () => {
	it.each([
		['{A} {B} {C}', { A: 'a', C: 'c' }, 'a c'],
		['{A} {B} {C}', { C: 'c' }, 'c'],
		['{A} {B} {C}', { A: 'a' }, 'a'],
		['{A}, {B} ({C})', { A: 'a', B: 'b' }, 'a, b'],
		['{A}, {B} ({C})', { A: 'a', C: 'c' }, 'a (c)'],
		['{A}, {B} ({C})', { B: 'b', C: 'c' }, 'b (c)'],
		['{A} – {B} {C}', { A: 'a', C: 'c' }, 'a c'],
		['{A} – {B} – {C}', { A: 'a', C: 'c' }, 'a – c'],
		['{A} – {B}', { B: 'b' }, 'b'],
		['{A} – {B}', { A: 'a' }, 'a'],
		['Dear {A}', {}, null],
		['Dear {A} {B},', { B: 'b' }, 'Dear b,'],
		['{A} glasshouse', { A: 'a' }, 'a glasshouse'],
		['{A} ({B}) {C}', { A: 'a', C: 'c' }, 'a c'],
		['plain', {}, 'plain'],
		['{A}{B}', { B: 'b' }, 'b']
	])('%s with %j is %s', (text, values, wanted) => {
		expect(join(text, values as Record<string, string>)).toBe(wanted);
	});

	it('neither begins nor ends with a space, doubles none, and changes nothing where nothing is blank', () => {
		const word = fc.stringMatching(/^[a-z]{1,4}$/);
		const glue = fc.constantFrom(' ', ', ', ' – ', ' / ');
		fc.assert(
			fc.property(
				fc.array(fc.tuple(fc.option(word), glue), { minLength: 1, maxLength: 6 }),
				(parts) => {
					const pieces = parts.flatMap(([v, g], i): Piece[] =>
						i < parts.length - 1 ? [{ value: v }, { fixed: g }] : [{ value: v }]
					);
					const out = joinPieces(pieces);
					if (parts.every(([v]) => v === null)) return out === null;
					const kept = parts.map(([v]) => v).filter((v) => v !== null);
					expect(out).not.toMatch(/^\s|\s$|\s\s/);
					expect(out!.split(/[ ,–/]+/)).toEqual(kept);
					if (kept.length === parts.length)
						expect(out).toBe(pieces.map((p) => ('fixed' in p ? p.fixed : p.value)).join(''));
				}
			),
			{ numRuns: 500 }
		);
	});
});

describe('loose keys', () => {
	it.each([
		['Noordkas Tulpen', 'noordkas  TULPEN'],
		['Gärtnerei', 'gartnerei'],
		['Gärtnerei', 'Ga\u0308rtnerei'],
		['Straße', 'STRASSE'],
		['ﬁn', 'fin']
	])('%s and %s are one', (a, b) => {
		expect(looseKey(a)).toBe(looseKey(b));
	});
	it('keep different words apart', () => {
		expect(looseKey('Øst')).not.toBe(looseKey('Ost'));
	});
});
