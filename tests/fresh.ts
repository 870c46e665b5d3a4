/** A database of its own for a test file, with a small demo in it. */
import { randomBytes } from 'node:crypto';
import pg from 'pg';
import { inject } from 'vitest';
import { DEMO_PEOPLE, DEMO_WORKSPACE } from '../demo/seed';
import type { Account } from '../src/server/people/accounts';
import { listAccounts } from '../src/server/people/accounts';
import { closeDb, db } from '../src/server/db/pool';
import { fillDatabase, MIGRATIONS, pointTo, SIZES } from './fill';

/** Makes and fills the database, and points the application's pool at it. */
export async function freshDatabase(sizes = SIZES, tablespace = 'pg_default') {
	const server = process.env.RIGID_TEST_SERVER;
	const template = inject('template');
	if (!server || !template)
		throw new Error(
			'RIGID_TEST_SERVER is not set: run “npm test”, or name a PostgreSQL in which databases may be made.'
		);
	const name = `test_${randomBytes(6).toString('hex')}`;
	const root = new pg.Client({ connectionString: server });
	await root.connect();
	const copied = sizes === SIZES;
	await root.query(
		`create database ${name} template ${copied ? template : 'template1'} tablespace ${tablespace}`
	);
	if (copied) pointTo(server, name);
	else await fillDatabase(server, name, sizes);
	const people = await listAccounts(db(), DEMO_WORKSPACE);
	const who = (role: Account['role']) => people.find((p) => p.role === role && !p.service)!;
	return {
		workspace: DEMO_WORKSPACE,
		admin: who('administrator'),
		author: who('author'),
		reader: who('reader'),
		people: DEMO_PEOPLE,
		migrations: MIGRATIONS,
		async drop() {
			await closeDb();
			await root.query(`drop database ${name} with (force)`);
			await root.end();
		}
	};
}

export type Fresh = Awaited<ReturnType<typeof freshDatabase>>;
