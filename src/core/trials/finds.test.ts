/** Trials keep the rows of living tables that they read. Rules of the demo. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { zones } from '../../runtime/zones';
import { Schema } from '../document/model';
import type { RuleSet } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { cellsOf, withRows, withoutRows, type LivingRow } from '../tables/living';
import { keepingRows, runTrial, type Trial } from './trials';

const TABLE = 'district_postcodes';
const released = demoReleases[2].set;
const table = released.tables!.find((t) => t.id === TABLE)!;
const rows: LivingRow[] = table.rows.map((r, i) => ({ id: `r${i}`, cells: cellsOf(table, r) }));
const set: RuleSet = { ...released, tables: released.tables!.map(withoutRows) };
const planOf = (some: readonly LivingRow[]) =>
	compilePlan(new Schema(demoModel), withRows(set, { [TABLE]: some }));
const plan = planOf(rows);
const trial = (postal_code: string, district: string | null): Trial => ({
	id: 't',
	name: 't',
	type: 'customer',
	was: null,
	sent: [
		['country', 'germany'],
		['postal_code', postal_code]
	],
	entryPoint: 'full',
	at: '2026-11-23T09:00:00.000Z',
	expect: [{ field: 'service_district', value: district }]
});
const given = (of: Trial, by = plan) => runTrial(by, of, zones).lines[0].got;
const moved = rows.map((r) =>
	r.cells.country === 'germany' && r.cells.begins === '4'
		? { ...r, cells: { ...r.cells, district: '9' } }
		: r
);

describe('a living table without rows in its document', () => {
	it('gives what the same rows in the document give', () => {
		const whole = compilePlan(new Schema(demoModel), released);
		fc.assert(
			fc.property(
				fc.constantFrom('germany', 'france', 'poland', 'netherlands'),
				fc.stringMatching(/^\d{5}$/),
				(country, code) => {
					const t = trial(code, null);
					t.sent[0] = ['country', country];
					expect(given(t)).toEqual(given(t, whole));
				}
			)
		);
	});
	it('is the same object for the same rows, so that nothing is indexed again', () => {
		const [a, b] = [withRows(set, { [TABLE]: rows }), withRows(set, { [TABLE]: rows })];
		const of = (s: RuleSet) => s.tables!.find((t) => t.id === TABLE);
		expect(of(a)).toBe(of(b));
		expect(withRows(released, { [TABLE]: [] })).toBe(released);
	});
	it('takes no name of an object for a table', () => {
		const odd = { ...set, tables: [{ ...withoutRows(table), id: 'constructor' }] };
		expect(withRows(odd, {})).toBe(odd);
	});
});

describe('a trial', () => {
	const kept = keepingRows(plan, trial('40210', '4'), zones);
	it('keeps what it asked and found, and runs on that when the row is another', () => {
		expect(kept.finds).toEqual([
			{
				table: TABLE,
				keys: ['germany', '40210'],
				rows: [{ country: 'germany', begins: '4', district: '4' }]
			}
		]);
		expect(runTrial(plan, kept, zones)).toMatchObject({ held: true });
		expect(runTrial(plan, kept, zones).otherwise).toBeUndefined();
		const later = planOf(moved);
		expect(given(trial('40210', null), later)).toBe('9');
		expect(runTrial(later, kept, zones)).toMatchObject({ held: true, otherwise: [TABLE] });
		// what else is asked is answered by today's rows
		const other = { ...kept, sent: trial('50667', null).sent };
		expect(given(other, planOf([]))).toBeNull();
	});
	it('keeps that nothing was found, and says when something is', () => {
		const none = keepingRows(planOf([]), trial('40210', null), zones);
		expect(none.finds).toEqual([{ table: TABLE, keys: ['germany', '40210'], rows: [] }]);
		expect(runTrial(plan, none, zones)).toMatchObject({ held: true, otherwise: [TABLE] });
	});
	it('goes by today’s rows once it keeps none', () => {
		const { finds: _, ...rest } = kept;
		const later = planOf(moved);
		expect(runTrial(later, rest, zones)).toMatchObject({ held: false });
		expect(keepingRows(later, rest, zones).finds![0].rows[0]).toMatchObject({ district: '9' });
		// kept once more it stays as it is
		expect(keepingRows(plan, kept, zones)).toEqual(kept);
	});
	it('that reads no living table keeps nothing, nor does one that cannot run', () => {
		const plain = { ...trial('1', null), sent: [['headcount', '9']] as Trial['sent'] };
		expect(keepingRows(plan, { ...plain, finds: kept.finds! }, zones).finds).toBeUndefined();
		const broken = { ...plain, sent: [['nothing', '9']] as Trial['sent'] };
		expect(keepingRows(plan, broken, zones)).toBe(broken);
	});
});
