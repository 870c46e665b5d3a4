/** The records that suggestions are made from, column by column: what stands in a field, and what could explain it. */
import type { JsonValue } from '../document/json';
import { isNumeric, type Field, type Schema } from '../document/model';
import type { Body, Hold, Kind } from '../document/rules';
import type { Expr } from '../document/tree';
import { waysFrom } from '../conditions/ways';
import { toJson } from '../fields/codec';
import type { Loader } from '../settle/types';
import { wordsIn } from '../text/clean';
import { Num } from '../value/num';
import { LocalDate, Moment } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank, isList } from '../value/value';

/** How a suggestion says that a field gets its value. */
export type SuggestedHow =
	| 'start value'
	| 'copy'
	| 'part'
	| 'options'
	| 'bands'
	| 'table'
	| 'cases'
	| 'match'
	| 'related'
	| 'calculation'
	| 'text';

/** Something that could explain a field: a field of the record, one behind a link, or what is told from one. */
export interface Column {
	/** Tells it from the others. */
	id: string;
	expr: Expr;
	field: Field;
	/** As people read it, with the links on the way. */
	label: string;
	/** The identity of the field, where it is the record's own. */
	own: string | null;
	values: readonly Value[];
	/** The same as texts that are equal where the values are; empty for blank. */
	keys: readonly string[];
}

/** A way to explain the field, fitted to some records. */
export interface Hypothesis {
	/** What is supposed and from what: the same one, fitted to other records, has the same. */
	id: string;
	how: SuggestedHow;
	/** How much somebody has to read to understand it; a copy is 1. */
	size: number;
	reads: readonly string[];
	/** How many values it was given to choose from; left out where it computes. */
	results?: number;
	/** What it gives for a record, as a key. */
	gives(row: number): string;
	verb: Kind;
	hold?: Hold;
	/** Other fields that it writes, before and behind this one. */
	before?: string;
	second?: string;
	body(): Body;
}

/** What people know by its value: texts are equal where values are. */
export function keyOf(v: Value): string {
	if (isBlank(v)) return '';
	if (isList(v)) return v.map(keyOf).sort().join(' ');
	return typeof v === 'string' ? v : String(toJson(v));
}

/** A number or day as a double, for comparing; not a number where it is neither. */
export function sizeOf(v: Value): number {
	if (v instanceof Num) return v.toDouble();
	if (v instanceof LocalDate) return v.epochDay;
	return v instanceof Moment ? v.epochMs : NaN;
}

export const isText = (f: Pick<Field, 'type'>) =>
	f.type === 'text' || f.type === 'email' || f.type === 'phone';
export const isChoice = (f: Pick<Field, 'type'>) => f.type === 'choice' || f.type === 'yesno';

/** Whether what one field holds can stand in another as it is. */
export function sameKind(a: Pick<Field, 'type' | 'list' | 'target'>, b: typeof a): boolean {
	if (isText(a)) return isText(b);
	if (isNumeric(a)) return isNumeric(b);
	return a.type === b.type && a.list === b.list && a.target === b.target;
}

export interface StudyRecord {
	id: string;
	values: readonly Value[];
}

/** All that is looked at to explain one field. */
export class Study {
	readonly field: Field;
	/** What the field holds, examples taken for it. */
	readonly y: Column;
	readonly columns: readonly Column[];
	/** What is told from texts and days: how many words, which year. */
	readonly derived: readonly Column[];
	/** The stored value of a key. */
	private readonly known = new Map<string, JsonValue>();

	/**
	 * @param examples wanted values by the place of their record, in the place of what is stored
	 * @param without fields of the record that may not explain it
	 */
	constructor(
		readonly schema: Schema,
		readonly type: string,
		field: string,
		readonly records: readonly StudyRecord[],
		readonly loader: Loader,
		readonly examples: ReadonlyMap<number, Value>,
		without: ReadonlySet<string> = new Set()
	) {
		this.field = schema.field(type, field)!;
		const { at } = schema.type(type);
		const i = at.get(field)!;
		const target: Expr = { k: 'field', image: 'settled', type, field };
		this.y = this.column(field, target, this.field, this.field.label, field, (r, row) =>
			examples.has(row) ? examples.get(row)! : r.values[i]
		);
		const ways = waysFrom(schema, type).filter(
			(w) => w.field && w.through.length < 2 && !without.has(firstField(w.expr) ?? '')
		);
		this.columns = ways.flatMap((w) => {
			const own = w.through.length ? null : w.field!.id;
			if (own === field || firstField(w.expr) === field) return [];
			const label = [...w.through, w.field!.label].join(' › ');
			return [
				this.column(label, w.expr, w.field!, label, own, reader(w.expr, schema, type, loader))
			];
		});
		this.derived = this.columns.flatMap((c) => this.derivedFrom(c));
		this.y.values.forEach((v, row) => this.known.set(this.y.keys[row], plain(v)));
	}

	/** The value of a key as it is stored. */
	json(key: string): JsonValue {
		return key === '' ? null : (this.known.get(key) ?? null);
	}

	private column(
		id: string,
		expr: Expr,
		field: Field,
		label: string,
		own: string | null,
		read: (r: StudyRecord, row: number) => Value
	): Column {
		const values = this.records.map(read);
		return { id, expr, field, label, own, values, keys: values.map(keyOf) };
	}

	private derivedFrom(c: Column): Column[] {
		const told = (id: string, expr: Expr, label: string, read: (v: Value) => number | null) => {
			const values = c.values.map((v): Value => {
				const n = isBlank(v) ? null : read(v);
				return n === null ? null : new Num(n, 0);
			});
			const field: Field = { id, label, group: '', type: 'number', places: 0 };
			return {
				id: `${id} ${c.id}`,
				expr,
				field,
				label,
				own: null,
				values,
				keys: values.map(keyOf)
			};
		};
		const call = (fn: string, ...args: Expr[]): Expr => ({ k: 'call', fn, args });
		if (c.field.type === 'text')
			return [
				told(
					'words',
					call('count', call('words', c.expr)),
					`the words of ${c.label}`,
					(v) => wordsIn(v as string).length
				)
			];
		if (c.field.type !== 'date') return [];
		const day = (v: Value) => (v instanceof LocalDate ? v : null);
		return [
			told(
				'year',
				{ k: 'path', of: c.expr, name: 'year' },
				`the year of ${c.label}`,
				(v) => day(v)!.year
			),
			told('quarter', call('quarter', c.expr), `the quarter of ${c.label}`, (v) =>
				Math.ceil(day(v)!.month / 3)
			),
			told(
				'month',
				{ k: 'path', of: c.expr, name: 'month' },
				`the month of ${c.label}`,
				(v) => day(v)!.month
			)
		];
	}
}

const plain = (v: Value): JsonValue => toJson(isList(v) ? [...v] : v);

/** The field of the record itself from which a way sets out. */
function firstField(e: Expr): string | null {
	if (e.k === 'field') return e.field;
	return e.k === 'through' ? firstField(e.of) : null;
}

/** Reads a way, across at most one link. */
function reader(e: Expr, schema: Schema, type: string, loader: Loader) {
	if (e.k === 'field') {
		const i = schema.type(type).at.get(e.field)!;
		return (r: StudyRecord) => r.values[i];
	}
	if (e.k !== 'through' || e.of.k !== 'field') return () => null;
	const link = schema.type(type).at.get(e.of.field)!;
	const [target, i] = [e.type, schema.type(e.type).at.get(e.field)!];
	return (r: StudyRecord) => {
		const to = r.values[link];
		return typeof to === 'string' ? (loader.record(target, to)?.[i] ?? null) : null;
	};
}

/** How often each key stands in some rows, the most frequent first; of equals the one that sorts first. */
export function counted(keys: Iterable<string>): [key: string, count: number][] {
	const counts = new Map<string, number>();
	for (const k of keys) counts.set(k, (counts.get(k) ?? 0) + 1);
	return [...counts].sort(([a, n], [b, m]) => m - n || (a < b ? -1 : 1));
}

/** Rows by key. */
export function grouped(rows: readonly number[], key: (row: number) => string) {
	const groups = new Map<string, number[]>();
	for (const row of rows) {
		const k = key(row);
		const had = groups.get(k);
		if (had) had.push(row);
		else groups.set(k, [row]);
	}
	return groups;
}
