/** What a value becomes when its field is to hold another type. */
import type { Field, Schema } from '../document/model';
import { LocalDate, LocalTime, Moment, type ZoneClock } from '../value/temporal';
import { Num, num } from '../value/num';
import type { Value } from '../value/value';
import { isList } from '../value/value';
import type { Reading } from './codec';
import { fromText, hold, misfit } from './codec';

/** What a conversion must know of other records. */
export interface Titles {
	/** What a record is called; null for one that has no name. */
	name(type: string, id: string): string | null;
	/** The records of a type that are called so, by loose comparison. */
	called(type: string, name: string): readonly string[];
}

/**
 * A value of one field as another holds it, read as if somebody typed it there.
 * @param schema with the model after the change
 * @param before with the model before it: the names of options and the links that were
 */
export function converted(
	from: Field,
	to: Field,
	v: Value,
	schema: Schema,
	before: Schema,
	zones: ZoneClock,
	titles: Titles
): Reading {
	if (v === null) return { ok: true, value: null };
	const { zone } = schema.model;
	if (from.type === to.type && from.list === to.list && from.target === to.target)
		return { ok: true, value: hold(to, v) };
	if (typeof v === 'boolean' && isNumber(to)) return { ok: true, value: num(v ? 1 : 0) };
	if (v instanceof Num && to.type === 'yesno') {
		const t = v.toString();
		if (t === '0' || t === '1') return { ok: true, value: t === '1' };
	}
	if (v instanceof Num && isNumber(to)) return { ok: true, value: hold(to, v) };
	if (v instanceof LocalDate && to.type === 'moment')
		return { ok: true, value: Moment.inZone(v, new LocalTime(0), zone, zones) };
	if (v instanceof Moment && to.type === 'date') return { ok: true, value: v.in(zone, zones).date };
	if (to.type === 'choice' && isList(v) && v.length > 1)
		return { ok: false, message: `${to.label} takes one option; this has ${v.length}.` };
	// options keep what they are called, or their code, in another list
	const texts = asTexts(from, v, before, zones, titles);
	if (texts === null) return { ok: false, message: 'The record that it links to has no name.' };
	if (to.type === 'link') return asLink(to, texts.join('; '), titles);
	if (to.list && (from.type === 'choice' || from.type === 'choices')) {
		const options: string[] = [];
		for (const [i, id] of (isList(v) ? v : [v]).entries()) {
			const code = before.option(from.list!, String(id))?.code;
			const named = fromText(to, texts[i], schema);
			const read = named.ok || !code ? named : fromText(to, code, schema);
			if (!read.ok) return named;
			options.push(...(isList(read.value) ? (read.value as string[]) : [read.value as string]));
		}
		return { ok: true, value: to.type === 'choices' ? [...new Set(options)] : options[0] };
	}
	const read = fromText(to, texts.join('; '), schema);
	if (!read.ok) return read;
	// a clock reading without a zone is one of the workspace's
	const value = read.value instanceof Moment ? read.value.in(zone, zones) : read.value;
	const wrong = misfit(to, value, value, schema);
	return wrong ? { ok: false, message: wrong } : { ok: true, value: hold(to, value) };
}

const isNumber = (f: Field) => f.type === 'number' || f.type === 'money' || f.type === 'percent';

/** A value in words, options and links by what they are called; null for a record without a name. */
function asTexts(
	f: Field,
	v: Value,
	schema: Schema,
	zones: ZoneClock,
	titles: Titles
): string[] | null {
	if (f.type === 'link') {
		const name = titles.name(f.target!, String(v));
		return name === null ? null : [name];
	}
	if (f.type === 'choice' || f.type === 'choices')
		return (isList(v) ? v : [v]).map(
			(id) => schema.option(f.list!, String(id))?.label ?? String(id)
		);
	if (typeof v === 'boolean') return [v ? 'yes' : 'no'];
	if (v instanceof Moment) {
		const { date, time } = v.in(schema.model.zone, zones);
		return [`${date} ${new LocalTime(time.ms)}`];
	}
	return [String(v)];
}

function asLink(to: Field, name: string, titles: Titles): Reading {
	const found = titles.called(to.target!, name);
	if (found.length === 1) return { ok: true, value: found[0] };
	return {
		ok: false,
		message: found.length
			? `${found.length} records are called “${name}”.`
			: `No record is called “${name}”.`
	};
}
