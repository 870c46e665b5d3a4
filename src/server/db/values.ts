/** The values of one field in all records: read where its type is to change, kept aside, and written anew. */
import type { Field, Schema, Titles, Value } from '../../core';
import { looseKey } from '../../core';
import { columnOf, tableOf } from './model';
import type { Db } from './pool';
import { columnsFor, fromColumn } from './records';

/** How many records are read, or written, with one statement. */
const PIECE = 1000;

/**
 * Hands over what every record holds in a field, piece by piece; those that hold nothing are left out.
 */
export async function eachValue(
	db: Db,
	workspace: string,
	zone: string,
	at: { type: string; field: Field },
	visit: (values: { id: string; value: Value }[]) => Promise<void>
): Promise<void> {
	const column = columnOf(at.field.id);
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

/** How many pieces of records are given their new values with one statement. */
const FILLED = 10;

/**
 * What records are to hold in a field once it has become another kind, with what they are matched by. It is worked out and
 * kept in a table of the transaction before the field's new column is made: from there on nobody reads these records.
 */
export class Becoming {
	readonly #table: string;
	readonly #cells: { column: string; sql: string }[];
	/** The last record of each piece. */
	readonly #lasts: string[] = [];

	private constructor(
		private readonly db: Db,
		private readonly type: string,
		private readonly field: Field,
		n: number
	) {
		this.#table = `becoming_${n}`;
		this.#cells = columnsFor(field, null);
	}

	/** @param n tells it from others of the same transaction */
	static async begin(db: Db, type: string, field: Field, n: number): Promise<Becoming> {
		const made = new Becoming(db, type, field, n);
		const columns = made.#cells.map((c, i) => `, c${i} ${c.sql}`).join('');
		await db.query(
			`create temporary table ${made.#table} (id bigint primary key${columns}) on commit drop`
		);
		return made;
	}

	/** @param values of records that come in the order of their numbers, from one call to the next as well */
	async keep(values: readonly { id: string; value: Value }[]): Promise<void> {
		if (!values.length) return;
		const rows = values.map(({ value }) => columnsFor(this.field, value));
		const list = (sql: string) => sql.endsWith('[]');
		// lists do not travel in lists: each goes as JSON
		const put = this.#cells.map((c, i) =>
			list(c.sql) ? `array(select jsonb_array_elements_text(v.c${i}))` : `v.c${i}`
		);
		const from = this.#cells.map((c, i) => `$${i + 2}::${list(c.sql) ? 'jsonb' : c.sql}[]`);
		await this.db.query(
			`insert into ${this.#table} select v.id, ${put.join(', ')}
			 from unnest($1::bigint[], ${from.join(', ')}) as v(id, ${this.#cells.map((_, i) => `c${i}`).join(', ')})`,
			[
				values.map((v) => v.id),
				...this.#cells.map((c, i) =>
					rows.map((own) => (list(c.sql) ? JSON.stringify(own[i].value) : own[i].value))
				)
			]
		);
		this.#lasts.push(values[values.length - 1].id);
	}

	/** Gives records what was kept; the column is there by now, and nothing else of them changes. */
	async fill(workspace: string): Promise<void> {
		const sets = this.#cells.map((c, i) => `${c.column} = v.c${i}`);
		let after = '0';
		for (let i = 0; i < this.#lasts.length; i += FILLED) {
			const until = this.#lasts[Math.min(i + FILLED, this.#lasts.length) - 1];
			await this.db.query(
				`update ${tableOf(this.type)} r set ${sets.join(', ')} from ${this.#table} v
				 where r.workspace = $1 and r.id = v.id and v.id > $2 and v.id <= $3`,
				[workspace, after, until]
			);
			after = until;
		}
	}
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
