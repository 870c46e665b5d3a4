/** Values for people: dates, numbers and money in the workspace's locale, options by label. */
import type {
	Hold,
	NoResult,
	Field,
	HitPolicy,
	JsonValue,
	OncePer,
	ReferenceTable,
	Schema,
	TableKey
} from '$core';

const LOCALE = 'en-GB';
const counts = new Intl.NumberFormat(LOCALE);

/** A plain decimal text with narrow spaces for thousands; digits are never lost. */
export function formatNumber(text: string): string {
	const m = /^(-?)(\d+)(\.\d+)?$/.exec(text);
	if (!m) return text;
	const grouped = m[2].length > 4 ? m[2].replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f') : m[2];
	return `${m[1] ? '−' : ''}${grouped}${m[3] ?? ''}`;
}

/** A count, such as of records. */
export function formatCount(n: number): string {
	return counts.format(n).replace(/,/g, '\u202f');
}

const day = new Intl.DateTimeFormat(LOCALE, {
	day: 'numeric',
	month: 'short',
	year: 'numeric',
	timeZone: 'UTC'
});

/** A date `2026-11-23` as `23 Nov 2026`. */
export const formatDate = (iso: string) => day.format(new Date(`${iso.slice(0, 10)}T00:00:00Z`));

/** An instant in the workspace's zone. */
export function formatMoment(iso: string, zone: string): string {
	return new Intl.DateTimeFormat(LOCALE, {
		day: 'numeric',
		month: 'short',
		year: 'numeric',
		hour: '2-digit',
		minute: '2-digit',
		timeZone: zone
	}).format(new Date(iso));
}

/** A field value as people read it; blank as an empty text. */
export function formatValue(
	field: Field,
	v: JsonValue,
	schema: Schema,
	links: Record<string, string> = {}
): string {
	if (v === null) return '';
	if (Array.isArray(v)) return v.map((x) => schema.option(field.list!, x)?.label ?? x).join(', ');
	if (typeof v === 'boolean') return v ? 'yes' : 'no';
	switch (field.type) {
		case 'choice':
			return schema.option(field.list!, v)?.label ?? v;
		case 'number':
			return formatNumber(v) + (field.unit ? `\u00a0${field.unit}` : '');
		case 'money':
			return field.currencyField
				? formatNumber(v)
				: `${formatNumber(v)}\u00a0${field.currency ?? 'EUR'}`;
		case 'percent':
			return `${formatNumber(v)}\u00a0%`;
		case 'date':
			return formatDate(v);
		case 'moment':
			return formatMoment(v, schema.model.zone);
		case 'link':
			return links[`${field.target}.${v}`] ?? `No. ${v}`;
		default:
			return v;
	}
}

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
export const NONE_LABEL: Record<NoResult, string> = {
	next: 'passes to the next rule',
	leave: 'leaves the field as it is',
	clear: 'clears the field'
};

/** How often a message leaves at most. */
export const ONCE_LABEL: Record<OncePer, string> = {
	event: 'once for each event',
	day: 'at most once a day',
	week: 'at most once a week',
	month: 'at most once a month',
	quarter: 'at most once in a calendar quarter',
	year: 'at most once a year'
};

/** The hit policies in words: what several matching rows mean. */
export const HIT_HELP: Record<HitPolicy, [label: string, help: string]> = {
	U: ['that is a mistake: no result', 'unique: at most one row may match'],
	F: ['the first counts', 'first: the order of the rows decides'],
	A: ['they must agree', 'any: several may match when they give the same'],
	P: ['the most important value counts', 'priority: by the order of the options'],
	C: ['all of them count', 'collect: every value, for a multi-choice'],
	R: ['all of them count, in the order of the rows', 'rule order, for a multi-choice'],
	O: ['all of them count, the most important first', 'output order, for a multi-choice'],
	'C+': ['their sum counts', 'collect: sum'],
	'C<': ['the least counts', 'collect: minimum'],
	'C>': ['the greatest counts', 'collect: maximum'],
	'C#': ['their number counts', 'collect: how many rows match']
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
			return `${label(key.column)} begins (the longest counts)`;
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
