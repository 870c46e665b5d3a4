/** The one pool of connections, and transactions on it. */
import pg from 'pg';

// Values come as text: decimals, dates and instants are read by the core, not by the driver.
const asText = (v: string) => v;
for (const oid of [20, 1082, 1700]) pg.types.setTypeParser(oid, asText);

export type Db = pg.Pool | pg.PoolClient;

let pool: pg.Pool | null = null;

/** The pool for `DATABASE_URL`. @throws when it is not set */
export function db(): pg.Pool {
	if (!pool) {
		const connectionString = process.env.DATABASE_URL;
		if (!connectionString) throw new Error('DATABASE_URL is not set: say which PostgreSQL to use.');
		pool = new pg.Pool({ connectionString, max: 10 });
		// an idle connection may be cut by the server; the next query opens another
		pool.on('error', () => undefined);
	}
	return pool;
}

/** Ends all connections. */
export async function closeDb(): Promise<void> {
	await pool?.end();
	pool = null;
}

/** Runs work in one transaction; repeats it when two transactions got in each other's way. */
export async function transaction<T>(work: (client: pg.PoolClient) => Promise<T>): Promise<T> {
	for (let attempt = 1; ; attempt++) {
		const client = await db().connect();
		try {
			await client.query('begin');
			const result = await work(client);
			await client.query('commit');
			return result;
		} catch (e) {
			await client.query('rollback').catch(() => undefined);
			const code = (e as { code?: string }).code;
			// serialization failure, deadlock
			if ((code === '40001' || code === '40P01') && attempt < 5) continue;
			throw e;
		} finally {
			client.release();
		}
	}
}
