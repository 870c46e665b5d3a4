/** A database of its own for a test file, with a small demo in it. */
import { randomBytes } from 'node:crypto';
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { DEMO_PEOPLE, DEMO_WORKSPACE, seed } from '../demo/seed';
import type { Account } from '../src/server/people/accounts';
import { listAccounts } from '../src/server/people/accounts';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';

const MIGRATIONS = fileURLToPath(new URL('../db/migrations', import.meta.url));

/** Makes and fills the database, and points the application's pool at it. */
export async function freshDatabase(
	sizes = { customers: 40, contacts: 20, leads: 20, deals: 20 },
	tablespace = 'pg_default'
) {
	const server = process.env.RIGID_TEST_SERVER;
	if (!server)
		throw new Error(
			'RIGID_TEST_SERVER is not set: run “npm test”, or name a PostgreSQL in which databases may be made.'
		);
	const name = `test_${randomBytes(6).toString('hex')}`;
	const root = new pg.Client({ connectionString: server });
	await root.connect();
	await root.query(`create database ${name} tablespace ${tablespace}`);
	const url = new URL(server);
	url.pathname = `/${name}`;
	process.env.DATABASE_URL = url.href;
	await migrate(MIGRATIONS);
	await transaction((c) => seed(c, sizes));
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
