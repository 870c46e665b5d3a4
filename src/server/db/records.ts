/** Records and their history in the database. Values cross this border as the core's own. */
import { toJson, type JsonValue } from '../../core/model/codec';
import type { Schema } from '../../core/model/model';
import type { SettledRecord } from '../../core/settle/settle';
import { LocalDate, Moment } from '../../core/value/temporal';
import { parseNum } from '../../core/value/num';
import type { Value } from '../../core/value/value';
import { zones } from '../../runtime/zones';
import { columnOf, tableOf } from './model';
import type { Db } from './pool';

/** Who or what set a field's present value. */
export interface SetBy {
	by: 'person' | 'import' | 'api' | 'rule';
	name: string;
	at: string;
	release?: number;
	rule?: string;
	claim?: string;
	because?: string;
	/** Options that claims added to the set and that are still there, by claim. */
	added?: Record<string, readonly string[]>;
}

export interface StoredRecord {
	type: string;
	id: string;
	version: number;
	values: Value[];
	setBy: Record<string, SetBy>;
	/** Release that last settled it. */
	settledBy: number | null;
}

/** What the driver gives for a column, as a value of the core. */
function fromColumn(kind: string, v: unknown, zone: string): Value {
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

function toStored(schema: Schema, type: string, row: Record<string, unknown>): StoredRecord {
	const { fields } = schema.type(type).type;
	return {
		type,
		id: String(row.id),
		version: row.version as number,
		settledBy: row.settled_by as number | null,
		setBy: row.set_by as Record<string, SetBy>,
		values: fields.map((f) => fromColumn(f.type, row[columnOf(f.id)], schema.model.zone))
	};
}

/** Reads records by id, in the order of ids; missing ones are left out. */
export async function readRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	ids: readonly string[],
	lock = false
): Promise<StoredRecord[]> {
	const r = await db.query(
		`select * from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[]) order by id ${lock ? 'for no key update' : ''}`,
		[workspace, ids]
	);
	return r.rows.map((row) => toStored(schema, type, row));
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

/** Hands every record of a type to a function, piece by piece, so that memory stays flat. */
export async function eachPiece(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	visit: (records: StoredRecord[]) => Promise<void>,
	piece = 1000
): Promise<void> {
	let after = '0';
	for (;;) {
		const r = await db.query(
			`select * from ${tableOf(type)} where workspace = $1 and id > $2 order by id limit ${piece}`,
			[workspace, after]
		);
		await visit(r.rows.map((row) => toStored(schema, type, row)));
		if (r.rows.length < piece) return;
		after = String(r.rows[r.rows.length - 1].id);
	}
}

/** A page of records whose title contains a text, newest first. */
export async function searchRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	find: string,
	page: number,
	size = 50
): Promise<{ records: StoredRecord[]; total: number }> {
	const title = columnOf(schema.type(type).type.title);
	// % and _ are meant as they stand
	const like = `%${find.replace(/[\\%_]/g, '\\$&')}%`;
	const where = `workspace = $1 and ($2 = '%%' or ${title} ilike $2)`;
	const total = await db.query(`select count(*)::int as n from ${tableOf(type)} where ${where}`, [
		workspace,
		like
	]);
	const r = await db.query(
		`select * from ${tableOf(type)} where ${where} order by id desc limit $3 offset $4`,
		[workspace, like, size, page * size]
	);
	return { records: r.rows.map((row) => toStored(schema, type, row)), total: total.rows[0].n };
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

/** Records to choose a link from. */
export async function findTitles(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	find: string
): Promise<{ id: string; title: string }[]> {
	const title = columnOf(schema.type(type).type.title);
	const like = `%${find.replace(/[\\%_]/g, '\\$&')}%`;
	const r = await db.query(
		`select id, ${title} as title from ${tableOf(type)} where workspace = $1 and ${title} ilike $2 order by ${title}, id limit 30`,
		[workspace, like]
	);
	return r.rows.map((x) => ({ id: String(x.id), title: x.title as string }));
}

/** Which of some record ids exist. */
export async function existing(
	db: Db,
	workspace: string,
	type: string,
	ids: readonly string[]
): Promise<Set<string>> {
	const r = await db.query(
		`select id from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[])`,
		[workspace, ids]
	);
	return new Set(r.rows.map((x) => String(x.id)));
}

const toColumn = (v: Value): unknown => toJson(v);

/** Reserves the number of a new record. */
export async function nextId(db: Db, type: string): Promise<string> {
	const r = await db.query(`select nextval(pg_get_serial_sequence($1, 'id')) as id`, [
		tableOf(type)
	]);
	return String(r.rows[0].id);
}

/** Writes a settled record; returns its new version. */
export async function writeRecord(
	db: Db,
	schema: Schema,
	workspace: string,
	rec: SettledRecord,
	setBy: Record<string, SetBy>,
	release: number,
	at: string
): Promise<number> {
	const { fields } = schema.type(rec.type).type;
	const place = schema.type(rec.type).at;
	if (rec.created) {
		const given = fields.filter((_, i) => rec.values[i] !== null);
		const names = given.map((f) => `, ${columnOf(f.id)}`).join('');
		const marks = given.map((_, i) => `, $${i + 6}`).join('');
		await db.query(
			`insert into ${tableOf(rec.type)} (id, workspace, settled_by, set_by, created_at, updated_at${names}) values ($1, $2, $3, $4, $5, $5${marks})`,
			[
				rec.id,
				workspace,
				release,
				setBy,
				at,
				...given.map((f) => toColumn(rec.values[place.get(f.id)!]))
			]
		);
		return 1;
	}
	const sets = rec.changes.map((c, i) => `, ${columnOf(c.field)} = $${i + 6}`).join('');
	const r = await db.query(
		`update ${tableOf(rec.type)} set version = version + 1, settled_by = $3, set_by = set_by || $4::jsonb, updated_at = $5${sets}
		 where workspace = $1 and id = $2 returning version`,
		[workspace, rec.id, release, setBy, at, ...rec.changes.map((c) => toColumn(c.to))]
	);
	return r.rows[0].version;
}

/** Notes that a record is in line with a release although nothing in it changed. */
export async function markSettled(
	db: Db,
	workspace: string,
	type: string,
	id: string,
	release: number
): Promise<void> {
	await db.query(
		`update ${tableOf(type)} set settled_by = $3 where workspace = $1 and id = $2 and settled_by is distinct from $3`,
		[workspace, id, release]
	);
}

/** One line of history to write. */
export interface HistoryLine {
	type: string;
	record: string;
	field: string;
	was: JsonValue;
	now: JsonValue;
	claim: string | null;
	ruleName: string | null;
	because: string | null;
	outcome: 'set' | 'set aside' | 'failed';
}

/** Stores what a change did. */
export async function writeHistory(
	db: Db,
	workspace: string,
	change: { at: string; account: string | null; entryPoint: string; release: number },
	lines: readonly HistoryLine[]
): Promise<void> {
	const r = await db.query(
		'insert into change (workspace, at, account, entry_point, release) values ($1, $2, $3, $4, $5) returning id',
		[workspace, change.at, change.account, change.entryPoint, change.release]
	);
	const column = (get: (l: HistoryLine) => unknown) => lines.map(get);
	await db.query(
		`insert into change_line (change, type, record, field, was, now, claim, rule_name, because, outcome)
		 select $1, * from unnest($2::text[], $3::bigint[], $4::text[], $5::jsonb[], $6::jsonb[], $7::text[], $8::text[], $9::text[], $10::text[])`,
		[
			r.rows[0].id,
			column((l) => l.type),
			column((l) => l.record),
			column((l) => l.field),
			column((l) => JSON.stringify(l.was)),
			column((l) => JSON.stringify(l.now)),
			column((l) => l.claim),
			column((l) => l.ruleName),
			column((l) => l.because),
			column((l) => l.outcome)
		]
	);
}

export interface HistoryEntry {
	change: string;
	at: string;
	who: string | null;
	entryPoint: string;
	release: number | null;
	lines: Omit<HistoryLine, 'type' | 'record'>[];
}

/** The history of a record, newest first. */
export async function readHistory(
	db: Db,
	workspace: string,
	type: string,
	id: string,
	limit = 100
): Promise<HistoryEntry[]> {
	const r = await db.query(
		`select c.id as change, to_char(c.at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as at, a.name as who,
		        c.entry_point as "entryPoint", c.release,
		        json_agg(json_build_object('field', l.field, 'was', l.was, 'now', l.now, 'claim', l.claim,
		          'ruleName', l.rule_name, 'because', l.because, 'outcome', l.outcome) order by l.claim nulls first, l.field) as lines
		 from change_line l join change c on c.id = l.change left join account a on a.id = c.account
		 where c.workspace = $1 and l.type = $2 and l.record = $3
		 group by c.id, a.name order by c.id desc limit $4`,
		[workspace, type, id, limit]
	);
	return r.rows.map((x) => ({ ...x, change: String(x.change) }));
}

/** How the values of a number or date field are spread: numbers, or days since 1970, and how many records have none. */
export async function spreadOf(
	db: Db,
	workspace: string,
	type: string,
	field: string,
	dates: boolean
): Promise<{ values: number[]; blank: number }> {
	const c = dates ? `(${columnOf(field)} - date '1970-01-01')` : columnOf(field);
	const r = await db.query(
		`select ${c}::float8 as v, count(*)::int as n from ${tableOf(type)} where workspace = $1 group by 1 order by 1 nulls last limit 20000`,
		[workspace]
	);
	const values: number[] = [];
	let blank = 0;
	for (const row of r.rows) {
		if (row.v === null) blank = row.n;
		else for (let i = 0; i < row.n; i++) values.push(row.v);
	}
	return { values, blank };
}

/** How many records hold each pair of an input and an output value; blank is an empty text. */
export async function pairCounts(
	db: Db,
	workspace: string,
	type: string,
	a: string,
	b: string
): Promise<{ a: string; b: string; n: number }[]> {
	const r = await db.query(
		`select coalesce(${columnOf(a)}::text, '') as a, coalesce(${columnOf(b)}::text, '') as b, count(*)::int as n
		 from ${tableOf(type)} where workspace = $1 group by 1, 2`,
		[workspace]
	);
	return r.rows;
}
