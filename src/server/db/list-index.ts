/**
 * Indexes of record tables for lists: which are wanted, which are there, and how one is made while others go on
 * working. What an index is for stands in its name, with a hash of what it is made of: one that was made before the
 * options of a list came in another order is another index.
 */
import { createHash } from 'node:crypto';
import type { PoolClient } from 'pg';
import type { Schema } from '../../core';
import { STAMPS, type ListIndex, type Stamp } from '../../door/lists';
import { STAMP_COLUMN, keySql, signOf } from './lists';
import { columnOf, tableOf, textOf } from './model';
import { db, type Db } from './pool';

export interface WantedIndex extends ListIndex {
	/** Who wanted it. */
	by: string | null;
	/** Why it could not be made. */
	trouble: string | null;
}

/** An index as PostgreSQL has it. */
export interface MadeIndex {
	name: string;
	/** False for one whose making was broken off. */
	valid: boolean;
	bytes: number;
	/** How often it was read since PostgreSQL began to count. */
	reads: number;
}

const PREFIX = 'listed_';
/** No other index is called so. */
const NAME = `^${PREFIX}[0-9a-f]{24}$`;

/** What it is made of, as SQL behind `on <table>`. */
function bodyOf(schema: Schema, { type, field, use }: ListIndex): string {
	const table = tableOf(type);
	switch (use) {
		case 'value':
			return `(workspace, ${columnOf(field)}, id)`;
		case 'order':
			return `(workspace, (${keySql(schema, type, { k: 'field', path: [field] }, table).sql}), id)`;
		case 'words':
			return `using gin (${columnOf(field)} gin_trgm_ops)`;
		case 'setter':
			return `(workspace, (${signOf(textOf(field), table)}), id)`;
		case 'stamp':
			return `(workspace, ${STAMP_COLUMN[field as Stamp]}, id)`;
	}
}

/** The name of an index; another one where the same would be made of something else. */
export const indexName = (schema: Schema, i: ListIndex): string =>
	PREFIX +
	createHash('sha256')
		.update(`${i.type} ${bodyOf(schema, i)}`)
		.digest('hex')
		.slice(0, 24);

/** Those that are wanted, of fields that are there. */
export async function wantedIndexes(
	db: Db,
	workspace: string,
	schema: Schema
): Promise<WantedIndex[]> {
	const r = await db.query<WantedIndex>(
		`select w.type, w.field, w.use, w.trouble, a.name as by from wanted_index w
		 left join account a on a.id = w.account where w.workspace = $1 order by w.type, w.field, w.use`,
		[workspace]
	);
	return r.rows.filter((i) => isThere(schema, i));
}

/** Whether there is what an index is of. */
export const isThere = (schema: Schema, { type, field, use }: ListIndex): boolean =>
	schema.types.has(type) &&
	(use === 'stamp'
		? (STAMPS as readonly string[]).includes(field)
		: schema.field(type, field) !== undefined);

/** Wants one. */
export async function wantIndex(
	db: Db,
	workspace: string,
	{ type, field, use }: ListIndex,
	account: string
): Promise<void> {
	await db.query(
		`insert into wanted_index (workspace, type, field, use, account) values ($1, $2, $3, $4, $5)
		 on conflict (workspace, type, field, use) do update set trouble = null`,
		[workspace, type, field, use, account]
	);
}

/** Wants one no more. @returns whether it was wanted */
export async function unwantIndex(
	db: Db,
	workspace: string,
	{ type, field, use }: ListIndex
): Promise<boolean> {
	const r = await db.query(
		'delete from wanted_index where workspace = $1 and type = $2 and field = $3 and use = $4',
		[workspace, type, field, use]
	);
	return r.rowCount === 1;
}

/** Notes why one could not be made. */
export async function noteIndexTrouble(
	db: Db,
	workspace: string,
	{ type, field, use }: ListIndex,
	trouble: string
): Promise<void> {
	await db.query(
		'update wanted_index set trouble = $5 where workspace = $1 and type = $2 and field = $3 and use = $4',
		[workspace, type, field, use, trouble]
	);
}

/** All indexes for lists that there are, by name. */
export async function madeIndexes(db: Db): Promise<Map<string, MadeIndex>> {
	const r = await db.query<MadeIndex>(
		`select c.relname as name, i.indisvalid as valid, pg_relation_size(c.oid)::float8 as bytes,
		   coalesce(s.idx_scan, 0)::float8 as reads
		 from pg_class c join pg_index i on i.indexrelid = c.oid
		 left join pg_stat_user_indexes s on s.indexrelid = c.oid
		 where c.relnamespace = current_schema()::regnamespace and c.relname ~ '${NAME}'`
	);
	return new Map(r.rows.map((x) => [x.name, x]));
}

/** About how many records a type has, as PostgreSQL last counted; null where it has not. */
export async function sizesOf(
	db: Db,
	types: readonly string[]
): Promise<Map<string, number | null>> {
	const r = await db.query<{ name: string; n: number }>(
		`select relname as name, reltuples::float8 as n from pg_class
		 where relnamespace = current_schema()::regnamespace and relname = any($1)`,
		[types.map(tableOf)]
	);
	// below zero: never counted
	const by = new Map(r.rows.map((x) => [x.name, x.n < 0 ? null : x.n]));
	return new Map(types.map((t) => [t, by.get(tableOf(t)) ?? null]));
}

/** Only one of all servers makes indexes: two at one table would wait for each other. */
const MAKERS = 72617028;
const PROGRESS_EVERY = 500;

/**
 * Does something on a connection of its own that is in no transaction, and alone among all servers. Whoever died
 * while PostgreSQL works on for them is waited for.
 */
export async function alone<T>(work: (c: IndexMaker) => Promise<T>): Promise<T> {
	const client = await db().connect();
	try {
		await client.query('set statement_timeout = 0');
		await client.query('set lock_timeout = 0');
		await client.query('select pg_advisory_lock($1)', [MAKERS]);
		return await work(new IndexMaker(client));
	} finally {
		// its settings and its lock end with it
		client.release(true);
	}
}

/** Makes and drops indexes while records are read and written. */
export class IndexMaker {
	constructor(private readonly client: PoolClient) {}

	/**
	 * Makes one.
	 * @param progress told how much of it is done, of 100
	 * @throws as PostgreSQL does; what was begun of it is gone then
	 */
	async make(
		schema: Schema,
		i: ListIndex,
		progress: (percent: number) => Promise<void>
	): Promise<void> {
		const name = indexName(schema, i);
		if (i.use === 'words') await this.client.query('create extension if not exists pg_trgm');
		const { rows } = await this.client.query<{ pid: number }>('select pg_backend_pid() as pid');
		let asking = false;
		const watch = setInterval(() => {
			if (asking) return;
			asking = true;
			howFar(rows[0].pid)
				.then(progress)
				// it is looked after elsewhere
				.catch(() => undefined)
				.finally(() => (asking = false));
		}, PROGRESS_EVERY);
		try {
			await this.client.query(
				`create index concurrently ${name} on ${tableOf(i.type)} ${bodyOf(schema, i)}`
			);
			await this.client.query(`analyze ${tableOf(i.type)}`);
		} catch (e) {
			await this.drop(name).catch(() => undefined);
			throw e;
		} finally {
			clearInterval(watch);
		}
	}

	async drop(name: string): Promise<void> {
		if (!new RegExp(NAME).test(name)) throw new Error(`“${name}” is no index of a list.`);
		await this.client.query(`drop index concurrently if exists ${name}`);
	}
}

/** Where each stretch of the work begins, of 100. PostgreSQL tells how far it is within each. */
const STRETCHES: readonly [phase: string, from: number, to: number][] = [
	['building index', 0, 70],
	['index validation', 70, 100]
];

async function howFar(pid: number): Promise<number> {
	const r = await db().query<{ phase: string; part: number }>(
		`select phase, case when tuples_total > 0 then 0.5 + 0.5 * tuples_done / tuples_total
		   when blocks_total > 0 then 0.5 * blocks_done / blocks_total else 0 end::float8 as part
		 from pg_stat_progress_create_index where pid = $1`,
		[pid]
	);
	const [at] = r.rows;
	const stretch = at && STRETCHES.find(([phase]) => at.phase.startsWith(phase));
	return stretch ? Math.round(stretch[1] + (stretch[2] - stretch[1]) * Math.min(1, at.part)) : 0;
}
