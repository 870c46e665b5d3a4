/** Records and their history in the database. Values cross this border as the core's own. */
import { toJson, type JsonValue } from '../../core/model/codec';
import type { Field, Schema } from '../../core/model/model';
import { refKey } from '../../core/model/model';
import type { SettledRecord } from '../../core/settle/settle';
import { LocalDate, Moment } from '../../core/value/temporal';
import { parseNum } from '../../core/value/num';
import type { Value } from '../../core/value/value';
import { zones } from '../../runtime/zones';
import type { MatchKey } from '../../core/text/match';
import { matchKey } from '../../core/text/match';
import { columnOf, keyColumn, keyColumns, sqlType, tableOf } from './model';
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

/** Most records that one search gives. */
const MOST_FOUND = 100;

/** Reads records by id, in the order of ids; missing ones are left out. */
export async function readRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	ids: readonly string[],
	lock: '' | 'for update' | 'for no key update' = ''
): Promise<StoredRecord[]> {
	const r = await db.query(
		`select * from ${tableOf(type)} where workspace = $1 and id = any($2::bigint[]) order by id ${lock}`,
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

/** The columns of a field with what goes into each: its own, and those it is matched by. */
export function columnsFor(f: Field, v: Value): { column: string; sql: string; value: unknown }[] {
	return [
		{ column: columnOf(f.id), sql: sqlType(f), value: toColumn(v) },
		...keyColumns(f).map((k) => ({ column: k.column, sql: 'text', value: matchKey(k.how, v) }))
	];
}

/** A settled record with who set its fields. */
export interface Writing {
	rec: SettledRecord;
	setBy: Record<string, SetBy>;
}

/**
 * Writes settled records; returns the new version of each by `type.id`. Records of a type in which
 * the same fields changed are one statement.
 */
export async function writeRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	all: readonly Writing[],
	release: number,
	at: string
): Promise<Map<string, number>> {
	const versions = new Map<string, number>();
	const groups = new Map<string, Writing[]>();
	for (const w of all) {
		const { rec } = w;
		if (rec.created) {
			await insertRecord(db, schema, workspace, w, release, at);
			versions.set(refKey(rec.type, rec.id), 1);
			continue;
		}
		const fields = rec.changes.map((c) => c.field).sort();
		const key = [rec.type, ...fields].join(' ');
		groups.set(key, [...(groups.get(key) ?? []), w]);
	}
	for (const group of groups.values())
		for (let i = 0; i < group.length; i += 500)
			for (const { type, id, version } of await updateRecords(
				db,
				schema,
				workspace,
				group.slice(i, i + 500),
				release,
				at
			))
				versions.set(refKey(type, id), version);
	return versions;
}

async function insertRecord(
	db: Db,
	schema: Schema,
	workspace: string,
	{ rec, setBy }: Writing,
	release: number,
	at: string
) {
	const { fields } = schema.type(rec.type).type;
	const cells = fields.flatMap((f, i) =>
		rec.values[i] === null ? [] : columnsFor(f, rec.values[i])
	);
	const names = cells.map((c) => `, ${c.column}`).join('');
	const marks = cells.map((_, i) => `, $${i + 6}`).join('');
	await db.query(
		`insert into ${tableOf(rec.type)} (id, workspace, settled_by, set_by, created_at, updated_at${names}) values ($1, $2, $3, $4, $5, $5${marks})`,
		[rec.id, workspace, release, setBy, at, ...cells.map((c) => c.value)]
	);
}

/** Updates records of one type in which the same fields changed. */
async function updateRecords(
	db: Db,
	schema: Schema,
	workspace: string,
	group: readonly Writing[],
	release: number,
	at: string
): Promise<{ type: string; id: string; version: number }[]> {
	const { type, changes } = group[0].rec;
	const rows = group.map(({ rec, setBy }) => {
		const now = new Map(rec.changes.map((c) => [c.field, c.to]));
		return {
			id: rec.id,
			setBy,
			cells: changes.flatMap((c) => columnsFor(schema.field(type, c.field)!, now.get(c.field)!))
		};
	});
	const { cells } = rows[0];
	const head = `version = version + 1, settled_by = $2, updated_at = $3`;
	// lists do not travel in lists: each goes as JSON
	const list = (sql: string) => sql.endsWith('[]');
	const sets = cells.map((c, i) =>
		list(c.sql)
			? `, ${c.column} = case when v.c${i} is null then null else array(select jsonb_array_elements_text(v.c${i})) end`
			: `, ${c.column} = v.c${i}`
	);
	const kinds = cells.map((c) => (list(c.sql) ? 'jsonb' : c.sql));
	const r = await db.query<{ id: string; version: number }>(
		`update ${tableOf(type)} r set ${head}, set_by = r.set_by || v.set_by${sets.join('')}
		 from unnest($4::bigint[], $5::jsonb[]${kinds.map((k, i) => `, $${i + 6}::${k}[]`).join('')})
		   as v(id, set_by${cells.map((_, i) => `, c${i}`).join('')})
		 where r.workspace = $1 and r.id = v.id returning r.id, r.version`,
		[
			workspace,
			release,
			at,
			rows.map((x) => x.id),
			rows.map((x) => JSON.stringify(x.setBy)),
			...cells.map((c, i) =>
				rows.map(({ cells: own }) => {
					const v = own[i].value;
					return list(c.sql) && v !== null ? JSON.stringify(v) : v;
				})
			)
		]
	);
	return r.rows.map((x) => ({ type, id: String(x.id), version: x.version }));
}

/** Takes a record out. */
export async function deleteRecord(
	db: Db,
	workspace: string,
	type: string,
	id: string
): Promise<void> {
	await db.query(`delete from ${tableOf(type)} where workspace = $1 and id = $2`, [workspace, id]);
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
	/** Of a deleted record all that it held. */
	was: JsonValue | Record<string, JsonValue>;
	now: JsonValue;
	claim: string | null;
	ruleName: string | null;
	because: string | null;
	outcome: 'set' | 'set aside' | 'failed' | 'sent' | 'deleted';
}

/** A rule that ran at a record and wrote nothing, with its outcome. */
export type QuietLine = [type: string, record: string, claim: string, outcome: string];

/** Stores what a change did; returns its number. */
export async function writeHistory(
	db: Db,
	workspace: string,
	change: { at: string; account: string | null; entryPoint: string; release: number },
	lines: readonly HistoryLine[],
	quiet: readonly QuietLine[] = []
): Promise<string> {
	const r = await db.query<{ id: string }>(
		'insert into change (workspace, at, account, entry_point, release, quiet) values ($1, $2, $3, $4, $5, $6) returning id',
		[
			workspace,
			change.at,
			change.account,
			change.entryPoint,
			change.release,
			quiet.length ? JSON.stringify(quiet) : null
		]
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
	return String(r.rows[0].id);
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
