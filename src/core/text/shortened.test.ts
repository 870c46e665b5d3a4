import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { shortened } from './shortened';

describe('a shortened text', () => {
	it('has so many signs at most, whole ones, and is the text itself where that has no more', () => {
		fc.assert(
			fc.property(
				fc.string({ unit: 'binary', maxLength: 60 }),
				fc.integer({ min: 1, max: 40 }),
				(text, most) => {
					const cut = shortened(text, most);
					const signs = Array.from(text);
					if (signs.length <= most) expect(cut).toBe(text);
					else expect(Array.from(cut)).toEqual([...signs.slice(0, most - 1), '…']);
				}
			)
		);
	});
	it('does not look through all of a long one', () => {
		expect(shortened('🌷'.repeat(2_000_000), 3)).toBe('🌷🌷…');
	});
});
