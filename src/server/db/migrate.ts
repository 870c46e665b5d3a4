/** Brings the database to the newest shape: plain SQL files, in order, each once. */
import { readFile, readdir } from 'node:fs/promises';
import { join } from 'node:path';
import type { Db } from './pool';
import { transaction } from './pool';

/** The newest change of shape that this program counts on. */
const NEWEST = '010_service.sql';

/** Whether the database has the shape that this program needs. @throws when it cannot be asked */
export async function isMigrated(db: Db): Promise<boolean> {
	// a database that was never brought up to date has no such table
	const there = await db.query("select to_regclass('migration') is not null as there");
	if (!(there.rows[0] as { there: boolean }).there) return false;
	const r = await db.query('select 1 from migration where name = $1', [NEWEST]);
	return r.rowCount === 1;
}

/** Applies the migrations in a folder that the database does not have yet; returns their names. */
export async function migrate(folder: string): Promise<string[]> {
	const files = (await readdir(folder)).filter((f) => f.endsWith('.sql')).sort();
	return transaction(async (client) => {
		// two servers may start at once: the second waits and finds nothing to do
		await client.query('select pg_advisory_xact_lock(72617001)');
		await client.query(
			'create table if not exists migration (name text primary key, at timestamptz not null default now())'
		);
		const { rows } = await client.query<{ name: string }>('select name from migration');
		const done = new Set(rows.map((r) => r.name));
		const applied: string[] = [];
		for (const name of files.filter((f) => !done.has(f))) {
			await client.query(await readFile(join(folder, name), 'utf8'));
			await client.query('insert into migration (name) values ($1)', [name]);
			applied.push(name);
		}
		return applied;
	});
}
