/**
 * Field values as JSON and as typed text, and what a field makes of a value before it holds it.
 * Every road in reads through here, so that the same input is the same value on all of them.
 */
import { Num, parseNum, roundTo } from '../value/num';
import { LocalDate, Moment } from '../value/temporal';
import { FIRST_YEAR, LAST_YEAR, isHeld, readDay, readMoment } from './days';
import type { Value } from '../value/value';
import { isBlank, isList, same } from '../value/value';
import { nameKey, nearest } from '../text/names';
import { currencyDigits } from './currency';
import type { JsonValue } from '../document/json';
import type { Field, OptionList, Schema } from '../document/model';

export type { JsonValue } from '../document/json';

/** A value, or what is wrong with what was given and what would be right. */
export type Reading = { ok: true; value: Value } | { ok: false; message: string };

/** Longest text a field holds, in UTF-16 units. */
export const MAX_FIELD_TEXT = 4_000;

const good = (value: Value): Reading => ({ ok: true, value });
const bad = (message: string): Reading => ({ ok: false, message });

/** Writes a value as JSON. */
export function toJson(v: Value): JsonValue {
	if (v === null || typeof v === 'boolean' || typeof v === 'string') return v;
	// a reading of no clock yet stays one, until it is known whose
	if (v instanceof Moment) return v.time.offset === null ? v.toString() : v.toInstantText();
	if (isList(v)) return v.map((x) => String(toJson(x)));
	return String(v);
}

/**
 * Reads a value from JSON. Numbers may come as JSON numbers or as text; options by identity or
 * label; yes/no as booleans.
 */
export function fromJson(field: Field, json: unknown, schema: Schema): Reading {
	if (json === null || json === undefined) return good(null);
	if (Array.isArray(json)) {
		if (field.type !== 'choices') return bad(`${field.label} holds one value, not a list.`);
		if (json.length > 1000) return bad(`${field.label} takes at most 1000 options.`);
		if (!json.every((x) => typeof x === 'string'))
			return bad(`${field.label} takes a list of texts.`);
		return readOptions(field, json as string[], schema);
	}
	if (typeof json === 'boolean')
		return field.type === 'yesno'
			? good(json)
			: bad(`${field.label} is ${WANTED[field.type]}, not yes or no.`);
	if (typeof json === 'number') {
		if (['number', 'money', 'percent'].includes(field.type)) return readNumber(field, String(json));
		return bad(`${field.label} is ${WANTED[field.type]}; the number ${json} is not.`);
	}
	if (typeof json === 'string') return fromText(field, json, schema);
	return bad(`${field.label} takes ${WANTED[field.type]}.`);
}

const WANTED: Record<Field['type'], string> = {
	text: 'a text',
	email: 'an e-mail address',
	phone: 'a telephone number',
	number: 'a number',
	money: 'an amount',
	percent: 'a percentage',
	date: 'a date such as 2026-11-23',
	moment: 'a date and time such as 2026-11-23 09:30',
	yesno: 'yes or no',
	choice: 'one of its options',
	choices: 'any of its options',
	link: 'a record'
};

/** Reads what a person typed or a file holds. Text of spaces only is blank. */
export function fromText(field: Field, raw: string, schema: Schema): Reading {
	const text = raw.trim();
	if (text === '') return good(null);
	if (!isText(raw)) return bad(unreadable(field));
	if (raw.length > MAX_FIELD_TEXT && field.type !== 'choices')
		return bad(`${field.label} holds ${MAX_FIELD_TEXT} characters; this has ${raw.length}.`);
	switch (field.type) {
		case 'text':
		case 'email':
		case 'phone':
			return good(text);
		case 'number':
		case 'money':
		case 'percent':
			return readNumber(field, text);
		case 'date': {
			const d = readDay(text);
			if (!d) return bad(`${field.label}: “${clip(text)}” is no date. Write it as 2026-11-23.`);
			return isHeld(d) ? good(d) : bad(beyond(field));
		}
		case 'moment': {
			const m = readMoment(text);
			if (!m)
				return bad(
					`${field.label}: “${clip(text)}” is no date and time. Write it as 2026-11-23 09:30; 2026-11-23T09:30:00Z if it is another clock's.`
				);
			return isHeld(m.date) ? good(m) : bad(beyond(field));
		}
		case 'yesno': {
			const t = text.toLowerCase();
			if (t === 'yes' || t === 'true') return good(true);
			if (t === 'no' || t === 'false') return good(false);
			return bad(`${field.label}: “${clip(text)}” is neither yes nor no.`);
		}
		case 'choice': {
			const o = findOption(schema.lists.get(field.list!)!, text);
			return o ? good(o) : bad(unknownOption(field, text, schema));
		}
		case 'choices':
			return readOptions(field, text.split(/[;\n]/), schema);
		case 'link':
			return /^\d{1,18}$/.test(text)
				? good(text)
				: bad(`${field.label}: “${clip(text)}” is no record number.`);
	}
}

function readNumber(field: Field, text: string): Reading {
	const compact = text
		.replace(/[\s\u00a0\u202f]/gu, '')
		.replace(/%$/, field.type === 'percent' ? '' : '%');
	const v = parseNum(compact.replace(/^−/, '-'));
	if (!v) {
		const comma = /^-?\d+(,\d+)+$/.test(compact)
			? ' Write decimals with a point and thousands without a sign.'
			: '';
		if (/^-?(\d+(\.\d*)?|\.\d+)e-?\d+$/i.test(compact))
			return bad(`${field.label}: ${clip(text)} is beyond what a number can be; 28 digits fit.`);
		return bad(`${field.label}: “${clip(text)}” is no number.${comma}`);
	}
	if (Math.abs(v.toDouble()) >= 1e28)
		return bad(`${field.label}: ${clip(text)} is too large; 28 digits fit.`);
	const rounded = hold(field, v);
	return good(rounded);
}

function readOptions(field: Field, parts: string[], schema: Schema): Reading {
	const out: string[] = [];
	const list = schema.lists.get(field.list!)!;
	// a comma parts options as well, unless it stands in the name of one
	const each = parts.flatMap((p) => (findOption(list, p.trim()) ? [p] : p.split(',')));
	for (const p of each.map((x) => x.trim()).filter(Boolean)) {
		const o = findOption(list, p);
		if (!o) return bad(unknownOption(field, p, schema));
		if (!out.includes(o)) out.push(o);
	}
	return good(out.length ? out : null);
}

function findOption(list: OptionList, text: string): string | null {
	const key = nameKey(text);
	const o =
		list.options.find((x) => x.id === text) ??
		list.options.find((x) => nameKey(x.label) === key) ??
		list.options.find((x) => x.code === text);
	return o?.id ?? null;
}

function unknownOption(field: Field, text: string, schema: Schema): string {
	const labels = schema.lists
		.get(field.list!)!
		.options.filter((o) => !o.retired)
		.map((o) => o.label);
	const guess = nearest(text, labels);
	const all = labels.slice(0, 12).join(', ') + (labels.length > 12 ? ' …' : '');
	return `${field.label} has no option “${clip(text)}”.${guess ? ` Did you mean “${guess}”?` : ''} It has ${all}.`;
}

/** Whether a text can be held: no NUL, which PostgreSQL has none of, and no half of a surrogate pair. */
export const isText = (s: string) => !s.includes('\0') && !/\p{Surrogate}/u.test(s);

const unreadable = (field: Field) =>
	`${field.label}: the text holds a sign that no text can have (NUL, or half of a pair).`;

const beyond = (field: Field) =>
	`${field.label} holds days of the years ${FIRST_YEAR} to ${LAST_YEAR}.`;

const clip = (s: string) => (s.length > 60 ? `${s.slice(0, 60)}…` : s);

/**
 * The value as the field holds it: blank as null, text trimmed, amounts rounded half-even to the
 * ISO 4217 digits of their currency, numbers to the field's decimals.
 * @param currency ISO 4217 code, where another field tells it; without it such an amount is not rounded
 */
export function hold(field: Field, v: Value, currency?: string): Value {
	if (isBlank(v)) return null;
	if (typeof v === 'string') return v.trim();
	if (v instanceof Num) {
		const code = field.currencyField ? currency : (field.currency ?? 'EUR');
		const places =
			field.type !== 'money' ? field.places : code === undefined ? undefined : currencyDigits(code);
		return places === undefined ? v : roundTo(v, places);
	}
	return v;
}

/** Why a value cannot stand in a field, or null when it can. Retired options may stay, not come. */
export function misfit(field: Field, v: Value, before: Value, schema: Schema): string | null {
	if (v === null) return null;
	if (field.type === 'choice' || field.type === 'choices') {
		const had = isList(before) ? before : [before];
		for (const id of isList(v) ? v : [v]) {
			const o = typeof id === 'string' ? schema.option(field.list!, id) : undefined;
			if (!o) return `${field.label} has no such option.`;
			if (o.retired && !had.some((h) => same(h, id)))
				return `“${o.label}” of ${field.label} is retired and cannot be chosen anew.`;
		}
	}
	const day = v instanceof Moment ? v.date : v;
	if (day instanceof LocalDate && !isHeld(day)) return beyond(field);
	if (typeof v === 'string' && !isText(v)) return unreadable(field);
	if (typeof v === 'string' && v.length > MAX_FIELD_TEXT)
		return `${field.label} holds ${MAX_FIELD_TEXT} characters; this has ${v.length}.`;
	return null;
}
