/** Record types, fields, option lists: the shape of the data that rules speak about. */

/** What a field holds. `choices` is a multi-choice; `moment` is a date with a time. */
export type FieldType =
	| 'text'
	| 'email'
	| 'phone'
	| 'number'
	| 'money'
	| 'percent'
	| 'date'
	| 'moment'
	| 'yesno'
	| 'choice'
	| 'choices'
	| 'link';

/** One field of a record type. Its `id` never changes; its `label` is what people read. */
export interface Field {
	/** Unique within the record type: lower-case letters, digits and `_`, at most 40. */
	id: string;
	label: string;
	/** Heading under which the ledger and the forms show it. */
	group: string;
	type: FieldType;
	/** Option list of a choice or multi-choice. */
	list?: string;
	/** Record type a link points to. */
	target?: string;
	/** What the other side of a link is called in formulas: `customer.deals`. */
	inverse?: string;
	/** ISO 4217 code of a money field. */
	currency?: string;
	/** Unit shown behind a number, such as `m²`. */
	unit?: string;
	/** Decimals a number is rounded to (half-even) when written; without it, none are cut. */
	places?: number;
	/** Retired fields stay readable and are offered nowhere. */
	retired?: boolean;
}

/** A record type with its fields and the order of its forms. */
export interface RecordType {
	id: string;
	label: string;
	plural: string;
	/** The field that names a record to people. */
	title: string;
	fields: Field[];
	/** Field ids in the order of the short form; the full form shows every field by group. */
	short: string[];
	/** Field ids shown side by side in the list of records. */
	columns: string[];
}

/** One option of a list; its place in the list is its position. */
export interface Option {
	id: string;
	label: string;
	/** Retired options stay where they are set and cannot be chosen anew. */
	retired?: boolean;
}

export interface OptionList {
	id: string;
	label: string;
	options: Option[];
}

/** All record types and option lists of a workspace. */
export interface Model {
	types: RecordType[];
	lists: OptionList[];
	/** IANA time zone in which formulas see dates and times. */
	zone: string;
	/** Record type whose records stand for the people who sign in. */
	personType?: string;
}

/** Names a field anywhere in the workspace. */
export interface FieldRef {
	type: string;
	field: string;
}

/** The text key of a field reference, for maps. */
export const refKey = (type: string, field: string) => `${type}.${field}`;

/** A record type with what look-ups need worked out once. */
export interface TypeIndex {
	readonly type: RecordType;
	/** Position of a field in the arrays that hold a record's values. */
	readonly at: ReadonlyMap<string, number>;
	/** Links of other types that point here. */
	readonly collections: readonly { label: string; type: string; field: string }[];
}

/**
 * The model made fast to ask. Immutable; make a new one when the model changes.
 */
export class Schema {
	readonly types: ReadonlyMap<string, TypeIndex>;
	readonly lists: ReadonlyMap<string, OptionList>;
	private readonly positions = new Map<string, ReadonlyMap<string, number>>();

	constructor(readonly model: Model) {
		this.lists = new Map(model.lists.map((l) => [l.id, l]));
		this.types = new Map(
			model.types.map((type) => {
				const at = new Map(type.fields.map((f, i) => [f.id, i]));
				const collections = model.types.flatMap((t) =>
					t.fields
						.filter((f) => f.type === 'link' && f.target === type.id && f.inverse)
						.map((f) => ({ label: f.inverse!, type: t.id, field: f.id }))
				);
				return [type.id, { type, at, collections }];
			})
		);
		for (const l of model.lists)
			this.positions.set(l.id, new Map(l.options.map((o, i) => [o.id, i])));
	}

	/** @throws when the workspace has no such record type */
	type(id: string): TypeIndex {
		const t = this.types.get(id);
		if (!t) throw new Error(`There is no record type “${id}”.`);
		return t;
	}

	/** The field, or undefined. */
	field(type: string, field: string): Field | undefined {
		const t = this.types.get(type);
		const i = t?.at.get(field);
		return i === undefined ? undefined : t!.type.fields[i];
	}

	/** The option, or undefined. */
	option(list: string, option: string): Option | undefined {
		const i = this.position(list, option);
		return i === undefined ? undefined : this.lists.get(list)!.options[i];
	}

	/** Zero-based position of an option in its list. */
	position(list: string, option: string): number | undefined {
		return this.positions.get(list)?.get(option);
	}
}
