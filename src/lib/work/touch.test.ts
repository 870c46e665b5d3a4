/** What a person touched: dropped only where leaving it out gives the same. */
import { describe, expect, it } from 'vitest';
import { sameJson, touch } from './touch';

describe('touching', () => {
	it('moves a field to the end, and back to what is stored is no change where nothing else would give', () => {
		const stored = () => 'a';
		expect(touch([], 'x', 'b', 'a', stored)).toEqual([['x', 'b']]);
		expect(
			touch(
				[
					['x', 'b'],
					['y', '1']
				],
				'x',
				'c',
				'a',
				stored
			)
		).toEqual([
			['y', '1'],
			['x', 'c']
		]);
		expect(touch([['x', 'b']], 'x', 'a', 'a', stored)).toEqual([]);
	});
	it('stays where a rule would give something else, and where that cannot be told', () => {
		for (const rules of [() => 'yearly', () => undefined])
			expect(touch([['x', 'b']], 'x', 'a', 'a', rules)).toEqual([['x', 'a']]);
	});
	it('a set has no order', () => {
		expect(sameJson(['a', 'b'], ['b', 'a'])).toBe(true);
		expect(sameJson(['a'], ['b', 'a'])).toBe(false);
		expect(sameJson(null, 'a')).toBe(false);
	});
});
