/** Fills a new database as tests have it: the tables of today with a small demo in them. */
import { fileURLToPath } from 'node:url';
import { seed } from '../demo/seed';
import { migrate } from '../src/server/db/migrate';
import { transaction } from '../src/server/db/pool';

export const MIGRATIONS = fileURLToPath(new URL('../db/migrations', import.meta.url));

/** How many records of each type. */
export const SIZES = { customers: 40, contacts: 20, leads: 20, deals: 20 };

/** Points the application's pool at a database of a server. */
export function pointTo(server: string, database: string) {
	const url = new URL(server);
	url.pathname = `/${database}`;
	process.env.DATABASE_URL = url.href;
}

/** Fills an empty database, and leaves the application's pool at it. */
export async function fillDatabase(server: string, database: string, sizes = SIZES) {
	pointTo(server, database);
	await migrate(MIGRATIONS);
	await transaction((c) => seed(c, sizes));
}
