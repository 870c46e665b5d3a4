import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { lanesOf, places, type ChangeThen } from './spans';

const set = (
	field: string,
	was: string | null,
	now: string | null,
	claim: string | null = null
) => ({
	field,
	was,
	now,
	claim,
	outcome: 'set'
});
const change = (n: number, ...lines: ChangeThen['lines'][number][]): ChangeThen => ({
	change: String(n),
	at: new Date(n * 1000).toISOString(),
	lines
});

describe('the spans of a history', () => {
	it('go from change to change, each with whoever set the value', () => {
		const all = [
			change(1, set('site', null, 'NL1'), set('yard', null, 'Yard 1', 'r:0')),
			change(2, set('name', 'Ilse', 'Elske')),
			change(3, set('site', 'NL1', 'NL2'), set('yard', 'Yard 1', 'Yard 2', 'r:0'), {
				...set('size', 'Small', 'Large', 'x:0'),
				outcome: 'set aside'
			})
		];
		expect(lanesOf(all, ['name', 'yard'])).toEqual([
			{
				field: 'name',
				spans: [
					{ from: -1, to: 1, value: 'Ilse', by: 'before' },
					{ from: 1, to: 3, value: 'Elske', by: 'sent' }
				]
			},
			{
				field: 'yard',
				spans: [
					{ from: -1, to: 0, value: null, by: 'before' },
					{ from: 0, to: 2, value: 'Yard 1', by: 'rule' },
					{ from: 2, to: 3, value: 'Yard 2', by: 'rule' }
				]
			},
			{
				field: 'site',
				spans: [
					{ from: -1, to: 0, value: null, by: 'before' },
					{ from: 0, to: 2, value: 'NL1', by: 'sent' },
					{ from: 2, to: 3, value: 'NL2', by: 'sent' }
				]
			}
		]);
	});

	it('leave no gap and never overlap, whatever changed when', () => {
		const lines = fc.uniqueArray(fc.constantFrom<string>('a', 'b', 'c'), { minLength: 1 });
		fc.assert(
			fc.property(fc.array(lines, { minLength: 1, maxLength: 12 }), (fields) => {
				const all = fields.map((of, n) => change(n, ...of.map((f) => set(f, 'x', String(n)))));
				for (const { field, spans } of lanesOf(all, [])) {
					expect(spans[0].from).toBe(-1);
					expect(spans.at(-1)!.to).toBe(all.length);
					spans.slice(1).forEach((s, i) => expect(s.from).toBe(spans[i].to));
					expect(spans.length - 1).toBe(fields.filter((of) => of.includes(field)).length);
				}
			})
		);
	});
});

describe('places in the picture', () => {
	it('keep the order, stand apart, and fill the width', () => {
		fc.assert(
			fc.property(fc.array(fc.nat(1e12), { minLength: 2, maxLength: 60 }), (some) => {
				const times = [...some].sort((a, b) => a - b);
				const at = places(times, 900);
				expect(at).toHaveLength(times.length);
				at.slice(1).forEach((x, i) => expect(x - at[i]).toBeGreaterThanOrEqual(14));
				expect(at.at(-1)!).toBeCloseTo(Math.max(900, 14 * (times.length - 1)), 6);
			})
		);
	});
	it('are further apart the more time lay between', () => {
		const [a, b, c, d] = places([0, 60_000, 3_660_000, 90_000_000], 900);
		expect([b - a < c - b, c - b < d - c]).toEqual([true, true]);
	});
	it('are none of nothing', () => {
		expect(places([], 900)).toEqual([]);
		expect(places([5], 900)).toEqual([0]);
	});
});
