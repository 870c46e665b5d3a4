/** The database goes away under work: what was asked fails and says so, and the next goes on. */
import { readdir } from 'node:fs/promises';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { save } from '../records';
import { isMigrated } from './migrated';
import { db, limitLocks, transaction } from './pool';
import { dbTrouble } from './trouble';

let t: Fresh;
let other: pg.Client;
beforeAll(async () => {
	t = await freshDatabase();
	other = new pg.Client({ connectionString: process.env.DATABASE_URL });
	other.on('error', () => undefined);
	await other.connect();
});
afterAll(async () => {
	await other.end().catch(() => undefined);
	await t.drop();
});

/** Ends every connection of the application, as a restart of the database does. */
const endAll = () =>
	other.query(
		'select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()'
	);
const put = (name: string) =>
	save({ workspace: t.workspace, account: t.author, entryPoint: 'api', instant: Date.now() }, [
		{ type: 'customer', id: null, sent: [['trading_name', name]], keep: 'touched' }
	]);
const count = async (name: string) =>
	(await db().query('select 1 from r_customer where f_trading_name like $1', [`${name}%`]))
		.rowCount;

describe('a connection that is ended', () => {
	it('while nobody uses it is not noticed', async () => {
		await db().query('select 1');
		await endAll();
		await new Promise((r) => setTimeout(r, 50));
		expect((await db().query('select 1 as one')).rows).toEqual([{ one: 1 }]);
	});
	it('under a statement fails that statement, in words, and no other', async () => {
		const long = db()
			.query('select pg_sleep(20)')
			.catch((e: unknown) => e);
		await new Promise((r) => setTimeout(r, 150));
		await endAll();
		expect(dbTrouble(await long)!.message).toContain('cannot be reached just now');
		expect((await db().query('select 1 as one')).rowCount).toBe(1);
	});
	it('in a transaction stores nothing of it', async () => {
		const work = transaction(async (c) => {
			await c.query("update r_customer set f_trading_name = 'Half' where id = 1");
			await endAll();
			await c.query('select 1');
		}).catch((e: unknown) => e);
		expect(dbTrouble(await work)).not.toBeNull();
		expect(await count('Half')).toBe(0);
	});
	it('at the commit leaves it open whether it was stored, and says that', async () => {
		const work = transaction(async (c) => {
			await c.query("update r_customer set f_trading_name = 'Open' where id = 1");
			// the commit finds its connection gone
			const pid = (await c.query<{ pid: number }>('select pg_backend_pid() as pid')).rows[0].pid;
			await other.query('select pg_terminate_backend($1)', [pid]);
		}).catch((e: unknown) => e);
		expect(dbTrouble(await work)!.message).toContain('is not known');
	});
	it('again and again under writers: each is stored or says that it was not', async () => {
		let going = true;
		const ender = (async () => {
			while (going) {
				await endAll();
				await new Promise((r) => setTimeout(r, 40));
			}
		})();
		const said = await Promise.all(
			Array.from({ length: 40 }, async (_, i) => {
				await new Promise((r) => setTimeout(r, i * 15));
				return put(`Storm ${100 + i}`).then(
					() => 'stored',
					(e: unknown) => dbTrouble(e)?.message ?? String(e)
				);
			})
		);
		going = false;
		await ender;
		for (const [i, outcome] of said.entries()) {
			const n = await count(`Storm ${100 + i}`);
			if (outcome === 'stored') expect(n).toBe(1);
			// what was lost at the commit is told as not known; all else was not stored
			else if (!/is not known/.test(outcome))
				expect([outcome, n]).toEqual([expect.stringMatching(/Nothing was stored/), 0]);
		}
		expect(await put('Calm')).toHaveLength(1);
	}, 60_000);
});

describe('a lock that somebody holds', () => {
	it('is waited for so long and no longer, and says so; other records go on', async () => {
		await other.query('begin');
		await other.query('select 1 from r_customer where id = 2 for update');
		const began = Date.now();
		const waiting = transaction(async (c) => {
			await limitLocks(c, 300);
			await c.query('select 1 from r_customer where id = 2 for update');
		}).catch((e: unknown) => e);
		await expect(put('Beside it')).resolves.toHaveLength(1);
		expect(dbTrouble(await waiting)!.message).toContain('working on the same records');
		expect(Date.now() - began).toBeLessThan(20_000);
		await other.query('rollback');
	});
});

describe('the shape that this program needs', () => {
	it('is that of the newest migration', async () => {
		const files = (await readdir(t.migrations)).filter((f) => f.endsWith('.sql')).sort();
		expect(await isMigrated(db())).toBe(true);
		await other.query('delete from migration where name = $1', [files.at(-1)]);
		expect(await isMigrated(db())).toBe(false);
		await other.query('insert into migration (name) values ($1)', [files.at(-1)]);
	});
});
