/** A workspace of firms and deals for tests of the analysis, with short ways to write rules and to look at what is found. Invented data. */
import { expect } from 'vitest';
import type { Body, Field, Finding, Model, Output, Rule, RuleSet } from '../src/core';
import { Schema, analyse, compilePlan, repaired } from '../src/core';
import { zones } from '../src/runtime/zones';
import { confirm } from './confirm';

const field = (id: string, type: Field['type'], more: Partial<Field> = {}): Field => ({
	id,
	label: id[0].toUpperCase() + id.slice(1),
	group: 'G',
	type,
	...more
});
const model: Model = {
	zone: 'Europe/Amsterdam',
	lists: [
		{
			id: 'size',
			label: 'Size',
			options: ['Small', 'Medium', 'Large', 'Old'].map((label) => ({
				id: label.toLowerCase(),
				label,
				...(label === 'Old' ? { retired: true } : {})
			}))
		},
		{
			id: 'coins',
			label: 'Currency',
			options: ['EUR', 'USD'].map((label) => ({ id: label.toLowerCase(), label, code: label }))
		},
		{
			id: 'stage',
			label: 'Stage',
			options: ['Open', 'Won', 'Lost'].map((label) => ({ id: label.toLowerCase(), label }))
		}
	],
	types: [
		{
			id: 'firm',
			label: 'Firm',
			plural: 'Firms',
			title: 'name',
			short: [],
			columns: [],
			fields: [
				field('name', 'text'),
				field('mail', 'email'),
				field('key', 'yesno'),
				field('heads', 'number', { places: 0 }),
				field('size', 'choice', { list: 'size' })
			]
		},
		{
			id: 'deal',
			label: 'Deal',
			plural: 'Deals',
			title: 'title',
			short: [],
			columns: [],
			fields: [
				field('title', 'text'),
				field('note', 'text'),
				field('company', 'text'),
				field('firm', 'link', { target: 'firm', inverse: 'Deals' }),
				field('stage', 'choice', { list: 'stage' }),
				field('size', 'choice', { list: 'size' }),
				field('sizes', 'choices', { list: 'size' }),
				field('amount', 'number'),
				field('share', 'number'),
				field('rate', 'percent'),
				field('urgent', 'yesno'),
				field('day', 'date'),
				field('at', 'moment'),
				field('price', 'money', { currency: 'EUR' }),
				field('fee', 'money', { currency: 'USD' }),
				field('coin', 'choice', { list: 'coins' }),
				field('cost', 'money', { currencyField: 'coin' }),
				field('fax', 'text', { retired: true }),
				// for rules that stand beside those that are tried
				field('score', 'number'),
				field('grade', 'choice', { list: 'size' }),
				field('extra', 'text'),
				field('due', 'date')
			]
		}
	]
};
export const schema = new Schema(model);

let serial = 0;
export type More = Partial<Rule> & { output?: Partial<Output>; if?: string };
export function rule(target: string, body: Body | string, more: More = {}): Rule {
	const { output, if: guard, ...rest } = more;
	return {
		id: `r${++serial}`,
		type: 'deal',
		kind: 'derive',
		name: `Rule ${serial}`,
		why: '',
		moments: ['created', 'changed', 'request'],
		entryPoints: null,
		watch: null,
		entering: false,
		guard: guard === undefined ? null : { text: guard },
		outputs: [{ id: 'o', field: target, hold: 'follow', none: 'next', ...output }],
		body:
			typeof body === 'string'
				? { kind: 'formula', formulas: [{ text: body }], blank: { none: true } }
				: body,
		...rest
	};
}
export const setOf = (rules: Rule[], more: Partial<RuleSet> = {}): RuleSet => ({
	rules,
	order: {},
	...more
});

/** All that an analysis says of a rule set. */
export const checked = (set: RuleSet) => analyse(compilePlan(schema, set), set, zones);

/** What an analysis says, each witness run again and each certificate there. */
export function found(set: RuleSet, history = {}): Finding[] {
	const plan = compilePlan(schema, set);
	const all = analyse(plan, set, zones, { overruled: history }).findings;
	for (const f of all) {
		expect(!!f.witness || !!f.certificate, `${f.message} has no proof`).toBe(true);
		if (f.witness) expect(confirm(plan, f), f.message).toBe('shown');
	}
	return all;
}
export const messages = (set: RuleSet, history = {}) => found(set, history).map((f) => f.message);
export const says = (pattern: RegExp, ...rules: Rule[]) =>
	messages(setOf(rules)).filter((m) => pattern.test(m)).length;
/** The findings left after the repair of one that fits a pattern was taken. */
export function afterRepair(pattern: RegExp, set: RuleSet): string[] {
	const f = found(set).find((x) => pattern.test(x.message))!;
	return messages(repaired(set, f.repair!, schema));
}

export const options = (rows: Record<string, string | null>, blank = true): Body => ({
	kind: 'options',
	input: 'stage',
	rows: Object.fromEntries(Object.entries(rows).map(([k, v]) => [k, [v]])),
	blank: blank ? { none: true } : null
});
export const bands = (limits: string[], results: (string | null)[], input = 'Amount'): Body => ({
	kind: 'bands',
	input: { text: input },
	limits: limits.map((at) => ({ at, belongs: 'above' })),
	results: results.map((r) => r && [r]) as (string[] | null)[],
	blank: { none: true }
});
export const check = (holds: string, blocking = true): Body => ({
	kind: 'check',
	holds: { text: holds },
	message: ['Look at it'],
	blocking,
	always: false
});
