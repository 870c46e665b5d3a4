import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { schema } from '../../../tests/world';
import { MAX_FIELD_TEXT, fromJson, fromText, toJson } from './codec';

const f = (id: string) => schema.field('thing', id)!;
const read = (id: string, text: string) => {
	const r = fromText(f(id), text, schema);
	return r.ok ? toJson(r.value) : `! ${r.message}`;
};

describe('values typed or sent', () => {
	it('are read by the type of their field', () => {
		expect(read('a', ' 6 400 000 ')).toBe('6400000');
		expect(read('a', '−3')).toBe('-3');
		expect(read('a', '\u202f1\u00a0000.50')).toBe('1000.5');
		expect(read('size', 'small')).toBe('small');
		expect(read('size', ' SMALL ')).toBe('small');
		expect(read('sizes', 'Small; Large; small')).toEqual(['small', 'large']);
		expect(read('flag', 'Yes')).toBe(true);
		expect(read('day', '2026-11-23')).toBe('2026-11-23');
		expect(read('at', '2026-11-23T10:00:00+01:00')).toBe('2026-11-23T09:00:00.000Z');
		expect(read('t', '   ')).toBeNull();
	});

	it('are refused with what would be right', () => {
		expect(read('a', 'fifty')).toBe('! A: “fifty” is no number.');
		expect(read('a', '1,5')).toContain('Write decimals with a point');
		expect(read('size', 'Smal')).toContain('Did you mean “Small”?');
		expect(read('day', '23.11.2026')).toContain('Write it as 2026-11-23');
		expect(read('at', 'noon')).toContain('Write it as 2026-11-23 09:30');
		expect(read('at', '12026-11-23T10:00:00')).toContain('years 1 to 9999');
		expect(read('day', '0000-11-23')).toContain('years 1 to 9999');
		expect(read('boss', 'Ida')).toContain('no record number');
		expect(read('t', 'x'.repeat(MAX_FIELD_TEXT + 1))).toContain('4000 characters');
		expect(read('a', '1e40')).toContain('too large');
	});

	it('in JSON may be numbers and booleans too, and nothing else passes', () => {
		expect(fromJson(f('a'), 12.5, schema)).toMatchObject({ ok: true });
		expect(fromJson(f('flag'), true, schema)).toEqual({ ok: true, value: true });
		for (const [id, v] of [
			['a', true],
			['t', 5],
			['size', ['small']],
			['flag', 1],
			['a', {}],
			['sizes', [1]]
		] as const)
			expect(fromJson(f(id), v, schema).ok, `${id} ${JSON.stringify(v)}`).toBe(false);
	});

	it('come back as they were written', () => {
		fc.assert(
			fc.property(
				fc.constantFrom('a', 't', 'size', 'sizes', 'flag', 'day', 'at'),
				fc.string(),
				(id, s) => {
					const r = fromText(f(id), s, schema);
					if (!r.ok) return;
					const again = fromJson(f(id), toJson(r.value), schema);
					expect(again.ok && toJson(again.value)).toEqual(toJson(r.value));
				}
			)
		);
	});
});
