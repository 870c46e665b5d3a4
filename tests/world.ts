/** A small workspace for tests of the core, and short ways to settle a change in it. */
import type {
	Body,
	EntryPoint,
	Formula,
	JsonValue,
	Model,
	Output,
	Plan,
	Rule,
	RuleSet,
	SettledRecord
} from '../src/core';
import { NOTHING_ELSE, Schema, compilePlan, settle, submissionOf, toJson } from '../src/core';
import { bare, compileExpression, parseExpression } from '../src/core/feel/language';
import { zones } from '../src/runtime/zones';

const options = (labels: string) =>
	labels.split(' ').map((l) => ({ id: l.toLowerCase(), label: l }));

/** Fields a..f are numbers, t and u texts, size and stage choices, flag yes/no, day a date, at a moment, set a multi-choice, boss a link. */
export const model: Model = {
	zone: 'Europe/Amsterdam',
	personType: 'thing',
	lists: [
		{ id: 'size', label: 'Size', options: options('Micro Small Medium Large') },
		{ id: 'stage', label: 'Stage', options: options('Enquiry Survey Offer Won Lost') }
	],
	types: [
		{
			id: 'thing',
			label: 'Thing',
			plural: 'Things',
			title: 't',
			short: ['t', 'a'],
			columns: ['t', 'a'],
			fields: [
				...'abcdef'
					.split('')
					.map((id) => ({ id, label: id.toUpperCase(), group: 'G', type: 'number' as const })),
				{ id: 't', label: 'Text', group: 'G', type: 'text' },
				{ id: 'u', label: 'Other text', group: 'G', type: 'text' },
				{ id: 'size', label: 'Size class', group: 'G', type: 'choice', list: 'size' },
				{ id: 'stage', label: 'Stage', group: 'G', type: 'choice', list: 'stage' },
				{ id: 'was_stage', label: 'Stage it came from', group: 'G', type: 'choice', list: 'stage' },
				{ id: 'flag', label: 'Flag', group: 'G', type: 'yesno' },
				{ id: 'day', label: 'Day', group: 'G', type: 'date' },
				{ id: 'at', label: 'Moment', group: 'G', type: 'moment' },
				{ id: 'sizes', label: 'Sizes', group: 'G', type: 'choices', list: 'size' },
				{ id: 'boss', label: 'Boss', group: 'G', type: 'link', target: 'thing', inverse: 'Team' },
				{ id: 'money', label: 'Discount %', group: 'G', type: 'money', currency: 'EUR' },
				{ id: 'yen', label: 'Yen', group: 'G', type: 'money', currency: 'JPY' }
			]
		}
	]
};
export const schema = new Schema(model);

/** A formula read in the world. */
export function formula(text: string): Formula {
	const expr = parseExpression(text, { schema, type: 'thing' });
	return { expr: bare(compileExpression(expr, { schema, type: 'thing' }).expr) };
}

let serial = 0;
/** A rule with sensible rest: Derive, Follow, every moment and entry point. */
export function rule(
	field: string,
	body: Body | string,
	more: Partial<Rule> & { output?: Partial<Output>; if?: string } = {}
): Rule {
	const { output, if: guard, ...rest } = more;
	return {
		id: `rule${++serial}`,
		type: 'thing',
		kind: 'derive',
		name: `Rule on ${field}`,
		why: '',
		moments: ['created', 'changed', 'request'],
		entryPoints: null,
		watch: null,
		entering: false,
		guard: guard === undefined ? null : formula(guard),
		outputs: [{ id: 'o', field, hold: 'follow', none: 'next', ...output }],
		body: typeof body === 'string' ? { kind: 'formula', formulas: [formula(body)] } : body,
		...rest
	};
}

export const planOf = (...rules: Rule[]): Plan => compilePlan(schema, { rules, order: {} });
export const setOf = (...rules: Rule[]): RuleSet => ({ rules, order: {} });

export interface Try {
	was?: Record<string, JsonValue> | null;
	entry?: EntryPoint;
	at?: string;
	keep?: string[] | 'touched';
	onRequest?: boolean;
	fillBlanks?: boolean;
	inLine?: boolean;
}

/** Settles a change of one record. `was: null` is a new record. */
export function run(
	plan: Plan,
	sent: Record<string, JsonValue>,
	o: Try = {}
): SettledRecord & { json: Record<string, JsonValue> } {
	const was = o.was === undefined ? {} : o.was;
	const record = submissionOf(plan.schema, { type: 'thing', was, sent: Object.entries(sent) });
	const keep =
		o.keep === undefined || o.keep === 'touched' ? ('touched' as const) : new Set(o.keep);
	const change = {
		records: [{ ...record, keep, inLine: o.inLine ?? true }],
		entryPoint: o.entry ?? ('full' as const),
		instant: Date.parse(o.at ?? '2026-11-23T09:00:00Z'),
		person: '7',
		onRequest: o.onRequest,
		fillBlanks: o.fillBlanks
	};
	const rec = settle(plan, change, NOTHING_ELSE, { explain: true, states: true, zones }).records[0];
	const json = Object.fromEntries(
		plan.schema.type('thing').type.fields.map((f, i) => [f.id, toJson(rec.values[i])])
	);
	return { ...rec, reports: rec.reports, json };
}

/** Outcome of the only rule on a field. */
export const outcome = (r: SettledRecord, field: string) =>
	r.reports.filter((x) => x.field === field).map((x) => x.outcome);
