/** The model in the database: record types, fields and options, and a table for each record type. */
import { createHash } from 'node:crypto';
import type { Field, MatchHow, Model, OptionList, RecordType } from '../../core';
import { holdsTheSame, isIdentity, matchHows, refKey } from '../../core';
import { UNIQUE, type Db } from './pool';

const COLUMN: Record<Field['type'], string> = {
	text: 'text',
	email: 'text',
	phone: 'text',
	number: 'numeric',
	money: 'numeric',
	percent: 'numeric',
	date: 'date',
	moment: 'timestamptz',
	yesno: 'boolean',
	choice: 'text',
	choices: 'text[]',
	link: 'bigint'
};

/** Identities become names of tables and columns, so they are letters, digits and `_` only. */

function checked(id: string): string {
	if (!isIdentity(id)) throw new Error(`“${id}” cannot be an identity.`);
	return id;
}

/** Table of a record type. */
export const tableOf = (type: string) => `r_${checked(type)}`;
/** An identity as a text in SQL. */
export const textOf = (id: string) => `'${checked(id)}'`;
/** Column of a field. */
export const columnOf = (field: string) => `f_${checked(field)}`;

/**
 * Says of which record type the people who sign in are records, or of none. Nobody stands for a record of another type
 * then. @returns how many stood for one
 */
export async function storePersonType(
	db: Db,
	workspace: string,
	type: string | null
): Promise<number> {
	await db.query(
		'update workspace set person_type = $2, model_revision = model_revision + 1 where id = $1',
		[workspace, type]
	);
	const r = await db.query(
		'update account set person = null where workspace = $1 and person is not null',
		[workspace]
	);
	return r.rowCount ?? 0;
}

/** Reads the whole model with the number of its revision. */
export async function readModel(
	db: Db,
	workspace: string
): Promise<{ model: Model; revision: number }> {
	const w = await db.query(
		'select zone, person_type, model_revision from workspace where id = $1',
		[workspace]
	);
	if (!w.rowCount) throw new Error(`There is no workspace “${workspace}”.`);
	const types = await db.query<{ id: string; doc: Omit<RecordType, 'fields'> }>(
		'select id, doc from record_type where workspace = $1 order by position',
		[workspace]
	);
	const fields = await db.query<{ type: string; doc: Field }>(
		'select type, doc from field where workspace = $1 order by position',
		[workspace]
	);
	const lists = await db.query<{ id: string; label: string }>(
		'select id, label from option_list where workspace = $1 order by position',
		[workspace]
	);
	const options = await db.query<{
		list: string;
		id: string;
		label: string;
		retired: boolean;
		code: string | null;
	}>('select list, id, label, retired, code from option where workspace = $1 order by position', [
		workspace
	]);
	const byType = new Map<string, Field[]>(types.rows.map((t) => [t.id, []]));
	for (const f of fields.rows) byType.get(f.type)?.push(f.doc);
	return {
		revision: w.rows[0].model_revision,
		model: {
			zone: w.rows[0].zone,
			personType: w.rows[0].person_type ?? undefined,
			types: types.rows.map((t) => ({ ...t.doc, id: t.id, fields: byType.get(t.id)! })),
			lists: lists.rows.map((l) => ({
				id: l.id,
				label: l.label,
				options: options.rows
					.filter((o) => o.list === l.id)
					.map((o) => ({
						id: o.id,
						label: o.label,
						...(o.code ? { code: o.code } : {}),
						...(o.retired ? { retired: true } : {})
					}))
			}))
		}
	};
}

/** Stores a whole model in an empty workspace and makes its record tables. */
export const createModel = (db: Db, workspace: string, model: Model): Promise<void> =>
	storeModel(db, workspace, { ...model, types: [], lists: [] }, model);

/**
 * Brings the stored model from one state to another: the rows and columns of what differs. Fields that
 * come to hold something else hold nothing then: who carries their values over has read them before.
 */
export async function storeModel(
	db: Db,
	workspace: string,
	before: Model,
	after: Model
): Promise<void> {
	await storeLists(db, workspace, before.lists, after.lists);
	const had = new Map(before.types.map((t) => [t.id, t]));
	const has = new Map(after.types.map((t) => [t.id, t]));
	// columns first, tables last: links need the tables they point to
	for (const t of before.types)
		for (const f of t.fields)
			if (!has.get(t.id)?.fields.some((x) => x.id === f.id)) {
				await notePast(db, workspace, t.id, f);
				await db.query('delete from field where workspace = $1 and type = $2 and id = $3', [
					workspace,
					t.id,
					f.id
				]);
				if (has.has(t.id) || f.type === 'link') await dropColumns(db, t.id, f);
			}
	for (const t of before.types.filter((x) => !has.has(x.id))) {
		await db.query('delete from record_type where workspace = $1 and id = $2', [workspace, t.id]);
		await db.query(`drop table ${tableOf(t.id)}`);
	}
	for (const t of after.types.filter((x) => !had.has(x.id))) await makeTable(db, t.id);
	for (const t of after.types) await storeType(db, workspace, had.get(t.id), t);
	await setPlaces(db, 'record_type', 'workspace = $2', [workspace], after.types);
	await db.query('update workspace set model_revision = model_revision + 1 where id = $1', [
		workspace
	]);
}

async function storeLists(
	db: Db,
	workspace: string,
	before: readonly OptionList[],
	after: readonly OptionList[]
) {
	const had = new Map(before.map((l) => [l.id, l]));
	for (const l of before)
		for (const o of l.options)
			if (!after.find((x) => x.id === l.id)?.options.some((x) => x.id === o.id))
				await db.query('delete from option where workspace = $1 and list = $2 and id = $3', [
					workspace,
					l.id,
					o.id
				]);
	for (const l of before)
		if (!after.some((x) => x.id === l.id))
			await db.query('delete from option_list where workspace = $1 and id = $2', [workspace, l.id]);
	for (const [i, l] of after.entries()) {
		const was = had.get(l.id);
		if (was === l) continue;
		await db.query(
			`insert into option_list (workspace, id, label, position) values ($1, $2, $3, $4)
			 on conflict (workspace, id) do update set label = excluded.label`,
			[workspace, l.id, l.label, i]
		);
		for (const [k, o] of l.options.entries()) {
			if (was?.options.includes(o)) continue;
			await db.query(
				`insert into option (workspace, list, id, label, retired, code, position)
				 values ($1, $2, $3, $4, $5, $6, $7)
				 on conflict (workspace, list, id)
				 do update set label = excluded.label, retired = excluded.retired, code = excluded.code`,
				[workspace, l.id, o.id, o.label, !!o.retired, o.code ?? null, k]
			);
		}
		await setPlaces(db, 'option', 'workspace = $2 and list = $3', [workspace, l.id], l.options);
	}
	await setPlaces(db, 'option_list', 'workspace = $2', [workspace], after);
}

/** Writes the order in which things stand. @param where what the table's rows are, with values from `$2` on */
async function setPlaces(
	db: Db,
	table: string,
	where: string,
	values: readonly string[],
	things: readonly { id: string }[]
) {
	await db.query(
		`update ${table} t set position = p.place - 1
		 from unnest($1::text[]) with ordinality as p (id, place)
		 where ${where} and t.id = p.id and t.position <> p.place - 1`,
		[things.map((x) => x.id), ...values]
	);
}

async function makeTable(db: Db, type: string) {
	await db.query(
		`create table ${tableOf(type)} (
			id bigint generated by default as identity primary key,
			workspace text not null references workspace,
			version integer not null default 1,
			created_at timestamptz not null default now(),
			updated_at timestamptz not null default now(),
			settled_by integer,
			settled_living integer not null default 0,
			set_by jsonb not null default '{}'
		)`
	);
}

async function storeType(
	db: Db,
	workspace: string,
	before: RecordType | undefined,
	after: RecordType
) {
	if (before === after) return;
	const { fields, ...doc } = after;
	await db.query(
		`insert into record_type (workspace, id, doc, position) values ($1, $2, $3, 0)
		 on conflict (workspace, id) do update set doc = excluded.doc`,
		[workspace, after.id, doc]
	);
	const had = new Map(before?.fields.map((f) => [f.id, f]));
	for (const f of fields) {
		const was = had.get(f.id);
		if (was === f) continue;
		await db.query(
			`insert into field (workspace, type, id, doc, position) values ($1, $2, $3, $4, 0)
			 on conflict (workspace, type, id) do update set doc = excluded.doc`,
			[workspace, after.id, f.id, f]
		);
		if (!was) await addColumn(db, after.id, f);
		else if (!holdsTheSame(was, f)) {
			await notePast(db, workspace, after.id, was);
			await dropColumns(db, after.id, was);
			await addColumn(db, after.id, f);
		}
	}
	await setPlaces(db, 'field', 'workspace = $2 and type = $3', [workspace, after.id], fields);
}

/** Keeps what a field was until now. */
async function notePast(db: Db, workspace: string, type: string, f: Field) {
	await db.query(
		'insert into field_past (workspace, type, field, doc, until) values ($1, $2, $3, $4, now())',
		[workspace, type, f.id, f]
	);
}

async function dropColumns(db: Db, type: string, f: Field) {
	const columns = [columnOf(f.id), ...keyColumns(f).map((k) => k.column)];
	await db.query(
		`alter table ${tableOf(type)} ${columns.map((c) => `drop column ${c}`).join(', ')}`
	);
}

/** What a field was before it got another type or was removed. */
export interface PastField {
	/** Later ones have higher numbers. */
	id: string;
	type: string;
	field: Field;
	/** ISO 8601. */
	until: string;
}

/** Those of a workspace, oldest first. */
export async function readPastFields(db: Db, workspace: string): Promise<PastField[]> {
	const r = await db.query<{ id: string; type: string; doc: Field; until: Date }>(
		'select id::text, type, doc, until from field_past f where workspace = $1 order by until, f.id',
		[workspace]
	);
	return r.rows.map(({ doc, until, ...p }) => ({ ...p, field: doc, until: until.toISOString() }));
}

/** The number of the last of them; "0" while there is none. */
export async function lastPastField(db: Db, workspace: string): Promise<string> {
	const r = await db.query<{ id: string | null }>(
		'select max(id)::text as id from field_past where workspace = $1',
		[workspace]
	);
	return r.rows[0].id ?? '0';
}

/** How many records of a type there are, and by field how many hold a value. */
export async function countHeld(
	db: Db,
	workspace: string,
	t: Pick<RecordType, 'id' | 'fields'>
): Promise<{ records: number; held: Record<string, number> }> {
	const counts = t.fields.map((f) => `count(${columnOf(f.id)})::int`);
	const r = await db.query<{ n: number; held: number[] }>(
		`select count(*)::int as n, array[${counts.join(', ')}]::int[] as held from ${tableOf(t.id)} where workspace = $1`,
		[workspace]
	);
	const { n, held } = r.rows[0];
	return { records: n, held: Object.fromEntries(t.fields.map((f, i) => [f.id, held[i]])) };
}

/** In how many records each option of a list stands, by field; those that stand nowhere are left out. */
export async function countOptions(
	db: Db,
	workspace: string,
	model: Model,
	list: string
): Promise<{ type: string; field: string; option: string; records: number }[]> {
	const out: { type: string; field: string; option: string; records: number }[] = [];
	for (const t of model.types)
		for (const f of t.fields.filter((x) => x.list === list)) {
			const each = f.type === 'choices' ? `unnest(${columnOf(f.id)})` : columnOf(f.id);
			const r = await db.query<{ option: string; n: number }>(
				`select o as option, count(*)::int as n from (select ${each} as o from ${tableOf(t.id)} where workspace = $1) x
				 where o is not null group by 1`,
				[workspace]
			);
			for (const { option, n } of r.rows) out.push({ type: t.id, field: f.id, option, records: n });
		}
	return out;
}

/** The SQL type of a field's column. */
export const sqlType = (f: Field) => COLUMN[f.type];

/** The column that a field is matched by. */
export function keyColumn(field: string, how: MatchHow): string {
	if (how === 'exact') return columnOf(field);
	return `${how === 'domain' ? 'd' : 'k'}_${checked(field)}`;
}

/** The key columns that stand beside a field's own. */
export function keyColumns(f: Field): { how: MatchHow; column: string }[] {
	return matchHows(f)
		.filter((how) => how !== 'exact')
		.map((how) => ({ how, column: keyColumn(f.id, how) }));
}

/** Makes the look-up by a field fast; matching is right without it too. */
export async function indexMatched(
	db: Db,
	matched: ReadonlyMap<string, readonly MatchHow[]>
): Promise<void> {
	for (const [key, hows] of matched) {
		const [type, field] = key.split('.');
		for (const how of hows) {
			// the names of tables and columns together are longer than a name may be
			const name = `match_${createHash('sha256').update(`${key} ${how}`).digest('hex').slice(0, 24)}`;
			await db.query(
				`create index if not exists ${name} on ${tableOf(type)} (workspace, ${keyColumn(field, how)})`
			);
		}
	}
}

/** How the keys of a record type are matched, for {@link indexMatched}. */
export function keysToMatch(t: {
	id: string;
	fields: readonly Field[];
}): Map<string, readonly MatchHow[]> {
	return new Map(
		t.fields.filter((f) => f.key).map((f) => [refKey(t.id, f.id), matchHows(f).slice(0, 1)])
	);
}

/** Values that several records hold where no two may. */
export interface Doubled {
	type: string;
	field: Field;
	/** How many values, and the first of them with the records that hold them. */
	values: number;
	first: { value: string; ids: string[] }[];
}

const uniqueIndex = (type: string, field: string) =>
	`${UNIQUE}${createHash('sha256').update(refKey(type, field)).digest('hex').slice(0, 24)}`;

/** What several records of a type hold in a field by which each is to be known; null when each has its own. */
export async function doubledOf(
	db: Db,
	workspace: string,
	type: string,
	field: Field
): Promise<Doubled | null> {
	const column = keyColumn(field.id, matchHows(field)[0]);
	const r = await db.query<{ value: string; ids: string[]; n: string }>(
		`select min(${columnOf(field.id)}::text) as value, (array_agg(id::text order by id))[1:3] as ids, count(*) over () as n
		 from ${tableOf(type)} where workspace = $1 and ${column} is not null
		 group by ${column} having count(*) > 1 order by min(id) limit 3`,
		[workspace]
	);
	if (!r.rows.length) return null;
	const first = r.rows.map(({ value, ids }) => ({ value, ids }));
	return { type, field, values: Number(r.rows[0].n), first };
}

/**
 * Brings the indexes of fields that no two records may share from one model to another.
 * @returns what several records hold already; then nothing is done
 */
export async function indexUnique(
	db: Db,
	workspace: string,
	before: Model,
	after: Model
): Promise<Doubled[]> {
	const had = new Set(uniqueOf(before).map((u) => refKey(u.type, u.field.id)));
	const has = new Map(uniqueOf(after).map((u) => [refKey(u.type, u.field.id), u]));
	const doubled: Doubled[] = [];
	for (const { type, field } of has.values()) {
		const several = await doubledOf(db, workspace, type, field);
		if (several) doubled.push(several);
		else {
			const column = keyColumn(field.id, matchHows(field)[0]);
			await db.query(
				`create unique index if not exists ${uniqueIndex(type, field.id)} on ${tableOf(type)} (workspace, ${column})`
			);
		}
	}
	for (const key of had)
		if (!has.has(key)) {
			const [type, field] = key.split('.');
			await db.query(`drop index if exists ${uniqueIndex(type, field)}`);
		}
	return doubled;
}

const uniqueOf = (m: Model) =>
	m.types.flatMap((t) => t.fields.filter((f) => f.unique).map((field) => ({ type: t.id, field })));

async function addColumn(db: Db, type: string, f: Field) {
	const target = f.type === 'link' ? ` references ${tableOf(f.target!)}` : '';
	const keys = keyColumns(f).map((k) => `, add column ${k.column} text`);
	await db.query(
		`alter table ${tableOf(type)} add column ${columnOf(f.id)} ${COLUMN[f.type]}${target}${keys.join('')}`
	);
	if (f.type === 'link') await db.query(`create index on ${tableOf(type)} (${columnOf(f.id)})`);
}
