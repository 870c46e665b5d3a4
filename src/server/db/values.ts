/** The values of one field in all records: read where its type is to change, and written anew. */
import type { Field, Schema, Titles, Value } from '../../core';
import { looseKey } from '../../core';
import { columnOf, formerColumnOf, tableOf } from './model';
import type { Db } from './pool';
import { columnsFor, fromColumn } from './records';

/** How many records are read, or written, with one statement. */
const PIECE = 1000;

/**
 * Hands over what every record holds in a field, piece by piece; those that hold nothing are left out.
 * @param former read what it held under its former type, see `storeModel`
 */
export async function eachValue(
	db: Db,
	workspace: string,
	zone: string,
	at: { type: string; field: Field; former: boolean },
	visit: (values: { id: string; value: Value }[]) => Promise<void>
): Promise<void> {
	const column = at.former ? formerColumnOf(at.field.id) : columnOf(at.field.id);
	let after = '0';
	for (;;) {
		const r = await db.query<{ id: string; v: unknown }>(
			`select id, ${column} as v from ${tableOf(at.type)}
			 where workspace = $1 and id > $2 and ${column} is not null order by id limit ${PIECE}`,
			[workspace, after]
		);
		await visit(
			r.rows.map(({ id, v }) => ({ id: String(id), value: fromColumn(at.field.type, v, zone) }))
		);
		if (r.rows.length < PIECE) return;
		after = String(r.rows[r.rows.length - 1].id);
	}
}

/** Writes what records hold in a field, with what they are matched by. Nothing else of them changes. */
export async function writeValues(
	db: Db,
	workspace: string,
	type: string,
	field: Field,
	values: readonly { id: string; value: Value }[]
): Promise<void> {
	if (!values.length) return;
	const rows = values.map(({ value }) => columnsFor(field, value));
	const [cells] = rows;
	const list = (sql: string) => sql.endsWith('[]');
	// lists do not travel in lists: each goes as JSON
	const sets = cells.map((c, i) =>
		list(c.sql)
			? `${c.column} = array(select jsonb_array_elements_text(v.c${i}))`
			: `${c.column} = v.c${i}`
	);
	const from = cells.map((c, i) => `$${i + 3}::${list(c.sql) ? 'jsonb' : c.sql}[]`);
	await db.query(
		`update ${tableOf(type)} r set ${sets.join(', ')}
		 from unnest($2::bigint[], ${from.join(', ')}) as v(id, ${cells.map((_, i) => `c${i}`).join(', ')})
		 where r.workspace = $1 and r.id = v.id`,
		[
			workspace,
			values.map((v) => v.id),
			...cells.map((c, i) =>
				rows.map((own) => (list(c.sql) ? JSON.stringify(own[i].value) : own[i].value))
			)
		]
	);
}

/** Forgets who set a field of some records, or of all: what they set is not there any more. */
export async function forgetSetBy(
	db: Db,
	workspace: string,
	type: string,
	field: string,
	ids: readonly string[] | null
): Promise<void> {
	await db.query(
		`update ${tableOf(type)} set set_by = set_by - $2
		 where workspace = $1 and set_by ? $2 and ($3::bigint[] is null or id = any($3))`,
		[workspace, field, ids]
	);
}

/** What all records of a type are called, by id; null for those without a name. */
async function readTitles(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string
): Promise<Map<string, string | null>> {
	const title = columnOf(schema.type(type).type.title);
	const r = await db.query<{ id: string; title: string | null }>(
		`select id, ${title} as title from ${tableOf(type)} where workspace = $1 order by id`,
		[workspace]
	);
	return new Map(r.rows.map((x) => [String(x.id), x.title]));
}

/** What converting values from and to some fields must know of the records that these link to. @param schema the model before */
export async function titlesToConvert(
	db: Db,
	schema: Schema,
	workspace: string,
	fields: readonly Field[]
): Promise<Titles> {
	const names = new Map<string, Map<string, string | null>>();
	for (const f of fields)
		if (f.type === 'link' && !names.has(f.target!) && schema.types.has(f.target!))
			names.set(f.target!, await readTitles(db, schema, workspace, f.target!));
	const called = new Map<string, Map<string, string[]>>();
	for (const [type, titles] of names) {
		const by = new Map<string, string[]>();
		for (const [id, title] of titles) {
			if (title === null) continue;
			const key = looseKey(title);
			by.set(key, [...(by.get(key) ?? []), id]);
		}
		called.set(type, by);
	}
	return {
		name: (type, id) => names.get(type)?.get(id) ?? null,
		called: (type, name) => called.get(type)?.get(looseKey(name)) ?? []
	};
}
