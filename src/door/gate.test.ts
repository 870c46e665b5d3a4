/** What has to be so before a release, for every level and everything that can be known. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
	CRITERIA,
	LEVELS,
	USUAL_GATE,
	held,
	heldReturn,
	keepsOut,
	needsReason,
	rehearsedAs,
	type Gate,
	type Readiness
} from './gate';
import { BadInput, checkReasons } from '.';

const READY: Readiness = {
	blocking: 0,
	inherited: 0,
	failing: 0,
	trials: 91,
	tried: { n: 80, of: 100 },
	noticed: { n: 80, of: 100 },
	rehearsed: true,
	records: 1033,
	rowsSince: [],
	replayed: { from: '2026-10-26', to: '2026-11-24', changes: { n: 3, of: 107 } },
	surprises: 0,
	remarks: []
};
const strict: Gate = {
	...USUAL_GATE,
	levels: {
		findings: 'must',
		trials: 'must',
		coverage: 'must',
		strength: 'must',
		rehearsal: 'must',
		replay: 'must',
		surprises: 'must',
		remarks: 'must'
	}
};
const met = (gate: Gate, r: Partial<Readiness>) =>
	Object.fromEntries(held(gate, { ...READY, ...r }).map((p) => [p.what, p.met]));
const says = (gate: Gate, r: Partial<Readiness>, what: string) =>
	held(gate, { ...READY, ...r }).find((p) => p.what === what)!.says;

describe('the gate', () => {
	it('lets through what meets everything, at the very limits', () => {
		expect(held(strict, READY).some((p) => keepsOut(p) || needsReason(p))).toBe(false);
	});

	it('holds each criterion for itself', () => {
		expect(met(strict, { blocking: 1 }).findings).toBe(false);
		expect(met(strict, { failing: 1 }).trials).toBe(false);
		expect(met(strict, { tried: { n: 799, of: 1000 } }).coverage).toBe(false);
		expect(met(strict, { noticed: { n: 0, of: 0 } }).strength).toBe(true);
		expect(met(strict, { rehearsed: false })).toMatchObject({ rehearsal: false, surprises: false });
		expect(met(strict, { replayed: null })).toMatchObject({ rehearsal: true, replay: false });
		const remarks = [{ title: 'Size', text: 'Why 60?', by: 'Ida' }];
		expect(met(strict, { remarks })).toMatchObject({ surprises: true, remarks: false });
		expect(held(strict, { ...READY, remarks }).at(-1)).toMatchObject({
			says: '1 remark is open.',
			lines: ['Size: “Why 60?”, Ida']
		});
		expect(met(strict, { surprises: 2 })).toMatchObject({ rehearsal: true, surprises: false });
	});

	it('leaves out findings that the release in force has too, unless it is set otherwise', () => {
		const r = { blocking: 3, inherited: 3 };
		expect(met(USUAL_GATE, r).findings).toBe(true);
		expect(says(USUAL_GATE, r, 'findings')).toBe(
			'No blocking finding. 3 more stand in the release in force as well, and nothing touched them.'
		);
		expect(met({ ...USUAL_GATE, inherited: true }, r).findings).toBe(false);
		expect(says({ ...USUAL_GATE, inherited: true }, r, 'findings')).toBe('3 blocking findings.');
		expect(met(USUAL_GATE, { ...r, blocking: 4 }).findings).toBe(false);
	});

	it('never takes what is not known for good: it keeps out wherever it counts', () => {
		const known = fc.option(fc.nat(3));
		const part = fc.option(fc.record({ n: fc.nat(9), of: fc.integer({ min: 9, max: 12 }) }));
		fc.assert(
			fc.property(
				fc.record({
					blocking: known,
					inherited: fc.constant(0),
					failing: known,
					trials: fc.nat(9),
					tried: part,
					noticed: part,
					rehearsed: fc.boolean(),
					records: fc.nat(9),
					replayed: fc.constantFrom(null, READY.replayed),
					rowsSince: fc.constantFrom([], ['Districts', 'Desks']),
					surprises: fc.nat(2),
					remarks: fc.array(fc.constant({ title: 'Size', text: 'Why 60?', by: 'Ida' }), {
						maxLength: 2
					})
				}),
				fc.tuple(...CRITERIA.map(() => fc.constantFrom(...LEVELS))),
				(r, levels) => {
					const gate: Gate = {
						...USUAL_GATE,
						levels: Object.fromEntries(CRITERIA.map((c, i) => [c, levels[i]])) as Gate['levels']
					};
					for (const p of held(gate, r)) {
						if (p.level === 'shown') expect(keepsOut(p) || needsReason(p)).toBe(false);
						else expect(keepsOut(p) || needsReason(p)).toBe(p.met !== true);
						if (p.level === 'must') expect(needsReason(p)).toBe(false);
						expect(p.says).toMatch(/\.$/);
					}
					const unknown = { findings: r.blocking, trials: r.failing, coverage: r.tried };
					for (const p of held(gate, r))
						if (Object.hasOwn(unknown, p.what))
							expect(p.met === null).toBe(unknown[p.what as keyof typeof unknown] === null);
				}
			)
		);
	});
});

describe('a rehearsal', () => {
	const surprises = [{ key: 'a' }, { key: 'b' }];
	const r = {
		draftHash: 'h',
		before: 3,
		records: 7,
		of: 90,
		rowsSince: ['Districts'],
		period: null,
		surprises
	};
	it('is of the draft while neither the draft nor the release in force is another', () => {
		const looked = { b: { by: 'Ida' } };
		expect(rehearsedAs({ ...r, looked }, null, 'h', 3)).toEqual({
			rehearsed: true,
			records: 7,
			rowsSince: ['Districts'],
			replayed: null,
			surprises: 1
		});
		expect(rehearsedAs({ ...r, looked }, null, 'other', 3).rehearsed).toBe(false);
		expect(rehearsedAs({ ...r, looked }, null, null, 3).rehearsed).toBe(false);
		expect(rehearsedAs({ ...r, looked }, null, 'h', 4).rehearsed).toBe(false);
		expect(rehearsedAs(null, null, null, 0)).toEqual({
			rehearsed: false,
			records: 0,
			rowsSince: [],
			replayed: null,
			surprises: 0
		});
	});

	it('says which tables were edited since', () => {
		const says = (rowsSince: string[]) =>
			held(USUAL_GATE, { ...READY, rowsSince }).find((p) => p.what === 'rehearsal')!.says;
		expect(says([])).toBe('Rehearsed on all records: 1033 records would change.');
		expect(says(['Districts', 'Desks'])).toBe(
			'Rehearsed on all records: 1033 records would change. Rows of “Districts”, “Desks” were edited since.'
		);
	});

	it('goes with a replay: of another draft it says nothing, and its surprises do not count', () => {
		const period = { from: '2026-11-01', to: '2026-11-24' };
		const replay = { ...r, period, looked: {} };
		const all = { ...r, looked: { a: 1, b: 1 } };
		expect(rehearsedAs(all, replay, 'h', 3)).toMatchObject({
			replayed: { ...period, changes: { n: 7, of: 90 } },
			surprises: 2
		});
		for (const [hash, force] of [
			['other', 3],
			['h', 4]
		] as const)
			expect(rehearsedAs(all, replay, hash, force)).toMatchObject({
				replayed: null,
				surprises: 0
			});
	});
});

describe('reasons', () => {
	it('are texts by criterion, and nothing else', () => {
		expect(checkReasons(undefined)).toEqual({});
		expect(checkReasons({ trials: 'They are old.' })).toEqual({ trials: 'They are old.' });
		for (const bad of [{ trials: 5 }, { moods: 'x' }, { trials: 'x'.repeat(501) }, 'x', [1]])
			expect(() => checkReasons(bad)).toThrow(BadInput);
	});
});

describe('a return to an earlier release', () => {
	it('is never kept out: what a release has to meet asks for a reason there', () => {
		for (const level of LEVELS)
			for (const r of [
				null,
				{ id: '1', records: 3, surprises: 0 },
				{ id: '1', records: 3, surprises: 2 }
			]) {
				const all = heldReturn(
					{ ...USUAL_GATE, levels: { ...USUAL_GATE.levels, rehearsal: level, surprises: level } },
					r
				);
				expect(all.some(keepsOut)).toBe(false);
				expect(all.some(needsReason)).toBe(level !== 'shown' && (r === null || r.surprises > 0));
			}
	});
	it('says what its rehearsal came to', () => {
		expect(
			heldReturn(USUAL_GATE, { id: '1', records: 1, surprises: 2 }).map((p) => p.says)
		).toEqual([
			'Rehearsed on all records: 1 record would change.',
			'2 surprises of its rehearsal nobody looked at.'
		]);
	});
});
