/** Words for people: what fields, holds and keys are called; values are in `runtime/format`. */
import type {
	Hold,
	NoResult,
	Field,
	HitPolicy,
	MomentName,
	Rule,
	ReferenceTable,
	Schema,
	TableKey
} from '$core';

export { HIT_SAYS, HOLD_VERB, ONCE_LABEL } from '$core';
export * from '../../runtime/format';

/** What a field is, in words: `choice · Micro, Small, Medium, Large`. */
export function describeField(field: Field, schema: Schema): string {
	switch (field.type) {
		case 'choice':
		case 'choices': {
			const labels = schema.lists
				.get(field.list!)!
				.options.filter((o) => !o.retired)
				.map((o) => o.label);
			const shown =
				labels.slice(0, 5).join(', ') + (labels.length > 5 ? ` and ${labels.length - 5} more` : '');
			return `${field.type === 'choice' ? 'choice' : 'multi-choice'} · ${shown}`;
		}
		case 'link':
			return `link to ${schema.type(field.target!).type.label.toLowerCase()}`;
		case 'money':
			return field.currencyField
				? 'amount in the currency of its record'
				: `amount in ${field.currency ?? 'EUR'}`;
		case 'number':
			return field.unit ? `number in ${field.unit}` : 'number';
		case 'percent':
			return 'percentage';
		case 'moment':
			return 'date and time';
		case 'yesno':
			return 'yes or no';
		case 'email':
			return 'e-mail address';
		case 'phone':
			return 'telephone number';
		default:
			return field.type;
	}
}

/** The mark of a field's type in the ledger. */
export const TYPE_MARK: Record<Field['type'], string> = {
	text: 'Ab',
	email: '@',
	phone: 'Tel',
	number: '12',
	money: '¤',
	percent: '%',
	date: '31',
	moment: '31:',
	yesno: '☐',
	choice: '≡',
	choices: '≣',
	link: '→'
};

export const HOLD_HELP: Record<Hold, string> = {
	locked: 'always equals the rule; nobody can set it otherwise',
	follow: 'written when a watched field changes; people may overrule it until then',
	fill: 'written when a watched field changes, or at creation, and the field is blank',
	once: 'written when a record is created, if nothing was given'
};
/** A list of names as a sentence has it: *Fit, Status and Owner*. */
export const andList = (xs: readonly string[], last = 'and'): string =>
	xs.length > 1 ? `${xs.slice(0, -1).join(', ')} ${last} ${xs.at(-1)}` : (xs[0] ?? '');

export const MOMENT_CHOICES = [
	{ value: 'created', label: 'new records' },
	{ value: 'changed', label: 'existing records' },
	{ value: 'request', label: 'on request (bulk)' }
];

/** When a rule applies, in words. */
export function momentText(moments: readonly MomentName[]): string {
	const has = (m: MomentName) => moments.includes(m);
	if (has('created') && has('changed'))
		return has('request')
			? 'on new and existing records'
			: 'on new and existing records, not on request';
	if (has('created')) return 'on new records only';
	if (has('changed')) return 'on existing records only';
	return has('request') ? 'on request only' : 'never';
}

/** Whether a rule applies at the moments that its kind usually has: then nobody needs to say so. */
export function usualMoments({ moments, outputs }: Rule): boolean {
	const has = (m: MomentName) => moments.includes(m);
	if (outputs.length && outputs.every((o) => o.hold === 'once')) return has('created');
	if (!outputs.length) return has('created') && has('changed');
	return has('created') && has('changed') && has('request');
}

export const NONE_LABEL: Record<NoResult, string> = {
	next: 'passes to the next rule',
	leave: 'leaves the field as it is',
	clear: 'clears the field'
};

/** The hit policies in words: what several matching rows mean. */
export const HIT_HELP: Record<HitPolicy, string> = {
	U: 'unique: at most one row may match',
	F: 'first: the order of the rows decides',
	A: 'any: several may match when they give the same',
	P: 'priority: by the order of the options',
	C: 'collect: every value, for a multi-choice',
	R: 'rule order, for a multi-choice',
	O: 'output order, for a multi-choice',
	'C+': 'collect: sum',
	'C<': 'collect: minimum',
	'C>': 'collect: maximum',
	'C#': 'collect: how many rows match'
};

/** A key of a reference table in words. */
export function keyText(table: ReferenceTable, key: TableKey): string {
	const label = (id: string) => table.columns.find((c) => c.id === id)?.label ?? id;
	switch (key.match) {
		case 'exact':
			return `${label(key.column)} is`;
		case 'loose':
			return `${label(key.column)} is, but for case, accents and spaces,`;
		case 'prefix':
			return `${label(key.column)}: the beginning of (the longest counts)`;
		case 'range':
			return `${label(key.from)} to ${label(key.to)} holds`;
	}
}

/** A field's type in words, for choosing one. */
export const TYPE_NAME: Record<Field['type'], string> = {
	text: 'text',
	email: 'e-mail address',
	phone: 'telephone number',
	number: 'number',
	money: 'amount',
	percent: 'percentage',
	date: 'date',
	moment: 'date and time',
	yesno: 'yes or no',
	choice: 'choice',
	choices: 'multi-choice',
	link: 'link'
};
