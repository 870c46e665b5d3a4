/** Rules in words: each kind says its parts, and what was edited shows as what differs, and nothing else. */
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { formatValue } from '../../runtime/format';
import { sayPlain, type SayValue } from '../conditions/words';
import { Schema } from '../document/model';
import type { Body, Rule } from '../document/rules';
import { differences, sayRule } from './words';

const { set } = demoReleases[2];
const schema = new Schema(demoModel).with(set);
const say: SayValue = (f, v) => formatValue({ ...f, id: '', label: '', group: '' }, v, schema);
const rule = (id: string) => set.rules.find((r) => r.id === id)!;
const of = (a: Rule, b: Rule) => differences(a, b, schema, say);
const withBody = <K extends Body['kind']>(
	r: Rule,
	change: (b: Extract<Body, { kind: K }>) => Partial<Extract<Body, { kind: K }>>
): Rule => {
	const body = r.body as Extract<Body, { kind: K }>;
	return { ...r, body: { ...body, ...change(body) } };
};

describe('a rule in words', () => {
	it('has each part once, and says something of each', () => {
		for (const r of [...set.rules, ...demoDraft.rules]) {
			const parts = sayRule(r, schema, say);
			expect(new Set(parts.map((p) => p.key)).size, r.id).toBe(parts.length);
			for (const p of parts) {
				expect(p.text.trim(), `${r.id} ${p.key}`).not.toBe('');
				// no identity and no half-said word
				expect(`${p.label} ${p.text}`).not.toMatch(/undefined|…|\[object|_/);
			}
		}
	});

	it('says bands and conditions as people read them', () => {
		const text = sayRule(rule('size_class'), schema, say).map((p) => `${p.label}: ${p.text}`);
		expect(text).toContain('10 to below 50: Small');
		expect(text).toContain('250 and more: Large');
		expect(text).toContain('Size class: always equals; without a result: clears it');
		const phases = sayRule(rule('phases'), schema, say).map((p) => `${p.label}: ${p.text}`);
		expect(phases).toContain('If: Heat pump is yes');
		expect(phases).toContain('Gives: Three phases');
	});
});

describe('what differs', () => {
	it('is nothing between a rule and itself', () => {
		for (const r of set.rules) expect(of(r, structuredClone(r)), r.id).toEqual([]);
	});

	it('is the limit that was moved, at both of its bands', () => {
		const now = demoDraft.rules.find((r) => r.id === 'size_class')!;
		expect(of(rule('size_class'), now)).toEqual([
			{ label: 'Band 3', before: '10 to below 50: Small', after: '10 to below 60: Small' },
			{ label: 'Band 4', before: '50 to below 250: Medium', after: '60 to below 250: Medium' }
		]);
	});

	it('is a condition put on, an option added, a case taken away, a hold made firmer', () => {
		const plan = rule('service_plan');
		const guard = rule('phases').guard!;
		expect(of(rule('quarter'), { ...rule('quarter'), guard })).toEqual([
			{ label: 'If', before: null, after: 'Heat pump is yes' }
		]);
		const added = withBody<'options'>(plan, (b) => ({
			rows: { ...b.rows, false: ['on_call'] },
			blank: { give: ['on_call'] }
		}));
		expect(of(plan, added)).toEqual([
			{ label: 'no', before: 'Yearly check', after: 'On call' },
			{ label: 'Blank', before: 'nothing', after: 'On call' }
		]);
		const lines = rule('label_lines');
		const fewer = withBody<'cases'>(lines, (b) => ({ rows: b.rows.slice(1) }));
		expect(of(lines, fewer)).toEqual([
			{ label: 'If Trading name is blank', before: 'nothing', after: null }
		]);
		const firm = { ...plan, outputs: plan.outputs.map((o) => ({ ...o, hold: 'locked' as const })) };
		expect(of(plan, firm)).toEqual([
			{
				label: 'Service plan',
				before: 'follows; without a result: the next rule, if any',
				after: 'always equals; without a result: the next rule, if any'
			}
		]);
	});

	it('of a new rule is all of it, and of one that is gone too', () => {
		const all = sayRule(rule('yard'), schema, say);
		expect(differences(null, rule('yard'), schema, say)).toHaveLength(all.length);
		expect(differences(rule('yard'), null, schema, say).every((d) => d.after === null)).toBe(true);
	});

	it('is told of a rule that speaks of what is gone', () => {
		const gone = new Schema({
			...demoModel,
			types: demoModel.types.map((t) => ({
				...t,
				fields: t.fields.filter((f) => f.id !== 'headcount')
			}))
		});
		const plain: SayValue = (f, v) => sayPlain(f, v, gone);
		expect(sayRule(rule('size_class'), gone, plain).length).toBeGreaterThan(5);
	});
});
