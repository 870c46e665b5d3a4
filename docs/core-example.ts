/** A rule set compiled, a change settled, explained and checked: the core used as a library. */
import {
	NOTHING_ELSE,
	Schema,
	analyse,
	compilePlan,
	reason,
	settle,
	submissionOf,
	toJson,
	type Model,
	type RuleSet
} from '../src/core';
import { zones } from '../src/runtime/zones';

const model: Model = {
	zone: 'Europe/Berlin',
	lists: [
		{
			id: 'size',
			label: 'Size',
			options: [
				{ id: 'small', label: 'Small' },
				{ id: 'large', label: 'Large' }
			]
		}
	],
	types: [
		{
			id: 'customer',
			label: 'Customer',
			plural: 'Customers',
			title: 'name',
			short: [],
			columns: [],
			fields: [
				{ id: 'name', label: 'Name', group: 'Customer', type: 'text' },
				{ id: 'headcount', label: 'Headcount', group: 'Customer', type: 'number', places: 0 },
				{ id: 'size', label: 'Size', group: 'Customer', type: 'choice', list: 'size' }
			]
		}
	]
};

const set: RuleSet = {
	order: {},
	rules: [
		{
			id: 'size',
			type: 'customer',
			kind: 'categorize',
			name: 'Size by headcount',
			why: 'Reports part customers by size.',
			moments: ['created', 'changed', 'request'],
			entryPoints: null,
			watch: null,
			entering: false,
			guard: null,
			outputs: [{ id: 'o1', field: 'size', hold: 'follow', none: 'next' }],
			body: {
				kind: 'bands',
				input: { text: 'Headcount' },
				limits: [{ at: '50', belongs: 'above' }],
				results: [['small'], ['large']],
				blank: null
			}
		}
	]
};

export function example() {
	const schema = new Schema(model);
	const plan = compilePlan(schema, set);
	if (plan.problems.length) throw new Error(plan.problems[0].message);

	const record = submissionOf(schema, {
		type: 'customer',
		was: null,
		sent: [
			['name', 'Fen Heating'],
			['headcount', '50']
		]
	});
	const change = {
		records: [record],
		entryPoint: 'api' as const,
		instant: Date.parse('2026-11-23T09:00:00Z'),
		person: null
	};
	const [settled] = settle(plan, change, NOTHING_ELSE, { explain: true, zones }).records;
	const changes = settled.changes.map((c) => ({ field: c.field, to: toJson(c.to) }));
	const because = settled.reports.map((r) => reason(plan, r));

	const { findings } = analyse(plan, set, zones);
	const told = findings.map((f) => `${f.is}: ${f.message}`);
	return { changes, because, told };
}

if (process.argv[1]?.endsWith('core-example.ts')) console.log(example());
