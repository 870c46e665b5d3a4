/** Databases for the tests of the running application. */
import { randomBytes } from 'node:crypto';
import pg from 'pg';

/** An empty database; its address, and what removes it. */
export async function emptyDatabase(): Promise<{
	url: string;
	name: string;
	drop: () => Promise<void>;
}> {
	const server = process.env.RIGID_TEST_SERVER!;
	const name = `service_${randomBytes(6).toString('hex')}`;
	const root = new pg.Client({ connectionString: server });
	await root.connect();
	await root.query(`create database ${name}`);
	const url = new URL(server);
	url.pathname = `/${name}`;
	return {
		url: url.href,
		name,
		async drop() {
			await root.query(`drop database ${name} with (force)`);
			await root.end();
		}
	};
}
