/** Lists of records: which of them, in what order, with what beside them; a stretch at a time, never counted whole. */
import type { Field, JsonValue, Schema } from '../../core';
import type { ListAsked, ListColumn, SetFact, Stamp } from '../../door/lists';
import { fieldAt } from '../../runtime/lists';
import { columnOf, tableOf, textOf } from './model';
import type { Narrowing } from './filter';
import { iso } from './iso';
import { LINE_IS } from './line';
import type { Db } from './pool';
import { fromColumn, storedSight, type StoredRecord } from './records';

/** A place in the order of a list. */
export interface Cursor {
	id: string;
	/** What it is ordered by, as PostgreSQL writes it; null for blank. */
	key: string | null;
}

/** Which records are listed. */
export interface Listed {
	type: string;
	/** A part of the title; all for none. */
	find: string;
	/** Its values stand behind `$1`, the workspace, in `values`. */
	narrowing: Narrowing | null;
	values: readonly unknown[];
	setBy: readonly SetFact[];
	/** Instants between which it was made, or last changed, ISO 8601; the second left out. */
	stamped: readonly { of: Stamp; from: string; to: string }[];
	pending: boolean;
	pilot: boolean;
	line: ListAsked['line'];
	/** Only some, by number. */
	only?: readonly string[];
}

/** The order of a list: by a column of it, or by number, the newest first. */
export interface ListOrder {
	/** Null for the number. */
	column: ListColumn | null;
	desc: boolean;
}

/** A record in a list. */
export interface ListedRecord {
	record: StoredRecord;
	/** What stands in the columns that are not its own fields, in their order. */
	beside: unknown[];
	cursor: Cursor;
}

/** Signs of a text that a list is ordered by; longer ones are told apart by number. */
const KEY_LENGTH = 200;

/** A path as SQL, from the table of a record. */
function pathSql(schema: Schema, type: string, path: readonly string[], r: string): string {
	const found = fieldAt(schema, type, path);
	if (!found) throw new Error(`${type} has no ${path.join(' › ')}.`);
	let sql = `${r}.${columnOf(path[0])}`;
	found.links.forEach((link, i) => {
		const t = `p${i}`;
		sql = `(select ${t}.${columnOf(path[i + 1])} from ${tableOf(link.target!)} ${t}
			where ${t}.workspace = $1 and ${t}.id = ${sql})`;
	});
	return sql;
}

/** Where it is noted. */
export const STAMP_COLUMN: Record<Stamp, string> = { made: 'created_at', changed: 'updated_at' };

/** A column that is not one of the record's own fields, as SQL. */
function besideSql(schema: Schema, type: string, c: ListColumn): string {
	if (c.k === 'count')
		return `(select count(*)::int from ${tableOf(c.type)} c where c.workspace = $1 and c.${columnOf(c.field)} = r.id)`;
	if (c.k === 'stamp') return iso(`r.${STAMP_COLUMN[c.of]}`);
	return c.k === 'field' ? pathSql(schema, type, c.path, 'r') : 'null';
}

/** What a list is ordered by. */
interface Key {
	sql: string;
	/** The SQL type of that. */
	type: string;
}

/**
 * The key of a list that is ordered by what stands elsewhere, with what is joined to the table `r` for it: so PostgreSQL
 * may begin there, and does not look for each record by itself.
 * @param few the list is narrowed, to few records perhaps
 * @returns with what has to be so where the key is not null
 */
function joinedKey(
	schema: Schema,
	type: string,
	c: ListColumn,
	few: boolean
): { key: Key; joins: string; there: string[] } {
	const joins: string[] = [];
	const there: string[] = [];
	if (c.k === 'count' && !few) {
		const f = columnOf(c.field);
		joins.push(`left join (select c.${f} as id, count(*)::int as n from ${tableOf(c.type)} c
			where c.workspace = $1 group by c.${f}) k on k.id = r.id`);
		return { key: { sql: 'coalesce(k.n, 0)', type: 'int' }, joins: joins.join('\n'), there };
	}
	const key = keySql(schema, type, c, 'r', (path) => {
		let of = 'r';
		fieldAt(schema, type, path)!.links.forEach((link, i) => {
			joins.push(`left join ${tableOf(link.target!)} k${i}
				on k${i}.workspace = $1 and k${i}.id = ${of}.${columnOf(path[i])}`);
			of = `k${i}`;
			there.push(`${of}.id is not null`);
		});
		return `${of}.${columnOf(path.at(-1)!)}`;
	});
	return { key, joins: joins.join('\n'), there };
}

/**
 * What a list is ordered by: options in the order of their list, links by title.
 * @param r what the table of the records is called
 * @param at SQL of what a path leads to
 */
export function keySql(
	schema: Schema,
	type: string,
	c: ListColumn,
	r = 'r',
	at = (path: readonly string[]) => pathSql(schema, type, path, r)
): Key {
	if (c.k === 'count') return { sql: besideSql(schema, type, c), type: 'int' };
	if (c.k === 'stamp') return { sql: `${r}.${STAMP_COLUMN[c.of]}`, type: 'timestamptz' };
	if (c.k !== 'field') throw new Error('A list is not ordered by what was.');
	const { field } = fieldAt(schema, type, c.path)!;
	const target = field.target ? schema.types.get(field.target) : undefined;
	const lowered = (sql: string) => ({ sql: `left(lower(${sql}), ${KEY_LENGTH})`, type: 'text' });
	if (field.type === 'link' && target) return lowered(at([...c.path, target.type.title]));
	const sql = at(c.path);
	switch (field.type) {
		case 'choice': {
			const options = schema.lists.get(field.list ?? '')?.options ?? [];
			const places = options.map((o) => `'${o.id.replace(/'/g, "''")}'`).join(',');
			return { sql: `array_position(array[${places}]::text[], ${sql})`, type: 'int' };
		}
		case 'choices':
			return lowered(`array_to_string(nullif(${sql}, '{}'), ' ')`);
		case 'date':
			return { sql, type: 'date' };
		case 'moment':
			return { sql, type: 'timestamptz' };
		case 'yesno':
			return { sql, type: 'boolean' };
		case 'number':
		case 'money':
		case 'percent':
			return { sql, type: 'numeric' };
		case 'link':
			return { sql, type: 'bigint' };
		default:
			return lowered(sql);
	}
}

/** Who set a field, as SQL: `p`, `i`, `a` or `r`; null where nobody is known to have. @param f the field as SQL */
export const signOf = (f: string, r = 'r') => `left(case jsonb_typeof(${r}.set_by->${f})
	when 'string' then ${r}.set_by->>${f} when 'array' then ${r}.set_by->${f}->>0 else ${r}.set_by->${f}->>'by' end, 1)`;
/** The claim that set it. */
const claimOf = (f: string) => `case jsonb_typeof(r.set_by->${f})
	when 'string' then substring(r.set_by->>${f} from '^. \\d+ (.*)$')
	when 'array' then substring(r.set_by->${f}->>0 from '^. \\d+ (.*)$') else r.set_by->${f}->>'claim' end`;

/** What selects the records of a list, as SQL with its values. */
function selection(
	schema: Schema,
	workspace: string,
	l: Listed
): { where: string; values: unknown[] } {
	const values: unknown[] = [workspace, ...l.values.slice(1)];
	const value = (v: unknown, sql: string) => `$${values.push(v)}::${sql}`;
	const parts = ['r.workspace = $1'];
	if (l.find) {
		// % and _ are meant as they stand
		const like = `%${l.find.replace(/[\\%_]/g, '\\$&')}%`;
		const title = columnOf(schema.type(l.type).type.title);
		parts.push(`r.${title} ilike ${value(like, 'text')}`);
	}
	for (const s of l.setBy) {
		// written out: an index of it is of this very expression
		const f = textOf(s.field);
		const column = columnOf(s.field);
		if (s.by === 'unknown') parts.push(`(r.${column} is not null and not r.set_by ? ${f})`);
		else {
			parts.push(`${signOf(f)} = ${value(s.by[0], 'text')}`);
			if (s.rule !== null)
				parts.push(`split_part(${claimOf(f)}, ':', 1) = ${value(s.rule, 'text')}`);
		}
	}
	for (const { of, from, to } of l.stamped) {
		const at = `r.${STAMP_COLUMN[of]}`;
		parts.push(`${at} >= ${value(from, 'timestamptz')}`, `${at} < ${value(to, 'timestamptz')}`);
	}
	if (l.pending)
		parts.push(`exists (select from pending_record p join carried_change c on c.id = p.carried
			where c.workspace = $1 and p.type = ${value(l.type, 'text')} and p.record = r.id)`);
	if (l.pilot)
		parts.push(`exists (select from pilot_member m join pilot p on p.id = m.pilot
			where p.workspace = $1 and p.ended_at is null and m.type = ${value(l.type, 'text')} and m.record = r.id)`);
	if (l.line)
		parts.push(`exists (select from out_of_line o where o.workspace = $1 and o.type = ${value(l.type, 'text')}
			and o.record = r.id and ${LINE_IS[l.line.is]}
			and (${value(l.line.field, 'text')} is null or o.field = $${values.length}))`);
	if (l.only) parts.push(`r.id = any(${value(l.only, 'bigint[]')})`);
	if (l.narrowing) parts.push(`(${l.narrowing.sql})`);
	return { where: parts.join('\n and '), values };
}

/** Columns of a list that the record's own row does not tell. */
export const isBeside = (c: ListColumn) =>
	c.k === 'count' || c.k === 'stamp' || (c.k === 'field' && c.path.length > 1);

/**
 * A stretch of a list.
 * @param from the place it goes on behind; null for the beginning, or, going back, the end
 * @param back towards the beginning; what is found stands in the order of the list all the same
 */
export async function readList(
	db: Db,
	schema: Schema,
	workspace: string,
	l: Listed,
	columns: readonly ListColumn[],
	order: ListOrder,
	{ from, back, size }: { from: Cursor | null; back: boolean; size: number }
): Promise<ListedRecord[]> {
	const beside = columns.filter(isBeside);
	const few = !!(
		l.find ||
		l.narrowing ||
		l.setBy.length ||
		l.stamped.length ||
		l.pending ||
		l.pilot ||
		l.line ||
		l.only
	);
	const { key, joins, there } = order.column
		? joinedKey(schema, l.type, order.column, few)
		: { key: null, joins: '', there: [] };
	const down = order.desc !== back;
	const [than, way] = down ? ['<', 'desc'] : ['>', 'asc'];
	const sight = storedSight(schema, l.type, 'r.');
	const read = async (blank: boolean, after: Cursor | null, most: number) => {
		const { where, values } = selection(schema, workspace, l);
		const value = (v: unknown, sql: string) => `$${values.push(v)}::${sql}`;
		const parts = [where];
		if (key) parts.push(`${key.sql} is ${blank ? '' : 'not '}null`);
		// said apart: not of every key PostgreSQL knows that it is null where nothing was joined
		if (!blank) parts.push(...there);
		if (after)
			parts.push(
				key && !blank
					? `(${key.sql}, r.id) ${than} (${value(after.key, key.type)}, ${value(after.id, 'bigint')})`
					: `r.id ${than} ${value(after.id, 'bigint')}`
			);
		const more = beside.map((c) => besideSql(schema, l.type, c));
		const r = await db.query<unknown[]>({
			rowMode: 'array',
			text: `select ${[...sight.columns, ...more].join(', ')}, ${key && !blank ? `(${key.sql})::text` : 'null'}
			 from ${tableOf(l.type)} r ${joins} where ${parts.join(' and ')}
			 order by ${key && !blank ? `${key.sql} ${way}, ` : ''}r.id ${way} limit ${most}`,
			values
		});
		return r.rows.map((row): ListedRecord => {
			const record = sight.read(row);
			const besides = row.slice(sight.columns.length);
			return {
				record,
				cursor: { id: record.id, key: besides.pop() as string | null },
				beside: besides
			};
		});
	};
	// blanks stand last, whichever way the rest goes
	const stretches: [blank: boolean, after: Cursor | null][] = !key
		? [[false, from]]
		: !from
			? back
				? [
						[true, null],
						[false, null]
					]
				: [
						[false, null],
						[true, null]
					]
			: from.key === null
				? back
					? [
							[true, from],
							[false, null]
						]
					: [[true, from]]
				: back
					? [[false, from]]
					: [
							[false, from],
							[true, null]
						];
	const found: ListedRecord[] = [];
	for (const [blank, after] of stretches)
		if (found.length < size) found.push(...(await read(blank, after, size - found.length)));
	return back ? found.reverse() : found;
}

/** Most records of a list that are counted. */
export const MOST_COUNTED = 100_000;

/**
 * How many records a list has, of those that the database can tell; one more than {@link MOST_COUNTED} where there
 * are more.
 */
export async function countList(
	db: Db,
	schema: Schema,
	workspace: string,
	l: Listed
): Promise<number> {
	const { where, values } = selection(schema, workspace, l);
	const r = await db.query<{ n: number }>(
		`select count(*)::int as n from (select from ${tableOf(l.type)} r where ${where} limit ${MOST_COUNTED + 1}) x`,
		values
	);
	return r.rows[0].n;
}

/** A value that a column beside the record holds, as a value of the core. */
export const besideValue = (f: Field, v: unknown, zone: string) => fromColumn(f.type, v, zone);

/** What a field was before its latest change. */
export interface BeforeLine {
	record: string;
	field: string;
	was: JsonValue;
	/** ISO 8601. */
	at: string;
}

/** What fields of some records were before their latest change, within a period if one is given. */
export async function readBefore(
	db: Db,
	type: string,
	ids: readonly string[],
	fields: readonly string[],
	period: { first: string; last: string } | null
): Promise<BeforeLine[]> {
	if (!ids.length || !fields.length) return [];
	const r = await db.query<BeforeLine>(
		`select h.record::text, h.field, h.was, ${iso('c.at')} as at
		 from (select distinct on (record, field) record, field, was, change from history_line
		   where type = $1 and record = any($2::bigint[]) and field = any($3::text[]) and outcome = 'set'
		     and ($4::bigint is null or change between $4 and $5::bigint)
		   order by record, field, change desc) h join change c on c.id = h.change`,
		[type, ids, fields, period?.first ?? null, period?.last ?? null]
	);
	return r.rows;
}

/** The numbers of the changes of a period. @param from @param to ISO 8601, the latter left out */
export async function changesBetween(
	db: Db,
	workspace: string,
	from: string,
	to: string
): Promise<{ first: string; last: string }> {
	const r = await db.query<{ first: string | null; last: string | null }>(
		'select min(id)::text as first, max(id)::text as last from change where workspace = $1 and at >= $2 and at < $3',
		[workspace, from, to]
	);
	const { first, last } = r.rows[0];
	// none: no number lies between them
	return first && last ? { first, last } : { first: '1', last: '0' };
}
