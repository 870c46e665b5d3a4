/** The analysis in its thread. */
import { describe, expect, it } from 'vitest';
import { analyse, compilePlan } from '../../core';
import { zones } from '../../runtime/zones';
import { check, rule, schema, setOf } from '../../../tests/deals';
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
			analyseApart({ model: schema.model, set, trials: [], overruled: {} }, { limit: 1 })
		).rejects.toThrow('took longer than 0.001 seconds');
	});

	it('that breaks off is told, and nobody waits for ever', async () => {
		const broken = { ...schema.model, types: null as never };
		await expect(analyseApart({ model: broken, set, trials: [], overruled: {} })).rejects.toThrow();
	});
});
