/** Attributes of the model in words, for what a bundle has otherwise than the model here. */
import type { JsonValue, Schema } from '$core';

const LABEL: Record<string, string> = {
	label: 'Name',
	plural: 'Name of several',
	title: 'Named by',
	short: 'Short form',
	columns: 'Columns of its list',
	group: 'Heading',
	key: 'Other systems know records by it',
	unique: 'No two have the same',
	inverse: 'Other side of the link',
	whenDeleted: 'When the record it links to is deleted',
	currency: 'Currency',
	currencyField: 'Currency told by',
	unit: 'Unit',
	places: 'Decimals',
	retired: 'Retired',
	code: 'Code',
	options: 'Options'
};

export const attributeLabel = (attribute: string): string => LABEL[attribute] ?? attribute;

/** A value of an attribute; of fields what they are called. @param type that the attribute is of */
export function sayAttribute(
	attribute: string,
	value: JsonValue | undefined,
	schema: Schema,
	type: string
): string {
	if (value === undefined || value === null) return 'nothing';
	if (typeof value === 'boolean') return value ? 'yes' : 'no';
	const field = (id: unknown) => schema.field(type, String(id))?.label ?? String(id);
	if (Array.isArray(value))
		return (
			(value as unknown[])
				.map((v) =>
					typeof v === 'object' && v !== null && 'label' in v ? String(v.label) : field(v)
				)
				.join(', ') || 'none'
		);
	if (attribute === 'title' || attribute === 'currencyField') return field(value);
	return String(value);
}
