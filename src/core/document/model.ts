/** Record types, fields, option lists: the shape of the data that rules speak about. */
import type { Formula } from './tree';
import { isKeptName } from '../value/own';
import type { JsonValue } from './json';

/** What a field holds. `choices` is a multi-choice; `moment` is a date with a time. */
export const FIELD_TYPES = [
	'text',
	'email',
	'phone',
	'number',
	'money',
	'percent',
	'date',
	'moment',
	'yesno',
	'choice',
	'choices',
	'link'
] as const;
export type FieldType = (typeof FIELD_TYPES)[number];

/** The types of fields by which other systems may know a record. */
export const KEY_TYPES: readonly FieldType[] = ['text', 'email', 'phone', 'number'];

const IDENTITY = /^[a-z][a-z0-9_]{0,39}$/;

/** Whether a record type or field may have this identity, which also names its table or column. */
export const isIdentity = (id: string) => IDENTITY.test(id) && !isKeptName(id);

/** One field of a record type. Its `id` never changes; its `label` is what people read. */
/** Whether a field holds a number of some kind. */
export const isNumeric = (f: { type: FieldType }): boolean =>
	f.type === 'number' || f.type === 'money' || f.type === 'percent';

export interface Field {
	/** Unique within the record type: lower-case letters, digits and `_`, at most 40. */
	id: string;
	label: string;
	/** Heading under which the ledger and the forms show it. */
	group: string;
	type: FieldType;
	/** Other systems know a record by it: links in imports and calls of the API may be given by its value. */
	key?: boolean;
	/** Of a key: no two records hold the same, as keys are compared. Many may be blank. */
	unique?: boolean;
	/** Option list of a choice or multi-choice. */
	list?: string;
	/** Record type a link points to. */
	target?: string;
	/** Of a link: whether the record it points to may be deleted, which blanks it. Without it that is refused. */
	whenDeleted?: 'refuse' | 'blank';
	/** What the other side of a link is called in formulas: `customer.deals`. */
	inverse?: string;
	/** ISO 4217 code of a money field. */
	currency?: string;
	/** Of a money field: the choice of the same record type whose option is its currency, by code or label. */
	currencyField?: string;
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
	/** By which other systems know it, such as its ISO code; read by `code()`. */
	code?: string;
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

const none: readonly never[] = [];

/** How the key of a reference table meets its input. */
export type TableKey =
	/** `loose` ignores case, accents and spaces; `prefix` takes the longest that the input begins with. */
	| { match: 'exact' | 'loose' | 'prefix'; column: string }
	/** From–to, both ends included; a blank end is open. On dates: valid on a date. */
	| { match: 'range'; from: string; to: string };

export interface TableColumn {
	id: string;
	label: string;
	type: FieldType;
	list?: string;
	target?: string;
	currency?: string;
	places?: number;
}

/** A table that the business maintains. Its columns and keys are part of the draft and of releases. */
export interface ReferenceTable {
	id: string;
	label: string;
	why: string;
	columns: TableColumn[];
	keys: TableKey[];
	/**
	 * One value for each column, as JSON. Of a living table none, or those that it begins with when it is
	 * released.
	 */
	rows: JsonValue[][];
	/**
	 * Its rows are no part of the draft or of a release: whoever keeps them edits them in force, and each edit counts at
	 * once.
	 */
	living?: true;
	/**
	 * What a key without a row means: nothing is found, the field is left as it is, or somebody forgot the
	 * row. Nobody said where it is left out.
	 */
	missing?: MissingKey;
}

export const MISSING_KEYS = ['nothing', 'leave', 'mistake'] as const;
export type MissingKey = (typeof MISSING_KEYS)[number];

/** A parameter of a definition, or what it gives. */
export interface DefinitionType {
	type: FieldType;
	list?: string;
	target?: string;
}

/** A named expression that every formula may use. */
export interface Definition {
	id: string;
	/** What formulas call it. */
	name: string;
	why: string;
	/** The record type whose fields it may read; null when it knows its parameters only. */
	type: string | null;
	params: ({ name: string } & DefinitionType)[];
	/** What it gives; null to take it from the expression. */
	result: DefinitionType | null;
	body: Formula;
}

/** What a rule set adds to the names that formulas and rules may use. */
export interface Vocabulary {
	definitions?: readonly Definition[];
	tables?: readonly ReferenceTable[];
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
	/** Definitions and reference tables that formulas and rules may name. */
	readonly definitions: ReadonlyMap<string, Definition>;
	readonly tables: ReadonlyMap<string, ReferenceTable>;
	private readonly positions = new Map<string, ReadonlyMap<string, number>>();

	constructor(
		readonly model: Model,
		private readonly names: Vocabulary = {}
	) {
		this.definitions = new Map((names.definitions ?? []).map((d) => [d.id, d]));
		this.tables = new Map((names.tables ?? []).map((t) => [t.id, t]));
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

	/** The same model with the definitions and tables of a rule set. */
	with(set: Vocabulary): Schema {
		const { definitions, tables } = this.names;
		if (
			(set.definitions ?? none) === (definitions ?? none) &&
			(set.tables ?? none) === (tables ?? none)
		)
			return this;
		return new Schema(this.model, { definitions: set.definitions, tables: set.tables });
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
