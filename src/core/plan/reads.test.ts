/** By what records find one another: what decides whether changes may come in another order. */
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { Schema } from '../document/model';
import { compilePlan } from './plan';
import { findingFields } from './reads';

const of = (set: Parameters<typeof compilePlan>[1], model = demoModel) =>
	findingFields(compilePlan(new Schema(model), set));

describe('the fields by which records find one another', () => {
	const demo = of(demoReleases[2].set);

	it('are links that are followed back, keys that are matched, and what no two may have alike', () => {
		// roll-ups of a customer go back over it
		expect(demo).toContain('deal.customer');
		const unique = demoModel.types.map((t) =>
			t.id === 'deal'
				? { ...t, fields: t.fields.map((f) => (f.id === 'name' ? { ...f, unique: true } : f)) }
				: t
		);
		expect(demo).not.toContain('deal.name');
		expect(of(demoReleases[2].set, { ...demoModel, types: unique })).toContain('deal.name');
	});

	it('are not what is merely read, and none without rules', () => {
		expect(demo).not.toContain('deal.close_date');
		expect(demo).not.toContain('deal.amount');
		const bare = of({ rules: [], order: {} });
		expect([...bare].filter((k) => k.startsWith('deal.'))).toEqual([]);
	});

	it('have those of the pilot among them', () => {
		const schema = new Schema(demoModel);
		const pilot = compilePlan(schema, demoReleases[2].set);
		const beside = compilePlan(schema, { rules: [], order: {} });
		const joins = { created: new Map(), brought: null };
		expect(findingFields({ ...beside, pilot: { plan: pilot, joins } })).toEqual(demo);
	});
});
