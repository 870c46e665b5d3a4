/** What the records propose, in words. */
import type { Field, SayValue, Schema, Suggestion } from '$core';
import { sayGiven } from '$core';
import { printTemplate } from '$core/feel/language';
import { andList, formatDate, formatNumber } from '../words/format';

/** A stretch of a phrase; what is read stands out. */
export interface Said {
	text: string;
	reads?: true;
}

const reads = (labels: readonly string[]): Said[] =>
	labels.flatMap((text, i) => [
		...(i ? [{ text: i === labels.length - 1 ? ' and ' : ', ' }] : []),
		{ text, reads: true as const }
	]);

const sayLimit = (at: string) => (/^\d{4}-/.test(at) ? formatDate(at) : formatNumber(at));

/** How a proposal says that the field gets its value: *by Headcount, in 4 bands from 10, 50 and 250 up*. */
export function phraseOf(s: Suggestion, field: Field, schema: Schema, say: SayValue): Said[] {
	const { body } = s.rule;
	switch (body.kind) {
		case 'options':
			return [{ text: 'by ' }, ...reads(s.reads), { text: ', option to option' }];
		case 'bands': {
			const at = andList(body.limits.map((l) => sayLimit(l.at)));
			return [{ text: 'by ' }, ...reads(s.reads), { text: `, in bands from ${at} up` }];
		}
		case 'cases': {
			const n = body.rows.length;
			return [
				{ text: 'by ' },
				...reads(s.reads),
				{ text: n === 1 ? ', in one case' : `, in ${n} cases` }
			];
		}
		case 'lookup': {
			const [column, ...keys] = s.reads;
			return [
				{ text: 'looked up: ' },
				{ text: column, reads: true },
				{ text: ' by ' },
				...reads(keys)
			];
		}
		case 'match': {
			const [on] = body.on;
			const target = schema.type(body.type).type;
			const label = schema.field(body.type, on.field)?.label ?? on.field;
			const has =
				on.how === 'domain' ? `whose ${label} is of the domain of ` : `whose ${label} is `;
			return [{ text: `the ${target.label.toLowerCase()} ${has}` }, ...reads(s.reads)];
		}
		case 'compose':
			return [
				{ text: 'put together: ' },
				{ text: printTemplate(body.texts[0], schema), reads: true }
			];
		case 'split':
			return [
				{
					text: s.rule.outputs[0].field === field.id ? 'the first part of ' : 'the other part of '
				},
				...reads(s.reads),
				{ text: `, parted at its ${body.at} space` }
			];
		case 'formula': {
			const [f] = body.formulas;
			const text = 'expr' in f ? sayGiven(f.expr, field, schema, say) : f.text;
			return s.how === 'start value'
				? [{ text: 'starts as ' }, { text }]
				: s.how === 'copy' && s.reads[0] === text
					? [{ text: 'a copy of ' }, { text, reads: true }]
					: [{ text, reads: true }];
		}
		default:
			return reads(s.reads);
	}
}

/** What a rule made of a proposal is called, in the habit of the trade: the field, then by what. */
export function nameOf(s: Suggestion, field: Field): string {
	if (s.how === 'start value') return `${field.label}: start value`;
	const from = s.rule.body.kind === 'lookup' ? s.reads.slice(1) : s.reads;
	const by = andList(from.map((l) => l.toLowerCase()));
	return `${field.label} ${s.how === 'copy' || s.how === 'part' ? 'from' : 'by'} ${by}`;
}
