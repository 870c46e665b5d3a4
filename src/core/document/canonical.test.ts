import fc from 'fast-check';
import { expect, it } from 'vitest';
import { canonicalJson } from './canonical';

it('canonical JSON is JSON of the same value, whatever the order of keys', () => {
	fc.assert(
		fc.property(fc.jsonValue(), (v) => {
			expect(JSON.parse(canonicalJson(v))).toEqual(JSON.parse(JSON.stringify(v)));
			if (v && typeof v === 'object' && !Array.isArray(v)) {
				const turned = Object.fromEntries(Object.entries(v).reverse());
				expect(canonicalJson(turned)).toBe(canonicalJson(v));
			}
		})
	);
});
