/** What is still to be said of a rule that is being written: no mistake, and nothing that works yet. */
import type { Schema } from '../document/model';
import type { Rule } from '../document/rules';
import { writerOf } from '../kinds';
import type { Place } from '../kinds/spec';
import type { Plan } from '../plan/plan';
import { ofRule } from './context';
import type { Finding } from './types';

/** All that a rule leaves open, as one finding. */
export function unfinished(plan: Plan, rule: Rule): Finding {
	const open = plan.problems.filter((p) => p.rule === rule.id && p.open);
	const places = [...new Set(open.map((p) => sayPlace(p.place, rule, plan.schema)))];
	return {
		...ofRule(rule, 'unfinished', open[0].place),
		message: `Still to say: ${places.join(', ')}.`,
		certificate: 'the rule was read'
	};
}

/** What stands at a place of a rule, in words. */
function sayPlace(place: Place, rule: Rule, schema: Schema): string {
	const [what, a, b] = place.split(' ');
	const row = Number(a) + 1;
	const several = rule.outputs.length > 1;
	const field = (i: string) => {
		const id = rule.outputs[Number(i)]?.field;
		return (id !== undefined && schema.field(rule.type, id)?.label) || 'the field';
	};
	switch (what) {
		case 'guard':
			return 'its condition';
		case 'input':
			return 'what it starts from';
		case 'result':
			return 'what each of them gives';
		case 'formula':
			return writerOf(rule.body) ? `what ${field(a)} gets` : 'what must hold';
		case 'case':
			return `when case ${row} is so`;
		case 'gives':
			return `what case ${row} gives${several ? ` ${field(b)}` : ''}`;
		case 'otherwise':
			return `what ${field(a)} gets otherwise`;
		case 'then':
			return `what row ${row} gives`;
		case 'column':
			return several ? `which column ${field(a)} gets` : 'which column or field counts';
		case 'key':
			return 'what it is looked up by';
		case 'text':
			return `the text for ${field(a)}`;
		case 'message':
			return 'the message';
		case 'recipient':
			return 'the address it goes to';
		case 'filter':
			return 'whom it goes to';
		case 'each':
			return 'for which records it is';
		case 'outputs':
			return 'which options are left';
		default:
			return place;
	}
}
