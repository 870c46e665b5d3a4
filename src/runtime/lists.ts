/** Columns of lists, as pages and files show them. */
import { isNumeric, type Field, type JsonValue, type Schema } from '../core';
import { readColumn, type ListAsked, type ListColumn, type Stamp } from '../door/lists';
import { formatCount, formatMoment, formatValue } from './format';

/** A field of a list with the links on the way to it. */
export function fieldAt(
	schema: Schema,
	type: string,
	path: readonly string[]
): { field: Field; links: Field[] } | null {
	const links: Field[] = [];
	let at = type;
	for (const [i, id] of path.entries()) {
		const f = schema.types.has(at) ? schema.field(at, id) : undefined;
		if (!f) return null;
		if (i === path.length - 1) return { field: f, links };
		if (f.type !== 'link' || !f.target) return null;
		links.push(f);
		at = f.target;
	}
	return null;
}

/** The field that a column shows, its own or behind links; null for a number of records, or one that is gone. */
export function columnField(schema: Schema, type: string, c: ListColumn): Field | null {
	if (c.k === 'count' || c.k === 'stamp') return null;
	if (c.k !== 'field') return schema.field(type, c.field) ?? null;
	return fieldAt(schema, type, c.path)?.field ?? null;
}

/** What is noted of a record, as people call it. */
export const STAMP_LABEL: Record<Stamp, string> = { made: 'Made', changed: 'Last changed' };

/** What a column is called. */
export function columnLabel(schema: Schema, type: string, c: ListColumn): string {
	if (c.k === 'count')
		return schema.types.has(c.type)
			? `Number of ${schema.field(c.type, c.field)?.inverse ?? schema.type(c.type).type.plural.toLowerCase()}`
			: c.type;
	if (c.k === 'stamp') return STAMP_LABEL[c.of];
	if (c.k !== 'field') {
		const label = schema.field(type, c.field)?.label ?? c.field;
		return c.k === 'before' ? `${label} before` : `${label} changed`;
	}
	const found = fieldAt(schema, type, c.path);
	if (!found) return c.path.join(' › ');
	return [...found.links, found.field].map((f) => f.label).join(' › ');
}

/** What stands in a cell. @param links titles of records by `type.id` */
export function columnCell(
	schema: Schema,
	type: string,
	c: ListColumn,
	v: JsonValue,
	links: Readonly<Record<string, string>>
): string {
	if (v === null) return '';
	if (c.k === 'count') return formatCount(Number(v));
	if (c.k === 'since' || c.k === 'stamp') return formatMoment(String(v), schema.model.zone);
	const f = columnField(schema, type, c);
	return f ? formatValue(f, v, schema, links) : '';
}

/** The same for a file that programs read: numbers, days and instants as they are stored, the rest as people read it. */
export function plainCell(
	schema: Schema,
	type: string,
	c: ListColumn,
	v: JsonValue,
	links: Readonly<Record<string, string>>
): string {
	if (v === null) return '';
	if (c.k === 'count' || c.k === 'since' || c.k === 'stamp') return String(v);
	const f = columnField(schema, type, c);
	if (!f) return '';
	const plain = isNumeric(f) || f.type === 'date' || f.type === 'moment';
	return plain ? String(v) : formatValue(f, v, schema, links);
}

const EVENT = /"image":"was"|"fn":"(?:changed|moved|moved forward|moved back)"/;
/** Whether a list asks what fields were, or whether they changed. */
export const asksOfChanges = (asked: ListAsked): boolean =>
	EVENT.test(JSON.stringify(asked.where)) ||
	!!asked.columns?.some((c) => ['before', 'since'].includes(readColumn(c)?.k ?? ''));
