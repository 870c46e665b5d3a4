/** The analysis in its thread. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { analyse, compilePlan } from '../../core';
import { zones } from '../../runtime/zones';
import { check, rule, schema, setOf } from '../../../tests/deals';
import { demoDefinitions } from '../../../demo/rules';
import { analyseApart } from './analysis';

const set = setOf([
	rule('share', 'Amount / (Amount - Amount)'),
	rule('note', check('Amount > 5'), { kind: 'validate' })
]);
const trial = (id: string, share: string | null) => ({
	id,
	name: id,
	type: 'deal',
	was: null,
	sent: [['amount', '4'] as [string, string]],
	entryPoint: 'full' as const,
	at: '2026-11-23T09:00:00.000Z',
	person: null,
	expect: [{ field: 'share', value: share }]
});

let n = 0;
/** What was never asked, and takes long beside its limit: of what it was asked before, a thread says at once what it said. */
const long = () => setOf(Array.from({ length: 40 }, () => rule('share', `Amount / ${++n}`)));

describe('the analysis in a thread', () => {
	it('says what it says in place, and which trials do not hold', async () => {
		const { checked, failing } = await analyseApart({
			model: schema.model,
			set,
			trials: [trial('so', null), trial('not so', '3')],
			overruled: {}
		});
		expect(checked).toEqual(analyse(compilePlan(schema, set), set, zones));
		expect(checked.findings.map((f) => f.is)).toContain('never seen to give');
		expect(failing).toEqual(['not so']);
		// it is kept as JSON
		expect(JSON.parse(JSON.stringify(checked))).toEqual(checked);
	});

	it('is ended at its limit, and says that nothing is known', async () => {
		await expect(
			analyseApart({ model: schema.model, set: long(), trials: [], overruled: {} }, { limit: 1 })
		).rejects.toThrow('took longer than 0.001 seconds');
	});

	it('that breaks off is told, and nobody waits for ever', async () => {
		const broken = { ...schema.model, types: null as never };
		await expect(analyseApart({ model: broken, set, trials: [], overruled: {} })).rejects.toThrow();
	});

	it('says of each draft what it says in place, whatever it was asked before', async () => {
		const written = fc.record({
			share: fc.constantFrom('Amount / 4', 'Amount / (Amount - Amount)', 'Amount +'),
			least: fc.option(fc.integer({ min: 1, max: 9 }), { nil: undefined }),
			defined: fc.boolean(),
			ended: fc.constantFrom('no', 'no', 'no', 'too late', 'broken')
		});
		const asked = ({
			share,
			least,
			defined
		}: {
			share: string;
			least?: number;
			defined: boolean;
		}) => ({
			...setOf([
				rule('share', share),
				...(least ? [rule('note', check(`Amount > ${least}`), { kind: 'validate' })] : [])
			]),
			...(defined ? { definitions: [{ ...demoDefinitions[0], type: 'deal' }] } : {})
		});
		await fc.assert(
			fc.asyncProperty(fc.array(written, { minLength: 2, maxLength: 5 }), async (drafts) => {
				for (const d of drafts) {
					const job = { model: schema.model, set: asked(d), trials: [], overruled: {} };
					if (d.ended === 'too late')
						await expect(analyseApart({ ...job, set: long() }, { limit: 1 })).rejects.toThrow(
							'took longer'
						);
					if (d.ended === 'broken')
						await expect(
							analyseApart({ ...job, model: { ...schema.model, types: null as never } })
						).rejects.toThrow();
					const { checked } = await analyseApart(job);
					expect(checked).toEqual(analyse(compilePlan(schema, job.set), job.set, zones));
				}
			}),
			{ numRuns: 5, endOnFailure: true }
		);
	});

	it('is one at a time, each with its own answer', async () => {
		const each = ['Amount / 4', 'Amount +', 'Amount / (Amount - Amount)'].map((share) =>
			setOf([rule('share', share)])
		);
		const all = await Promise.all(
			each.map((s) => analyseApart({ model: schema.model, set: s, trials: [], overruled: {} }))
		);
		expect(all.map((a) => a.checked)).toEqual(
			each.map((s) => analyse(compilePlan(schema, s), s, zones))
		);
	});
});
