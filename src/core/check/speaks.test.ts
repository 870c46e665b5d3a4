/** What speaks of a part of the model, asked of the demo. */
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import { demoTrials } from '../../../demo/trials';
import { Schema } from '../document/model';
import type { RuleSet } from '../document/rules';
import { speakersOf, type ModelPart } from './speaks';

const schema = new Schema(demoModel, demoDraft);
const of = (part: ModelPart, set: RuleSet = demoDraft) => speakersOf(schema, set, demoTrials, part);
const names = (part: ModelPart, kind: string) =>
	of(part)
		.filter((s) => s.kind === kind)
		.map((s) => s.name);

describe('what speaks of a field', () => {
	it('is what writes it and what reads it, on other record types too', () => {
		const all = of({ is: 'field', type: 'customer', field: 'size_class' });
		const says = new Map(all.filter((s) => s.kind === 'rule').map((s) => [s.id, s.how]));
		expect(says.get('size_class')).toBe('writes it');
		expect([...says.values()].filter((h) => h === 'reads it').length).toBeGreaterThan(0);
		expect(all.some((s) => s.kind === 'rule' && s.at!.type === 'deal')).toBe(true);
	});
	it('is trials, forms and what names the record', () => {
		const part = { is: 'field', type: 'customer', field: 'trading_name' } as const;
		expect(of(part).map((s) => s.how)).toContain('takes its name from it');
		expect(
			names({ is: 'field', type: 'customer', field: 'headcount' }, 'trial').length
		).toBeGreaterThan(0);
	});
	it('is nothing where there is nothing', () => {
		expect(of({ is: 'field', type: 'customer', field: 'no_such' })).toEqual([]);
	});
});

describe('what speaks of an option', () => {
	it('is rules that give it, ask for it or have a row for it, and tables', () => {
		const set = new Set(of({ is: 'option', list: 'country', option: 'poland' }).map((s) => s.kind));
		expect(set).toEqual(new Set(['rule', 'table', 'trial']));
		const rules = names({ is: 'option', list: 'stage', option: 'won' }, 'rule');
		expect(rules.length).toBeGreaterThan(0);
		expect(names({ is: 'option', list: 'size_class', option: 'small' }, 'rule')).toContain(
			demoDraft.rules.find((r) => r.id === 'size_class')!.name
		);
	});
	it('is not a rule that has the same word for something else', () => {
		const part = { is: 'option', list: 'freight_payer', option: 'buyer' } as const;
		const other = of(part).filter((s) => s.kind === 'rule');
		for (const s of other) {
			const rule = demoDraft.rules.find((r) => r.id === s.id)!;
			const about = JSON.stringify(rule);
			expect(about.includes('freight_payer') || about.includes('freight_paid_by')).toBe(true);
		}
	});
});

describe('what speaks of a list, and of a record type', () => {
	it('is the fields that take its options, and tables', () => {
		const all = of({ is: 'list', list: 'country' });
		expect(all.map((s) => s.name)).toContain('Country of Customer');
		expect(all.some((s) => s.kind === 'table')).toBe(true);
	});
	it('is its rules, what reads its records, and links to it', () => {
		const all = of({ is: 'type', type: 'engineer' });
		expect(all.some((s) => s.how === 'reads its records')).toBe(true);
		expect(all.some((s) => s.how === 'links to it')).toBe(true);
		expect(all.at(-1)).toMatchObject({ kind: 'workspace', how: 'are records of it' });
	});
});
