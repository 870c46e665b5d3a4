/**
 * Look-ups in a reference table, indexed: the cost of one does not grow with the number of rows.
 * Exact and loose keys are hashed together, the longest prefix is found by the lengths there are,
 * and ranges by a tree of their starts that knows the greatest end below each node.
 */
import type { JsonValue } from '../document/json';
import type {
	Field,
	Model,
	ReferenceTable,
	Schema,
	TableColumn,
	TableKey
} from '../document/model';
import { fromJson } from '../fields/codec';
import type { Ty } from '../feel/types';
import { typeOfField } from '../feel/types';
import { looseKey } from '../text/loose';
import { Num } from '../value/num';
import type { Value } from '../value/value';
import { isBlank, isList, order } from '../value/value';

/** A fault of a table, at a row (zero-based) and column where it lies in one. */
export interface TableFault {
	message: string;
	row?: number;
	column?: string;
}

/** A table made fast to ask. */
export interface TableIndex {
	readonly table: ReferenceTable;
	readonly faults: readonly TableFault[];
	/** The type of the input of each key. */
	readonly inputs: readonly Ty[];
	/**
	 * The rows that the keys match, in the order of the table; of prefixes only the longest.
	 * @param keys one value for each key; a blank one matches nothing
	 */
	find(keys: readonly Value[]): readonly number[];
	/** Value of a row in a column. */
	value(row: number, column: number): Value;
}

/** Most rows and columns of a table. */
export const MAX_ROWS = 200_000;
export const MAX_COLUMNS = 60;

const asFields = new WeakMap<readonly TableColumn[], Field[]>();
function fieldsOf(columns: readonly TableColumn[]): Field[] {
	const had = asFields.get(columns) ?? columns.map((c): Field => ({ group: '', ...c }));
	asFields.set(columns, had);
	return had;
}

const cache = new WeakMap<ReferenceTable, { schema: Schema; index: TableIndex }>();

/** The index of a table; made once, as long as table and model stay the same. */
export function indexTable(table: ReferenceTable, schema: Schema): TableIndex {
	const had = cache.get(table);
	if (had?.schema.model === schema.model) return had.index;
	const index = build(table, schema);
	cache.set(table, { schema, index });
	return index;
}

const NEVER: readonly number[] = [];

function build(table: ReferenceTable, schema: Schema): TableIndex {
	const faults: TableFault[] = [];
	const at = new Map(table.columns.map((c, i) => [c.id, i]));
	if (!table.keys.length) faults.push({ message: `${table.label} has no key column yet.` });
	if (table.rows.length > MAX_ROWS)
		faults.push({
			message: `A table may have ${MAX_ROWS} rows; ${table.label} has ${table.rows.length}.`
		});
	for (const c of table.columns) {
		if ((c.type === 'choice' || c.type === 'choices') && !schema.lists.has(c.list ?? ''))
			faults.push({ message: `Column ${c.label} has no option list.`, column: c.id });
	}
	const keys = table.keys.flatMap((k) => {
		const ids = k.match === 'range' ? [k.from, k.to] : [k.column];
		const missing = ids.find((id) => !at.has(id));
		if (missing === undefined) return [k];
		faults.push({ message: `${table.label} has no column “${missing}”, which a key names.` });
		return [];
	});
	for (const k of keys) {
		if (k.match !== 'prefix' && k.match !== 'loose') continue;
		const c = table.columns[at.get(k.column)!];
		if (!['text', 'email', 'phone'].includes(c.type))
			faults.push({
				message: `A key that is matched ${k.match === 'prefix' ? 'by prefix' : 'loosely'} is a text; ${c.label} is not.`,
				column: c.id
			});
	}
	const rows = faults.length ? [] : readRows(table, schema, faults);
	const groups = faults.some((f) => f.row === undefined) ? null : group(table, rows);
	return {
		table,
		faults,
		inputs: keys.map((k) =>
			typeOfField(table.columns[at.get(k.match === 'range' ? k.from : k.column)!])
		),
		find: (values) => (groups ? lookUp(groups, keys, values) : NEVER),
		value: (row, column) => rows[row]?.[column] ?? null
	};
}

/** What sound rows were read as: of a table in which some were edited only those are read anew. */
const read = new WeakMap<
	readonly JsonValue[],
	{ columns: ReferenceTable['columns']; model: Model; values: Value[] }
>();

function readRows(table: ReferenceTable, schema: Schema, faults: TableFault[]): Value[][] {
	const { columns } = table;
	const { model } = schema;
	return table.rows.map((row, r) => {
		const had = read.get(row);
		if (had?.columns === columns && had.model === model) return had.values;
		const { values, sound } = readRow(table, schema, faults, r);
		if (sound) read.set(row, { columns, model, values });
		return values;
	});
}

function readRow(table: ReferenceTable, schema: Schema, faults: TableFault[], r: number) {
	const fields = fieldsOf(table.columns);
	const row = table.rows[r];
	let sound = true;
	const fault = (f: TableFault) => {
		sound = false;
		if (faults.length < 100) faults.push(f);
	};
	if (row.length !== fields.length)
		fault({
			message: `Row ${r + 1} has ${row.length} values; there are ${fields.length} columns.`,
			row: r
		});
	const values = fields.map((f, c) => {
		const value = fromJson(f, row[c] ?? null, schema);
		if (value.ok) return value.value;
		fault({ message: `Row ${r + 1}: ${value.message}`, row: r, column: f.id });
		return null;
	});
	return { values, sound };
}

// ---- hashing and prefixes -------------------------------------------------------------------------

type Hashed = TableKey & { match: 'exact' | 'loose' };
type Ranged = TableKey & { match: 'range' };
const isHashed = (k: TableKey): k is Hashed => k.match === 'exact' || k.match === 'loose';
const isRanged = (k: TableKey): k is Ranged => k.match === 'range';

interface Bucket {
	rows: number[];
	/** By position of the range key among the range keys. */
	trees: readonly Tree[];
}

interface Groups {
	/** By the hashed keys, then by the prefixes. */
	buckets: Map<string, Bucket>;
	/** Lengths of the prefixes there are, longest first; one list for each prefix key. */
	lengths: number[][];
}

/** A value as the text under which equal values are found: 10 and 10.00 are one. */
function hashText(v: Value, loose: boolean): string {
	if (typeof v === 'string') return loose ? looseKey(v) : v;
	if (isList(v)) return [...v].map(String).sort().join('\u0001');
	return v instanceof Num ? `#${v.toString()}` : String(v);
}

const PREFIX_CASE = (v: string) => v.replace(/\s/gu, '').toUpperCase();

/** Where a row stands among those of its table: null where no value meets it. */
interface Place {
	key: string;
	/** Of its prefixes. */
	lengths: number[];
}

/** The places of rows that were read, by the keys of their table. */
const places = new WeakMap<readonly Value[], { keys: readonly TableKey[]; place: Place | null }>();

type Unranged = Exclude<TableKey, Ranged>;

function placeOf(row: readonly Value[], keys: readonly Unranged[], at: Map<string, number>) {
	const lengths: number[] = [];
	const parts: string[] = [];
	for (const k of keys) {
		const v = row[at.get(k.column)!];
		if (k.match === 'prefix') {
			// a blank prefix is one that every text begins with
			const text = typeof v === 'string' ? PREFIX_CASE(v) : '';
			lengths.push(text.length);
			parts.push(text);
		} else {
			if (isBlank(v)) return null;
			parts.push(hashText(v, k.match === 'loose'));
		}
	}
	return { key: parts.join('\u0000'), lengths };
}

const NO_TREES: readonly Tree[] = [];

/** Puts the rows of a table without faults of its own where they are found. */
function group({ columns, keys }: ReferenceTable, rows: readonly Value[][]): Groups {
	const at = new Map(columns.map((c, i) => [c.id, i]));
	const buckets = new Map<string, Bucket>();
	const hashed = keys.filter((k): k is Unranged => !isRanged(k));
	const lengths = keys.filter((k) => k.match === 'prefix').map(() => new Set<number>());
	rows.forEach((row, r) => {
		let known = places.get(row);
		if (known?.keys !== keys) places.set(row, (known = { keys, place: placeOf(row, hashed, at) }));
		const { place } = known;
		if (!place) return;
		place.lengths.forEach((n, p) => lengths[p].add(n));
		const b = buckets.get(place.key);
		if (b) b.rows.push(r);
		else buckets.set(place.key, { rows: [r], trees: NO_TREES });
	});
	const ranges = keys.filter(isRanged);
	if (ranges.length)
		for (const b of buckets.values())
			b.trees = ranges.map((k) => treeOf(b.rows, rows, at.get(k.from)!, at.get(k.to)!));
	return { buckets, lengths: lengths.map((s) => [...s].sort((a, b) => b - a)) };
}

function lookUp(g: Groups, keys: readonly TableKey[], values: readonly Value[]): readonly number[] {
	if (values.some(isBlank)) return NEVER;
	const points = values.filter((_, i) => isRanged(keys[i]));
	const hashed = keys.map((k, i) => ({ k, v: values[i] })).filter((x) => !isRanged(x.k));
	const parts: string[] = [];
	/** Tries the prefixes from the longest, each with all that follow. */
	const search = (i: number, prefix: number): readonly number[] => {
		if (i === hashed.length) return inBucket(g.buckets.get(parts.join('\u0000')), points);
		const { k, v } = hashed[i];
		if (isHashed(k)) {
			parts[i] = hashText(v, k.match === 'loose');
			return search(i + 1, prefix);
		}
		const text = PREFIX_CASE(String(v));
		for (const n of g.lengths[prefix]) {
			if (n > text.length) continue;
			parts[i] = text.slice(0, n);
			const found = search(i + 1, prefix + 1);
			if (found.length) return found;
		}
		return NEVER;
	};
	return search(0, 0);
}

function inBucket(b: Bucket | undefined, points: readonly Value[]): readonly number[] {
	if (!b) return NEVER;
	if (!points.length) return b.rows;
	let out: number[] | null = null;
	points.forEach((p, i) => {
		if (out && !out.length) return;
		if (!out) {
			out = [];
			stab(b.trees[i], 0, b.trees[i].order.length, p, out);
		} else {
			const { lo, hi } = b.trees[i];
			out = out.filter((r) => inside(p, lo.get(r) ?? null, hi.get(r) ?? null));
		}
	});
	return (out ?? []).sort((x: number, y: number) => x - y);
}

// ---- ranges ---------------------------------------------------------------------------------------

/** Rows sorted by start; `most[mid]` is the greatest end in the half-open slice whose middle is `mid`. */
interface Tree {
	order: number[];
	lo: Map<number, Value>;
	hi: Map<number, Value>;
	most: (Value | 'open')[];
}

function treeOf(rows: number[], values: readonly Value[][], from: number, to: number): Tree {
	const lo = new Map(rows.map((r) => [r, values[r][from]]));
	const hi = new Map(rows.map((r) => [r, values[r][to]]));
	const start = (r: number) => lo.get(r) ?? null;
	const sorted = [...rows].sort((a, b) => {
		const [x, y] = [start(a), start(b)];
		if (x === null || y === null) return x === y ? 0 : x === null ? -1 : 1;
		return order(x, y) ?? 0;
	});
	const most: Tree['most'] = new Array<Value>(sorted.length).fill(null);
	const fill = (a: number, b: number): Value | 'open' => {
		if (a >= b) return null;
		const mid = (a + b) >> 1;
		let best: Value | 'open' = hi.get(sorted[mid]) ?? 'open';
		for (const side of [fill(a, mid), fill(mid + 1, b)]) {
			if (side === 'open') best = 'open';
			else if (side !== null && best !== 'open' && (order(side, best) ?? 0) > 0) best = side;
		}
		most[mid] = best;
		return best;
	};
	fill(0, sorted.length);
	return { order: sorted, lo, hi, most };
}

function inside(p: Value, lo: Value, hi: Value): boolean {
	return (lo === null || (order(p, lo) ?? -1) >= 0) && (hi === null || (order(p, hi) ?? 1) <= 0);
}

/** Collects the rows of a slice whose range holds the point. */
function stab(t: Tree, a: number, b: number, p: Value, out: number[]) {
	if (a >= b) return;
	const mid = (a + b) >> 1;
	const most = t.most[mid];
	if (most !== 'open' && most !== null && (order(p, most) ?? 1) > 0) return;
	stab(t, a, mid, p, out);
	const r = t.order[mid];
	const lo = t.lo.get(r) ?? null;
	if (lo !== null && (order(p, lo) ?? -1) < 0) return;
	if (inside(p, lo, t.hi.get(r) ?? null)) out.push(r);
	stab(t, mid + 1, b, p, out);
}
