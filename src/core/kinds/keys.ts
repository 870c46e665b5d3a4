/** What a choice or yes/no can be, as the keys of a map or table. */
import type { Field, Schema } from '../document/model';
import type { Value } from '../value/value';

/** Options (or yes and no) of a field that are open to choice, with what they are called. */
export function keysOf(
	schema: Schema,
	field: Field
): { id: string; label: string; value: Value }[] {
	if (field.type === 'yesno')
		return [
			{ id: 'true', label: 'yes', value: true },
			{ id: 'false', label: 'no', value: false }
		];
	const { options } = schema.lists.get(field.list!)!;
	return options.filter((o) => !o.retired).map((o) => ({ id: o.id, label: o.label, value: o.id }));
}

/** Fields of a record type to choose an input from: choices and yes/no, or numbers and dates. */
export const choicesOf = (schema: Schema, type: string, not: string): Field[] =>
	schema
		.type(type)
		.type.fields.filter((f) => (f.type === 'choice' || f.type === 'yesno') && f.id !== not);

export const numbersOf = (schema: Schema, type: string, not: string): Field[] =>
	schema
		.type(type)
		.type.fields.filter(
			(f) => ['number', 'money', 'percent', 'date'].includes(f.type) && f.id !== not
		);

/** Keys of the options (or yes and no) of a field in the order of its list, whatever order they were stored in. */
export function inListOrder(
	keys: readonly string[],
	field: string,
	schema: Schema,
	type: string
): string[] {
	const list = schema.field(type, field)?.list;
	const place = (k: string) => (list ? (schema.position(list, k) ?? 1e9) : 0);
	return [...keys].sort((x, y) => place(x) - place(y) || (x < y ? 1 : -1));
}
