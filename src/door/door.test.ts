import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoDraft } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import {
	BadInput,
	checkDefinition,
	checkNeeds,
	checkRule,
	checkTable,
	checkTrial,
	readJson
} from '.';

const request = (body: string) => new Request('http://x/', { method: 'POST', body });

describe('the door', () => {
	it('lets every rule and trial of the demo in', () => {
		for (const r of demoDraft.rules) expect(checkRule(structuredClone(r))).toEqual(r);
		const bands = demoDraft.rules.find((r) => r.body.kind === 'bands')!;
		const unsaid = { ...bands, body: { ...bands.body, blank: null } };
		expect(checkRule(unsaid)).toEqual(unsaid);
		for (const t of demoTrials) expect(checkTrial(structuredClone(t))).toEqual(t);
	});

	it('names the place of what is wrong', () => {
		const r = demoDraft.rules[0];
		expect(() => checkRule({ ...r, kind: 'magic' })).toThrow('kind');
		expect(() => checkRule({ ...r, outputs: [{ ...r.outputs[0], hold: 'glued' }] })).toThrow(
			'outputs[0].hold'
		);
		expect(() => checkRule({ ...r, body: { kind: 'bands' } })).toThrow('body');
		expect(() =>
			checkRule({ ...r, body: { kind: 'formula', formulas: [{ expr: { k: 'evil' } }] } })
		).toThrow('body.formulas[0]');
		expect(() => checkRule({ ...r, extra: 1 })).toThrow('extra');
		expect(() => checkTrial({ ...demoTrials[0], expect: [] })).toThrow('at least one change');
	});

	it('lets every definition and table of the demo in, and names the place of what is wrong in others', () => {
		for (const d of demoDraft.definitions!) expect(checkDefinition(structuredClone(d))).toEqual(d);
		for (const x of demoDraft.tables!) expect(checkTable(structuredClone(x))).toEqual(x);
		const [d] = demoDraft.definitions!;
		const [x] = demoDraft.tables!;
		expect(() => checkDefinition({ ...d, name: ' ' })).toThrow('name');
		expect(() => checkDefinition({ ...d, params: [{ name: 'a', type: 'matrix' }] })).toThrow(
			'params[0].type'
		);
		expect(() => checkTable({ ...x, keys: [{ match: 'about', column: 'country' }] })).toThrow(
			'keys[0].match'
		);
		// a cell may stay blank
		const blank = { ...x, rows: [...x.rows, x.columns.map((_, i) => (i ? null : 'slovenia'))] };
		expect(checkTable(blank)).toEqual(blank);
		expect(() => checkTable({ ...x, rows: [['netherlands']] })).toThrow('rows[0]');
		expect(() => checkTable({ ...x, rows: [[1, 2, 3]] })).toThrow('rows[0]');
		expect(() => checkTable(null)).toThrow(BadInput);
		expect(() => checkNeeds({ needs: [{ type: 'deal', id: '1; drop' }] })).toThrow('needs[0].id');
		expect(checkNeeds({ needs: [{ type: 'deal', id: '1' }] })).toHaveLength(1);
	});

	it('refuses anything else with a named error only', () => {
		fc.assert(
			fc.property(fc.jsonValue(), (v) => {
				for (const check of [checkRule, checkTrial])
					try {
						check(v);
						throw new Error('accepted');
					} catch (e) {
						expect(e).toBeInstanceOf(BadInput);
					}
			})
		);
	});

	it('bounds size and depth of JSON', async () => {
		await expect(readJson(request('['.repeat(10_000) + ']'.repeat(10_000)))).rejects.toThrow(
			'800 deep'
		);
		await expect(readJson(request(JSON.stringify('x'.repeat(3_000_000))))).rejects.toThrow(
			'2000000 characters'
		);
		await expect(readJson(request('{'))).rejects.toThrow('no JSON');
		expect(await readJson(request('{"a": "[[[["}'))).toEqual({ a: '[[[[' });
	});
});
