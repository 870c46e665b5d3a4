/** Records in the database. Values cross this border as the core's own. */
import type { Field, MatchKey, Schema, SettledRecord, Value } from '../../core';
import { LocalDate, Moment, matchKey, parseNum, toJson } from '../../core';
import type { Stamp } from '../../door/lists';
import { zones } from '../../runtime/zones';
import { iso } from './iso';
import { columnOf, keyColumn, keyColumns, sqlType, tableOf } from './model';
import type { Db } from './pool';
import { keptSetBy, readSetBy, type KeptSetBy, type SetBy } from './set-by';

/** By what a record was settled: a release, and the rows of living tables after an edit (0 before any). */
export interface Settling {
	release: number;
	living: number;
}

export interface StoredRecord {
	type: string;
	id: string;
	version: number;
	values: Value[];
	setBy: Record<string, SetBy>;
	/** Release that last settled it, and the last edit of living tables at that time. */
	settledBy: Settling | null;
	/** It belongs to the pilot that is on, as far as that was asked. */
	pilot?: boolean;
}

/** What the driver gives for a column, as a value of the core. */
export function fromColumn(kind: string, v: unknown, zone: string): Value {
	if (v === null || v === undefined) return null;
	switch (kind) {
		case 'number':
		case 'money':
		case 'percent':
			return parseNum(v as string);
		case 'date':
			return LocalDate.parse(v as string);
		case 'moment':
			return Moment.fromInstant((v as Date).getTime(), zone, zones);
		case 'link':
			return String(v);
		case 'choices':
			return (v as string[]).length ? (v as string[]) : null;
		default:
			return v as Value;
	}
}

/** How rows become records: what is selected of a record's own row, and what a row, as a list, then says. */
interface Sight<T> {
	columns: string[];
	/** @param row begins with these columns; whoever selects more finds it behind them */
	read: (row: readonly unknown[]) => T;
}

/** The values of a record, from the given place of a row on. @param alias of its table, with a dot */
function valuesSight(
	schema: Schema,
	type: string,
	at: number,
	{ only, alias = '' }: { only?: ReadonlySet<string> | undefined; alias?: string } = {}
): Sight<Value[]> {
	const { fields } = schema.type(type).type;
	const { zone } = schema.model;
	const read = fields.flatMap((f, i) => (!only || only.has(f.id) ? [{ i, kind: f.type, f }] : []));
	const blank: Value[] = fields.map(() => null);
	return {
		// an instant as a number: the driver's own reading of its text takes longer than all the rest
		columns: read.map(({ f, kind }) => {
			const column = alias + columnOf(f.id);
			return kind === 'moment' ? `(extract(epoch from ${column}) * 1000)::float8` : column;
		}),
		read(row) {
			const own = blank.slice();
			for (let k = 0; k < read.length; k++) {
				const { i, kind } = read[k];
				const v = row[k + at];
				if (v === null) continue;
				own[i] =
					kind === 'moment'
						? Moment.fromInstant(v as number, zone, zones)
						: fromColumn(kind, v, zone);
			}
			return own;
		}
	};
}

/** A whole record. @param alias of its table, with a dot */
export function storedSight(schema: Schema, type: string, alias = ''): Sight<StoredRecord> {
	const own = ['id', 'version', 'set_by', 'settled_by', 'settled_living'].map((c) => alias + c);
	const values = valuesSight(schema, type, own.length, { alias });
	return {
		columns: [...own, ...values.columns],
		read(row) {
			const [id, version, setBy, release, living] = row;
			return {
				type,
				id: id as string,
				version: version as number,
				settledBy:
					release === null ? null : { release: release as number, living: living as number },
				setBy: readSetBy(setBy as Record<string, KeptSetBy>),
				values: values.read(row)
			};
		}
	};
}

/** Reads whole records. @param where what follows on the workspace, which is `$1` */
async function stored(
	db: Db,
	schema: Schema,
	type: string,
	where: string,
	values: readonly unknown[]
): Promise<StoredRecord[]> {
	const { columns, read } = storedSight(schema, type);
	const r = await db.query<unknown[]>({
		rowMode: 'array',
		text: `select ${columns.join(', ')} from ${tableOf(type)} where workspace = $1 ${where}`,
		values: [...values]
	});
	return r.rows.map(read);
}

/** Most records that one search gives. */
const MOST_FOUND = 100;

/** Reads records by id, in the order of ids; missing ones are left out. */
export async function readRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	ids: readonly string[],
	lock: '' | 'for update' | 'for no key update' | 'for no key update skip locked' = ''
): Promise<StoredRecord[]> {
	const where = `and id = any($2::bigint[]) order by id ${lock}`;
	return stored(db, schema, type, where, [workspace, ids]);
}

/** By how many changes some records became what they are; those that are not there are left out. */
export async function versionsOf(
	db: Db,
	workspace: string,
	type: string,
	ids: readonly string[]
): Promise<Map<string, number>> {
	const r = await db.query<{ id: string; version: number }>(
		`select id, version from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[])`,
		[workspace, ids]
	);
	return new Map(r.rows.map((x) => [x.id, x.version]));
}

/** A record as rules look at it: its values, and who set them where that is asked for. */
export interface Looked {
	id: string;
	version: number;
	values: Value[];
	setBy: Record<string, SetBy> | null;
}

/** How much of records is read. */
export interface Reading {
	/** Who set their values: of all fields, or of some. Of a row it is the most. */
	setBy?: boolean | readonly string[];
	/** The fields that are read; the values of others are blank. All where nothing is said. */
	only?: ReadonlySet<string>;
}

/** What is read of who set values. */
const setByOf = (of: Reading['setBy']): string => {
	if (of === true) return 'set_by';
	if (!of || !of.length) return 'null';
	const some = of.map((f) => `'${f}', set_by -> '${f}'`);
	return `jsonb_strip_nulls(jsonb_build_object(${some.join(', ')}))`;
};

/** Reads no more of records than their values, or what is asked of these. @param where what follows on `from` and the workspace */
async function lookAt(
	db: Db,
	schema: Schema,
	type: string,
	where: string,
	values: readonly unknown[],
	{ setBy = false, only }: Reading = {}
): Promise<Looked[]> {
	const sight = valuesSight(schema, type, 3, { only });
	const r = await db.query<[string, number, Record<string, KeptSetBy> | null, ...unknown[]]>({
		rowMode: 'array',
		text: `select ${['id', 'version', setByOf(setBy), ...sight.columns].join(', ')} from ${tableOf(type)} where workspace = $1 ${where}`,
		values: [...values]
	});
	return r.rows.map((row) => ({
		id: row[0],
		version: row[1],
		setBy: row[2] && readSetBy(row[2]),
		values: sight.read(row)
	}));
}

/** The values of records, for rules that look at them: by id and in that order, missing ones left out. */
export const readValues = (
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	ids: readonly string[],
	reading: Reading = {}
): Promise<Looked[]> =>
	lookAt(db, schema, type, 'and id = any($2::bigint[]) order by id', [workspace, ids], reading);

/** Who set the values of some records, by record and field. */
export async function readWhoSet(
	db: Db,
	workspace: string,
	type: string,
	ids: readonly string[]
): Promise<Map<string, Record<string, SetBy>>> {
	if (!ids.length) return new Map();
	const r = await db.query<{ id: string; set_by: Record<string, KeptSetBy> }>(
		`select id::text, set_by from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[])`,
		[workspace, ids]
	);
	return new Map(r.rows.map((x) => [x.id, readSetBy(x.set_by)]));
}

/** Visits the values of all records of a range of keys, some at a time, in their order. */
export async function eachValues(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	visit: (records: Looked[]) => Promise<void>,
	{ low, high, ...reading }: { low: string; high: string } & Reading
): Promise<void> {
	const piece = 1000;
	let after = String(BigInt(low) - 1n);
	for (;;) {
		const where = `and id > $2 and id <= $3 order by id limit ${piece}`;
		const some = await lookAt(db, schema, type, where, [workspace, after, high], reading);
		await visit(some);
		if (some.length < piece) return;
		after = some[some.length - 1].id;
	}
}

/** How many records lie in a range of keys. */
export async function countRange(
	db: Db,
	workspace: string,
	type: string,
	low: string,
	high: string
): Promise<number> {
	const r = await db.query<{ n: number }>(
		`select count(*)::int as n from ${tableOf(type)} where workspace = $1 and id between $2 and $3`,
		[workspace, low, high]
	);
	return r.rows[0].n;
}

/** Where links of some records point now, one row for each record in no order; null where nowhere. */
export async function readLinks(
	db: Db,
	workspace: string,
	type: string,
	ids: readonly string[],
	links: readonly string[]
): Promise<(string | null)[][]> {
	const r = await db.query<(string | null)[]>({
		rowMode: 'array',
		text: `select ${links.map(columnOf).join(', ')} from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[])`,
		values: [workspace, ids]
	});
	return r.rows;
}

/**
 * Some records of a type, in an order that has nothing to do with what they hold and is the same each time.
 * @param first the ids of those that come first, whatever the order
 */
export async function sampleRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	most: number,
	first: readonly string[]
): Promise<StoredRecord[]> {
	const where = 'order by id = any($3::bigint[]) desc, hashint8(id), id limit $2';
	return stored(db, schema, type, where, [workspace, most, first]);
}

/** How many records point to some records by a link. */
export async function countRelated(
	db: Db,
	workspace: string,
	type: string,
	field: string,
	of: readonly string[]
): Promise<number> {
	const r = await db.query(
		`select count(*)::int as n from ${tableOf(type)} where workspace = $1 and ${columnOf(field)} = any($2::bigint[])`,
		[workspace, of]
	);
	return r.rows[0].n;
}

/** The records that point to some records by a link. */
export async function relatedRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	field: string,
	of: readonly string[]
): Promise<StoredRecord[]> {
	const where = `and ${columnOf(field)} = any($2::bigint[]) order by id`;
	return stored(db, schema, type, where, [workspace, of]);
}

/** Ids of the records whose link points to each of some records; those nobody points to are left out. */
export async function relatedIds(
	db: Db,
	workspace: string,
	type: string,
	field: string,
	of: readonly string[]
): Promise<Map<string, string[]>> {
	const numbers = of.filter((id) => /^\d{1,18}$/.test(id));
	const r = await db.query<{ id: string; parent: string }>(
		`select id, ${columnOf(field)} as parent from ${tableOf(type)} where workspace = $1 and ${columnOf(field)} = any($2::bigint[]) order by id`,
		[workspace, numbers]
	);
	const out = new Map<string, string[]>();
	for (const { id, parent } of r.rows) {
		const had = out.get(String(parent));
		if (had) had.push(String(id));
		else out.set(String(parent), [String(id)]);
	}
	return out;
}

/** Which of some numbers are those of records. */
export async function idsThere(
	db: Db,
	workspace: string,
	type: string,
	ids: readonly string[]
): Promise<Set<string>> {
	const r = await db.query<{ id: string }>(
		`select id::text from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[])`,
		[workspace, ids]
	);
	return new Set(r.rows.map((x) => x.id));
}

/**
 * Ids of the records that meet all the keys of each search, lowest first. Searches by the same
 * fields are one query.
 */
export async function matchingIds(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	searches: readonly (readonly MatchKey[])[]
): Promise<string[][]> {
	const out: string[][] = searches.map(() => []);
	const shapes = new Map<string, number[]>();
	searches.forEach((keys, i) => {
		const shape = keys.map((k) => `${k.field} ${k.how}`).join(', ');
		shapes.set(shape, [...(shapes.get(shape) ?? []), i]);
	});
	for (const places of shapes.values()) {
		const keys = searches[places[0]];
		const on = keys.map((k, n) => {
			const cast = k.how === 'exact' ? sqlType(schema.field(type, k.field)!) : 'text';
			return `r.${keyColumn(k.field, k.how)} = q.k${n}::${cast}`;
		});
		const r = await db.query<{ n: string; id: string }>(
			`select q.n, r.id from unnest(${keys.map((_, n) => `$${n + 2}::text[]`).join(', ')})
			   with ordinality as q(${keys.map((_, n) => `k${n}`).join(', ')}, n)
			 join lateral (select id from ${tableOf(type)} r where r.workspace = $1 and ${on.join(' and ')} order by id limit ${MOST_FOUND}) r on true`,
			[workspace, ...keys.map((_, n) => places.map((i) => searches[i][n].key))]
		);
		for (const { n, id } of r.rows) out[places[Number(n) - 1]].push(String(id));
	}
	return out;
}

/** Cuts the records of a type by their keys, so many to a range, in the order of the keys. */
export async function cutByKey(
	db: Db,
	workspace: string,
	type: string,
	size: number
): Promise<{ low: string; high: string; records: number }[]> {
	const r = await db.query<{ low: string; high: string; records: number }>(
		`select min(id)::text as low, max(id)::text as high, count(*)::int as records
		 from (select id, (row_number() over (order by id) - 1) / $2 as n from ${tableOf(type)} where workspace = $1) k
		 group by n order by n`,
		[workspace, size]
	);
	return r.rows;
}

/**
 * Hands every record of a type to a function, piece by piece, so that memory stays flat.
 * @param o keys between which the records are, both included; all where none are given
 */
export async function eachPiece(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	visit: (records: StoredRecord[]) => Promise<void>,
	{ low = '0', high = null as string | null, piece = 1000 } = {}
): Promise<void> {
	let after = String(BigInt(low) - 1n);
	for (;;) {
		const where = `and id > $2 and ($3::bigint is null or id <= $3::bigint) order by id limit ${piece}`;
		const some = await stored(db, schema, type, where, [workspace, after, high]);
		await visit(some);
		if (some.length < piece) return;
		after = some[some.length - 1].id;
	}
}

/** Titles of records, for showing links. */
export async function titlesOf(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	ids: readonly string[]
): Promise<Map<string, string>> {
	const title = columnOf(schema.type(type).type.title);
	const r = await db.query(
		`select id, ${title} as title from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[])`,
		[workspace, ids]
	);
	return new Map(r.rows.map((x) => [String(x.id), (x.title as string | null) ?? `No. ${x.id}`]));
}

/**
 * Records to choose one from whose title contains a text: by title, or the newest first. Of a text that is a number the
 * record of that number comes before all others.
 */
export async function findTitles(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	find: string,
	{ newest = false, most = 30 } = {}
): Promise<{ id: string; title: string }[]> {
	const title = columnOf(schema.type(type).type.title);
	// % and _ are meant as they stand
	const like = `%${find.replace(/[\\%_]/g, '\\$&')}%`;
	const number = /^\s*(\d{1,18})\s*$/.exec(find)?.[1];
	const r = await db.query<{ id: string; title: string | null }>(
		// by the number itself, and not by its text, which is called the same
		`select r.id::text, ${title} as title from ${tableOf(type)} r
		 where workspace = $1 and ($2 = '%%' or ${title} ilike $2${number ? ' or r.id = $4' : ''})
		 order by ${number ? 'r.id = $4 desc, ' : ''}${newest ? 'r.id desc' : `${title}, r.id`} limit $3`,
		[workspace, like, most, ...(number ? [number] : [])]
	);
	return r.rows.map((x) => ({ id: x.id, title: x.title ?? `No. ${x.id}` }));
}

const toColumn = (v: Value): unknown => toJson(v);

/** Reserves the numbers of new records. */
export async function nextIds(db: Db, type: string, count: number): Promise<string[]> {
	const r = await db.query<{ id: string }>(
		`select nextval(s.s) as id
		 from (select pg_get_serial_sequence($1, 'id')::regclass as s offset 0) s, generate_series(1, $2::int)`,
		[tableOf(type), count]
	);
	return r.rows.map((x) => String(x.id));
}

/** The columns of a field with what goes into each: its own, and those it is matched by. */
export function columnsFor(f: Field, v: Value): { column: string; sql: string; value: unknown }[] {
	return [
		{ column: columnOf(f.id), sql: sqlType(f), value: toColumn(v) },
		...keyColumns(f).map((k) => ({ column: k.column, sql: 'text', value: matchKey(k.how, v) }))
	];
}

/** A settled record with who set its fields, and by how many changes it became so. */
export interface Writing {
	rec: SettledRecord;
	setBy: Record<string, SetBy>;
	times: number;
}

/** Most records that one statement writes. */
const AT_ONCE = 500;

/** Writes settled records: those of a type in which the same fields are written are one statement. */
export async function writeRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	all: readonly Writing[],
	by: Settling,
	at: string
): Promise<void> {
	const groups = new Map<string, { fields: Field[]; made: boolean; group: Writing[] }>();
	for (const w of all) {
		const { rec } = w;
		const { type, at: place } = schema.type(rec.type);
		const changed = new Set(rec.changes.map((c) => c.field));
		const fields = type.fields.filter((f) =>
			rec.created ? rec.values[place.get(f.id)!] !== null : changed.has(f.id)
		);
		const key = [rec.type, rec.created, ...fields.map((f) => f.id)].join(' ');
		const had = groups.get(key);
		if (had) had.group.push(w);
		else groups.set(key, { fields, made: rec.created, group: [w] });
	}
	for (const { fields, made, group } of groups.values())
		for (let i = 0; i < group.length; i += AT_ONCE) {
			const part = columnsOf(schema, fields, group.slice(i, i + AT_ONCE));
			const { type } = group[0].rec;
			const values = [workspace, by.release, at, by.living, ...part.lists];
			await db.query(made ? insertion(type, part) : update(type, part), values);
		}
}

/** The columns that some records write, as lists: one for each column. */
interface Lists {
	columns: { column: string; value: string }[];
	/** `rows from (unnest(…), …) as v(id, set_by, times, c0, …)`, its lists beginning with the fifth value. */
	from: string;
	lists: unknown[];
}

function columnsOf(schema: Schema, fields: readonly Field[], group: readonly Writing[]): Lists {
	const { at } = schema.type(group[0].rec.type);
	const rows = group.map(({ rec }) =>
		fields.flatMap((f) => columnsFor(f, rec.values[at.get(f.id)!]))
	);
	const [cells] = rows;
	// lists do not travel in lists: each goes as JSON
	const list = (sql: string) => sql.endsWith('[]');
	const kinds = ['bigint', 'jsonb', 'int', ...cells.map((c) => (list(c.sql) ? 'jsonb' : c.sql))];
	return {
		columns: cells.map((c, i) => ({
			column: c.column,
			value: list(c.sql)
				? `case when v.c${i} = 'null' then null else array(select jsonb_array_elements_text(v.c${i})) end`
				: `v.c${i}`
		})),
		// JSON goes as one text: within an array each would be quoted once more
		from: `rows from (${kinds
			.map((k, i) =>
				k === 'jsonb' ? `jsonb_array_elements($${i + 5}::jsonb)` : `unnest($${i + 5}::${k}[])`
			)
			.join(', ')})
		   as v(id, set_by, times${cells.map((_, i) => `, c${i}`).join('')})`,
		lists: [
			group.map(({ rec }) => rec.id),
			JSON.stringify(group.map(({ setBy }) => keptSetBy(setBy))),
			group.map(({ times }) => times),
			...cells.map((c, i) => {
				const values = rows.map((own) => own[i].value);
				return list(c.sql) ? JSON.stringify(values) : values;
			})
		]
	};
}

const insertion = (type: string, { columns, from }: Lists) =>
	`insert into ${tableOf(type)} (id, workspace, settled_by, settled_living, set_by, created_at, updated_at, version${columns.map((c) => `, ${c.column}`).join('')})
	 select v.id, $1, $2, $4::int, v.set_by, $3, $3, v.times${columns.map((c) => `, ${c.value}`).join('')} from ${from}`;

const update = (type: string, { columns, from }: Lists) =>
	`update ${tableOf(type)} r set version = version + v.times, settled_by = $2, settled_living = $4::int, updated_at = $3,
	   set_by = r.set_by || v.set_by${columns.map((c) => `, ${c.column} = ${c.value}`).join('')}
	 from ${from} where r.workspace = $1 and r.id = v.id`;

/** When a record was made, and last changed; ISO 8601. */
export async function stampsOf(
	db: Db,
	workspace: string,
	type: string,
	id: string
): Promise<Record<Stamp, string> | null> {
	const r = await db.query<Record<Stamp, string>>(
		`select ${iso('created_at')} as made, ${iso('updated_at')} as changed from ${tableOf(type)}
		 where workspace = $1 and id = $2`,
		[workspace, id]
	);
	return r.rows[0] ?? null;
}

/** Takes a record out. @returns when it was made; ISO 8601 */
export async function deleteRecord(
	db: Db,
	workspace: string,
	type: string,
	id: string
): Promise<string | undefined> {
	const r = await db.query<{ made: string }>(
		`delete from ${tableOf(type)} where workspace = $1 and id = $2 returning to_jsonb(created_at)#>>'{}' as made`,
		[workspace, id]
	);
	await db.query('delete from out_of_line where workspace = $1 and type = $2 and record = $3', [
		workspace,
		type,
		id
	]);
	await db.query('delete from pilot_member where type = $1 and record = $2', [type, id]);
	return r.rows[0]?.made;
}

/** Notes that records are in line with what is in force although nothing in them changed. */
export async function markSettled(
	db: Db,
	workspace: string,
	records: readonly { type: string; id: string }[],
	by: Settling
): Promise<void> {
	for (const type of new Set(records.map((r) => r.type)))
		await db.query(
			`update ${tableOf(type)} set settled_by = $3, settled_living = $4
			 where workspace = $1 and id = any($2::bigint[]) and (settled_by is distinct from $3 or settled_living <> $4)`,
			[workspace, records.filter((r) => r.type === type).map((r) => r.id), by.release, by.living]
		);
}

/** How many records hold each pair of an input and an output value; blank is an empty text. */
export async function pairCounts(
	db: Db,
	workspace: string,
	type: string,
	a: Field,
	b: Field
): Promise<{ a: string; b: string; n: number }[]> {
	// a set has no order: its options are listed in that of their identities
	const text = (f: Field) =>
		f.type === 'choices'
			? `coalesce(array_to_string(array(select o from unnest(${columnOf(f.id)}) o order by o collate "C"), ','), '')`
			: `coalesce(${columnOf(f.id)}::text, '')`;
	const r = await db.query(
		`select ${text(a)} as a, ${text(b)} as b, count(*)::int as n
		 from ${tableOf(type)} where workspace = $1 group by 1, 2`,
		[workspace]
	);
	return r.rows;
}
