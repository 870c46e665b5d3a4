import { describe, expect, it } from 'vitest';
import { zones } from '../../runtime/zones';
import type { Body, Rule } from '../model/rules';
import { formula, planOf, rule, run, setOf } from '../testing/world';
import { findings } from './findings';

const found = (...rules: Rule[]) => findings(planOf(...rules), setOf(...rules), zones);
const bands = (
	limits: string[],
	results: (string | null)[],
	blank: 'said' | 'unsaid' = 'said'
): Body => ({
	kind: 'bands',
	input: formula('a'),
	limits: limits.map((at) => ({ at, belongs: 'above' })),
	results: results.map((r) => r && [r]) as (string[] | null)[],
	blank: blank === 'said' ? { none: true } : null
});
const options = (rows: Record<string, string>): Body => ({
	kind: 'options',
	input: 'stage',
	rows: Object.fromEntries(Object.entries(rows).map(([k, v]) => [k, [v]])),
	blank: { none: true }
});
const full = { enquiry: 'micro', survey: 'micro', offer: 'small', won: 'large', lost: 'micro' };

describe('findings', () => {
	it('a gap between bands blocks, with a number that falls into it and was tried', () => {
		const r = rule('size', bands(['10', '20', '30'], ['micro', 'small', null, 'large']));
		const [f] = found(r);
		expect(f).toMatchObject({
			severity: 'blocking',
			witness: { a: '20' },
			repair: { do: 'take gap', band: 2 }
		});
		expect(run(planOf(r), f.witness!, { was: null }).reports[0].outcome).toBe('no row');
	});

	it('an open end is advice; bands without gaps have no finding', () => {
		expect(found(rule('size', bands(['0', '10'], [null, 'micro', 'large'])))).toMatchObject([
			{ severity: 'advisory', witness: { a: '-1' } }
		]);
		expect(found(rule('size', bands(['0', '10'], ['micro', 'micro', 'large'])))).toEqual([]);
	});

	it('what only looks like a gap is none: a guard or a claim above keeps it away', () => {
		const gap = bands(['10', '20'], ['micro', null, 'large']);
		const above = rule('size', 'if true then was.size class else was.size class', {
			body: {
				kind: 'formula',
				formulas: [{ expr: { k: 'option', list: 'size', option: 'small' } }]
			}
		});
		const r = rule('size', gap);
		expect(found(above, r).filter((f) => f.rule === r.id)).toEqual([]);
		const guarded = rule('size', gap, { if: 'stage = "Won"' });
		expect(found(guarded)).toMatchObject([{ witness: { stage: 'won', a: '10' } }]);
	});

	it('an option nobody mapped blocks; a retired or a mapped one does not', () => {
		expect(found(rule('size', options(full)))).toEqual([]);
		const { won: _won, ...less } = full;
		expect(found(rule('size', options(less)))).toMatchObject([
			{ severity: 'blocking', witness: { stage: 'won' } }
		]);
	});

	it('blank input nobody decided about is advice', () => {
		expect(found(rule('size', bands(['0'], ['micro', 'large'], 'unsaid')))).toMatchObject([
			{ place: 'blank', severity: 'advisory' }
		]);
	});

	it('a watch narrowed so that a value can go stale is advice', () => {
		expect(found(rule('b', 'a + c', { watch: ['a'] }))).toMatchObject([
			{ place: 'watch', message: expect.stringContaining('C') }
		]);
		expect(found(rule('b', 'a + c', { watch: ['a', 'c'] }))).toEqual([]);
	});

	it('what cannot be compiled blocks, at its place', () => {
		const r = rule('b', 'a', { body: { kind: 'formula', formulas: [{ text: 'a +' }] } });
		expect(found(r)).toMatchObject([{ severity: 'blocking', place: 'formula 0', rule: r.id }]);
		const twice = rule('b', 'a');
		expect(found(twice, { ...twice })[0].message).toContain('Two rules');
		expect(found(rule('b', 'c'), rule('c', 'b')).map((f) => f.place)).toEqual(['order', 'order']);
	});
});
