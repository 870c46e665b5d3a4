/** The one pool of connections, and transactions on it. */
import { AsyncLocalStorage } from 'node:async_hooks';
import { setTimeout } from 'node:timers/promises';
import pg from 'pg';
import { OutcomeUnknown, dbTrouble, isNoRoomToConnect } from './trouble';

// Values come as text: decimals, dates and instants are read by the core, not by the driver.
const asText = (v: string) => v;
for (const oid of [20, 1082, 1700]) pg.types.setTypeParser(oid, asText);

export type Db = pg.Pool | pg.PoolClient;

let pool: pg.Pool | null = null;

/** The backends of PostgreSQL that work for somebody at this moment, so that what they do can be cancelled. */
export type Backends = Set<number>;
const working = new AsyncLocalStorage<Backends>();

/** Does a piece of work, and knows meanwhile which backends do it. */
export const knowingBackends = <T>(backends: Backends, work: () => Promise<T>): Promise<T> =>
	working.run(backends, work);

/** The limits of each connection, milliseconds. */
type Limits = Readonly<
	Record<'statement_timeout' | 'lock_timeout' | 'idle_in_transaction_session_timeout', number>
>;

/**
 * The pool, which sets limits to each connection and notes for whom it is taken. Both are asked of PostgreSQL itself: a pooler
 * in between takes no limits when a connection is opened, and tells numbers of its own instead of those of the backends.
 */
class NotingPool extends pg.Pool {
	/** The backend of each connection that is ready. */
	readonly #backends = new WeakMap<pg.PoolClient, number>();

	constructor(
		options: pg.PoolConfig,
		private readonly limits: Limits
	) {
		super(options);
	}

	override connect(): Promise<pg.PoolClient>;
	override connect(taken: Parameters<pg.Pool['connect']>[0]): void;
	override connect(taken?: Parameters<pg.Pool['connect']>[0]): Promise<pg.PoolClient> | void {
		const client = this.#connected();
		if (!taken) return client;
		client.then(
			(c) => taken(undefined, c, c.release),
			(e: Error) => taken(e, undefined, () => undefined)
		);
	}

	/** A connection; one that there is already, where PostgreSQL has no room on its disk to make another. */
	async #connected(): Promise<pg.PoolClient> {
		const until = performance.now() + (this.options.connectionTimeoutMillis ?? 0);
		for (;;)
			try {
				return this.#noted(await this.#ready(await super.connect()));
			} catch (e) {
				if (!isNoRoomToConnect(e) || !this.totalCount || performance.now() > until) throw e;
				await setTimeout(50);
			}
	}

	async #ready(client: pg.PoolClient): Promise<pg.PoolClient> {
		if (this.#backends.has(client)) return client;
		try {
			const set = Object.entries(this.limits)
				.map(([name, ms]) => `set_config('${name}', '${ms}', false)`)
				.join();
			const r = await client.query<{ pid: number }>(`select pg_backend_pid() as pid, ${set}`);
			this.#backends.set(client, r.rows[0].pid);
			return client;
		} catch (e) {
			client.release(e as Error);
			throw e;
		}
	}

	#noted(client: pg.PoolClient): pg.PoolClient {
		const backends = working.getStore();
		if (!backends) return client;
		const pid = this.#backends.get(client)!;
		backends.add(pid);
		const release = client.release.bind(client);
		client.release = (e) => {
			backends.delete(pid);
			release(e);
		};
		return client;
	}
}

/** What these backends do just now fails with 57014. */
export async function cancelBackends(db: Db, backends: Backends): Promise<void> {
	if (backends.size) await db.query('select pg_cancel_backend(unnest($1::int[]))', [[...backends]]);
}

/**
 * A setting that is a number: connections, minutes, milliseconds.
 * @throws when it is set and is none
 */
export function setting(name: string, usual: number): number {
	const text = process.env[name];
	if (!text) return usual;
	const n = Number(text);
	if (!Number.isInteger(n) || n < 1)
		throw new Error(`${name} is a whole number from 1 up; it is “${text}”.`);
	return n;
}

/** The pool for `DATABASE_URL`. @throws when it is not set */
export function db(): pg.Pool {
	if (!pool) {
		const connectionString = process.env.DATABASE_URL;
		if (!connectionString) throw new Error('DATABASE_URL is not set: say which PostgreSQL to use.');
		pool = new NotingPool(
			{
				connectionString,
				max: setting('RIGID_DB_CONNECTIONS', 10),
				// kept however long they are idle: while the disk is full there may be no others
				min: 2,
				connectionTimeoutMillis: setting('RIGID_DB_WAIT', 5_000),
				keepAlive: true
			},
			{
				statement_timeout: setting('RIGID_DB_STATEMENT_LIMIT', 60_000),
				lock_timeout: setting('RIGID_DB_LOCK_LIMIT', 10_000),
				idle_in_transaction_session_timeout: setting('RIGID_DB_IDLE_LIMIT', 60_000)
			}
		);
		// an idle connection may be cut by the server; the next query opens another
		pool.on('error', () => undefined);
		// so may one that is in use: the query that waits on it fails, and the process goes on
		pool.on('connect', (client) => client.on('error', () => undefined));
	}
	return pool;
}

/** Ends all connections. */
export async function closeDb(): Promise<void> {
	await pool?.end();
	pool = null;
}

/**
 * What may pass when it is tried again: serialization failure, deadlock; and a column or table that is
 * not there, because the model changed between reading it and using it.
 */
const AGAIN: ReadonlySet<string> = new Set(['40001', '40P01', '42703', '42P01']);

/** Whether it is worth trying a transaction again. */
function passes(e: unknown): boolean {
	const { code, constraint } = e as { code?: string; constraint?: string };
	// somebody else stored the same in the same moment: the next attempt sees their record, and says so
	if (code === '23505') return constraint?.startsWith(UNIQUE) ?? false;
	return code !== undefined && AGAIN.has(code);
}

/** PostgreSQL ended one of two that waited for each other; the other went on. */
export const isDeadlock = (e: unknown): boolean => (e as { code?: string }).code === '40P01';

/** How indexes are called that hold what no two records may have the same. */
export const UNIQUE = 'unique_';

/** From here on this transaction waits so long for locks, in milliseconds, and then fails. */
export async function limitLocks(client: pg.PoolClient, ms: number): Promise<void> {
	await client.query(`set local lock_timeout = ${Math.round(ms)}`);
}

/** The moment of a transaction, ISO 8601 in UTC: what `now()` is in all its statements. */
export async function momentOf(client: pg.PoolClient): Promise<string> {
	const r = await client.query<{ now: Date }>('select now() as now');
	return r.rows[0].now.toISOString();
}

/** @throws {OutcomeUnknown} when the connection is lost before the answer: it may have been stored */
async function commit(client: pg.PoolClient): Promise<void> {
	try {
		await client.query('commit');
	} catch (e) {
		const { code } = e as { code?: string };
		// what PostgreSQL itself refuses at a commit is not stored; without an answer nobody knows
		throw dbTrouble(e) && !code?.startsWith('53') ? new OutcomeUnknown(e) : e;
	}
}

/** Runs work that only reads, all of it on one state of the database, however long it takes. */
export async function snapshot<T>(work: (client: pg.PoolClient) => Promise<T>): Promise<T> {
	const client = await db().connect();
	try {
		await client.query('begin isolation level repeatable read, read only');
		return await work(client);
	} finally {
		await client.query('rollback').catch(() => undefined);
		client.release();
	}
}

/** Runs work that only reads, as long as each of its statements takes no longer than so many milliseconds; null where one would. */
export async function limited<T>(
	ms: number,
	work: (client: pg.PoolClient) => Promise<T>
): Promise<T | null> {
	const client = await db().connect();
	try {
		await client.query('begin read only');
		await client.query(`set local statement_timeout = ${Math.round(ms)}`);
		return await work(client);
	} catch (e) {
		if ((e as { code?: string }).code === '57014') return null;
		throw e;
	} finally {
		await client.query('rollback').catch(() => undefined);
		client.release();
	}
}

/** Runs work in one transaction; repeats it when two transactions got in each other's way. */
export async function transaction<T>(work: (client: pg.PoolClient) => Promise<T>): Promise<T> {
	for (let attempt = 1; ; attempt++) {
		const client = await db().connect();
		try {
			await client.query('begin');
			const result = await work(client);
			await commit(client);
			return result;
		} catch (e) {
			await client.query('rollback').catch(() => undefined);
			if (passes(e) && attempt < 5) continue;
			throw e;
		} finally {
			client.release();
		}
	}
}
