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

/** Hands over what all records of a type are called, piece by piece; those without a name are left out. */
async function eachTitle(
	db: Db,
	schema: Schema,
	workspace: string,
	type: string,
	visit: (id: string, title: string) => void
): Promise<void> {
	const title = columnOf(schema.type(type).type.title);
	let after = '0';
	for (;;) {
		const r = await db.query<{ id: string; title: string }>(
			`select id::text, ${title} as title from ${tableOf(type)} x
			 where workspace = $1 and x.id > $2 and ${title} is not null order by x.id limit ${PIECE}`,
			[workspace, after]
		);
		for (const x of r.rows) visit(x.id, x.title);
		if (r.rows.length < PIECE) return;
		after = r.rows[r.rows.length - 1].id;
	}
}

/**
 * What converting the values of one field to another must know of the records that they link to.
 * @param schema the model before
 */
export async function titlesToConvert(
	db: Db,
	schema: Schema,
	workspace: string,
	from: Field,
	to: Field
): Promise<Titles> {
	const names = new Map<string, string>();
	const called = new Map<string, string[]>();
	const links = ({ type, target }: Field) => type === 'link' && schema.types.has(target!);
	// the same target is the same link
	if (links(from) && !(links(to) && from.target === to.target))
		await eachTitle(db, schema, workspace, from.target!, (id, title) => names.set(id, title));
	if (links(to))
		await eachTitle(db, schema, workspace, to.target!, (id, title) => {
			const key = looseKey(title);
			const had = called.get(key);
			if (had) had.push(id);
			else called.set(key, [id]);
		});
	return {
		name: (_, id) => names.get(id) ?? null,
		called: (_, name) => called.get(looseKey(name)) ?? []
	};
}
