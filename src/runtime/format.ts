/**
 * Values for people, the same on pages, in history and in answers: dates, numbers and money in the
 * workspace's locale, options by label, links by title.
 */
import { Moment } from '../core';
import type { Field, JsonValue, LocalDate, Schema } from '../core';
import { zones } from './zones';

const LOCALE = 'en-GB';
const counts = new Intl.NumberFormat(LOCALE);

/** A plain decimal text with narrow spaces for thousands; digits are never lost. */
export function formatNumber(text: string): string {
	const m = /^(-?)(\d+)(\.\d+)?$/.exec(text);
	if (!m) return text;
	const grouped = m[2].length > 4 ? m[2].replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f') : m[2];
	return `${m[1] ? '−' : ''}${grouped}${m[3] ?? ''}`;
}

/** A text with its first sign as a capital. */
export const capital = (text: string): string => text.slice(0, 1).toUpperCase() + text.slice(1);

/** A version of the rules: the number of a release, null for the draft, 0 for no rules at all. */
export const sayVersion = (n: number | null): string =>
	n === null ? 'the draft' : n ? `release ${n}` : 'no rules at all';

/** The one or the other of two versions that are held against each other, where one may be from a file. */
export const sayVersionOf = (
	of: {
		before: number | null;
		after: number | null;
		file?: { name: string; as: 'before' | 'after' } | null;
	},
	side: 'before' | 'after'
): string => (of.file?.as === side ? `“${of.file.name}”` : sayVersion(of[side]));

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

/** A date `2026-11-23` as `23 Nov 2026`; what is none as it stands. */
export function formatDate(iso: string): string {
	const date = new Date(`${iso.slice(0, 10)}T00:00:00Z`);
	return Number.isNaN(date.getTime()) ? iso : day.format(date);
}

/** The day of an instant (ISO 8601) in a zone, as `2026-11-24`; null for an instant that is none. */
export const dayIn = (at: string, zone: string): string | null =>
	Moment.fromInstant(Date.parse(at), zone, zones)?.date.toString() ?? null;

/** The first instant of a day in a zone, ISO 8601 with milliseconds, as history tells its instants. */
export const startOfDay = (day: LocalDate, zone: string): string =>
	new Date(Moment.parse(`${day.toString()}T00:00:00`, zones, zone)!.epochMs).toISOString();

/** An instant in the workspace's zone; what is none as it stands. */
export function formatMoment(iso: string, zone: string): string {
	if (Number.isNaN(Date.parse(iso))) return iso;
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
	if (Array.isArray(v))
		return v.map((x) => schema.option(field.list ?? '', x)?.label ?? x).join(', ');
	if (typeof v === 'boolean') return v ? 'yes' : 'no';
	switch (field.type) {
		case 'choice':
			return schema.option(field.list ?? '', v)?.label ?? v;
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
