/** What a field was when something was told of it: a name, a type, that may be others today. */
import { Schema, type Field, type JsonValue } from '../core';
import { formatValue } from './format';

/** A field as it was until it got another type or was removed. */
export interface PastField {
	type: string;
	field: Field;
	/** ISO 8601, UTC. */
	until: string;
}

/**
 * The field by which a value of that time is read.
 * @param now the field as it is today; undefined where it is gone
 * @param past oldest first
 * @param at ISO 8601, UTC
 */
export function fieldThen(
	now: Field | undefined,
	past: readonly PastField[],
	of: { type: string; field: string },
	at: string
): Field | undefined {
	const own = past.filter((p) => p.type === of.type && p.field.id === of.field);
	return own.find((p) => at <= p.until)?.field ?? now ?? own.at(-1)?.field;
}

/** The model as what happened at a time speaks of it: with the fields that became another kind, or were removed, since. */
export function schemaThen(schema: Schema, past: readonly PastField[], at: string): Schema {
	const since = past.filter((p) => at <= p.until);
	if (!since.some((p) => schema.types.has(p.type))) return schema;
	const types = schema.model.types.map((t) => {
		const own = since.filter((p) => p.type === t.id);
		const then = (id: string, now?: Field) =>
			fieldThen(now, own, { type: t.id, field: id }, at) ?? [];
		const gone = own.filter((p) => !t.fields.some((f) => f.id === p.field.id));
		const ids = new Set(gone.map((p) => p.field.id));
		const fields = [...t.fields.map((f) => then(f.id, f)), ...[...ids].map((id) => then(id))];
		return { ...t, fields: fields.flat() };
	});
	const { definitions, tables } = schema;
	const names = { definitions: [...definitions.values()], tables: [...tables.values()] };
	return new Schema({ ...schema.model, types }, names);
}

/**
 * What fields of a record type were called at a time, and their values as they were read then.
 * @param links titles of records by `type.id`
 */
export function wordsThen(
	schema: Schema,
	type: string,
	past: readonly PastField[],
	links: Readonly<Record<string, string>>
) {
	const then = (field: string, at: string) =>
		fieldThen(schema.field(type, field), past, { type, field }, at);
	return {
		label: (field: string, at: string) => then(field, at)?.label ?? field,
		say(field: string, v: unknown, at: string) {
			const f = then(field, at);
			return f ? formatValue(f, v as JsonValue, schema, links) || 'blank' : String(v);
		}
	};
}
