/** Documents from anywhere: a sound one with a thing or two in it changed. */
import fc from 'fast-check';

const NAMES = Object.getOwnPropertyNames(Object.prototype);
const junk = fc.oneof(
	fc.constantFrom<unknown>(null, true, 0, -1, 1e308, '', 'x', [], {}, [[]], { a: 1 }, [null]),
	fc.constantFrom(...NAMES),
	fc.constantFrom<unknown>(
		'9'.repeat(5000),
		{ expr: { k: 'call', fn: 'constructor', args: [] } },
		{ text: '('.repeat(500) }
	)
);
export type Step = {
	path: number[];
	how: 'put' | 'drop' | 'rename' | 'double';
	with: unknown;
	name: string;
};
export const steps: fc.Arbitrary<Step> = fc.record({
	path: fc.array(fc.nat({ max: 400 }), { minLength: 1, maxLength: 9 }),
	how: fc.constantFrom('put', 'put', 'drop', 'rename', 'double'),
	with: junk,
	name: fc.constantFrom(...NAMES, 'id', 'kind', 'x')
});

/** A document with one thing in it changed: somewhere along a path of places. */
export function spoilt(doc: unknown, { path, how, with: w, name }: Step): unknown {
	const copy = structuredClone(doc);
	let at = copy as Record<string, unknown>;
	for (const [i, n] of path.entries()) {
		const keys = Object.keys(at);
		if (!keys.length) break;
		const key = keys[n % keys.length];
		const child = at[key];
		if (i === path.length - 1 || typeof child !== 'object' || child === null) {
			if (how === 'put') at[key] = w;
			else if (how === 'double' && Array.isArray(at)) at.push(child);
			else {
				if (Array.isArray(at)) at.splice(n % keys.length, 1);
				else delete at[key];
				// no JSON names what an array holds
				if (how === 'rename' && !Array.isArray(at))
					Object.defineProperty(at, name, {
						value: child,
						enumerable: true,
						configurable: true,
						writable: true
					});
			}
			break;
		}
		at = child as Record<string, unknown>;
	}
	return copy;
}
