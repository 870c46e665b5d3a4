/** Brings the database to the newest shape: plain SQL files, in order, each once. */
import { createHash } from 'node:crypto';
import { Logger, runMigrations } from 'graphile-worker';
import { readFile, readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { db, transaction } from './pool';

/** A migration that was applied reads otherwise now: the database is not what this program takes it for. */
export class ChangedMigration extends Error {}

/** Applies the migrations in a folder that the database does not have yet; returns their names. @throws {ChangedMigration} */
export async function migrate(folder: string): Promise<string[]> {
	const made = await ownMigrations(folder);
	// the queue keeps its own shape, in its own schema
	await runMigrations({ pgPool: db(), logger: new Logger(() => () => undefined) });
	return made;
}

async function ownMigrations(folder: string): Promise<string[]> {
	const files = (await readdir(folder)).filter((f) => f.endsWith('.sql')).sort();
	return transaction(async (client) => {
		// two servers may start at once: the second waits and finds nothing to do
		await client.query('select pg_advisory_xact_lock(72617001)');
		await client.query(
			'create table if not exists migration (name text primary key, at timestamptz not null default now())'
		);
		await client.query('alter table migration add column if not exists sha256 text');
		const { rows } = await client.query<{ name: string; sha256: string | null }>(
			'select name, sha256 from migration'
		);
		const done = new Map(rows.map((r) => [r.name, r.sha256]));
		const later = [...done.keys()].filter((name) => !files.includes(name));
		if (later.length)
			throw new ChangedMigration(
				`The database was brought up to date by a later version: ${later.join(', ')} is not known here. Start that version.`
			);
		const applied: string[] = [];
		for (const name of files) {
			const sql = await readFile(join(folder, name), 'utf8');
			const sha256 = createHash('sha256').update(sql).digest('hex');
			const had = done.get(name);
			if (had && had !== sha256)
				throw new ChangedMigration(
					`${name} was applied to this database with other contents. A migration never changes: put it back as it was.`
				);
			if (done.has(name)) {
				// applied before sums were kept
				if (!had)
					await client.query('update migration set sha256 = $2 where name = $1', [name, sha256]);
				continue;
			}
			await client.query(sql);
			await client.query('insert into migration (name, sha256) values ($1, $2)', [name, sha256]);
			applied.push(name);
		}
		return applied;
	});
}
