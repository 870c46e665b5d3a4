import { describe, expect, it } from 'vitest';
import { findings } from '../src/core/check/findings';
import { Schema } from '../src/core/model/model';
import { compilePlan } from '../src/core/plan/plan';
import { runTrial } from '../src/core/trials/trials';
import { zones } from '../src/runtime/zones';
import { generate } from './generate';
import { demoModel } from './model';
import { demoDraft, demoReleases } from './rules';
import { demoTrials } from './trials';

const schema = new Schema(demoModel);
const failing = (set = demoDraft) => {
	const plan = compilePlan(schema, set);
	return demoTrials.filter((t) => !runTrial(plan, t, zones).held).map((t) => t.name);
};

describe('the demo', () => {
	it('holds all its trials in release 3, and all but two in the draft', () => {
		expect(demoTrials.length).toBeGreaterThanOrEqual(60);
		expect(failing(demoReleases[2].set)).toEqual([]);
		expect(failing()).toEqual(['Headcount 50', 'Headcount 51']);
	});

	it('compiles every release, and the draft has a mistake that is found', () => {
		for (const r of demoReleases) expect(compilePlan(schema, r.set).problems).toEqual([]);
		const blocking = findings(compilePlan(schema, demoDraft), demoDraft, zones).filter(
			(f) => f.severity === 'blocking'
		);
		expect(blocking.map((f) => f.rule).sort()).toEqual(['country_desk', 'visits']);
	});

	// Incoterms 2020 (ICC): the buyer pays the main carriage under EXW, FCA, FAS and FOB, the seller under the rest
	it('has the freight payer of Incoterms 2020', () => {
		const body = demoReleases[2].set.rules.find((r) => r.id === 'freight')!.body;
		const rows = body.kind === 'options' ? body.rows : {};
		const of = (p: string) =>
			Object.keys(rows)
				.filter((k) => rows[k][0] === p)
				.map((k) => k.toUpperCase());
		expect(of('buyer')).toEqual(['EXW', 'FCA', 'FAS', 'FOB']);
		expect(of('seller')).toEqual(['CFR', 'CIF', 'CPT', 'CIP', 'DAP', 'DPU', 'DDP']);
	});

	it('is the same every time', () => {
		const sizes = { customers: 20, contacts: 20, leads: 20, deals: 20 };
		for (const type of ['customer', 'contact', 'lead', 'deal'])
			expect([...generate(type, sizes)]).toEqual([...generate(type, sizes)]);
	});
});
