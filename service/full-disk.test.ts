/** A disk that is full: what would be stored is refused and told, nothing of it is there, and it goes on when there is room. */
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import pg from 'pg';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { db } from '../src/server/db/pool';
import { freshDatabase, type Fresh } from '../tests/fresh';
import { Client, startApp, type App } from './app';

/** A small disk of its own; null where this user may not have one. */
function smallDisk(): { folder: string; remove: () => void } | null {
	const folder = mkdtempSync(path.join(tmpdir(), 'rigid-disk-'));
	const id = (flag: string) => execFileSync('id', [flag, 'postgres'], { encoding: 'utf8' }).trim();
	const options = `size=96m,mode=0700,uid=${id('-u')},gid=${id('-g')}`;
	if (spawnSync('mount', ['-t', 'tmpfs', '-o', options, 'tmpfs', folder]).status !== 0) {
		rmSync(folder, { recursive: true });
		return null;
	}
	return {
		folder,
		remove() {
			spawnSync('umount', [folder]);
			rmSync(folder, { recursive: true });
		}
	};
}

const disk = smallDisk();

describe.skipIf(!disk)('a disk that is full', () => {
	const { folder, remove } = disk ?? { folder: '', remove: () => undefined };
	let t: Fresh;
	let app: App;
	let ida: Client;
	let root: pg.Client;
	beforeAll(async () => {
		root = new pg.Client({ connectionString: process.env.RIGID_TEST_SERVER });
		await root.connect();
		await root.query(`create tablespace small_disk location '${folder}'`);
		t = await freshDatabase({ customers: 20, contacts: 5, leads: 5, deals: 5 }, 'small_disk');
		app = await startApp();
		ida = await new Client(app.base).signIn('ida@quillmere.example', 'glasshouse-1');
	}, 180_000);
	afterAll(async () => {
		await app.stop();
		await t.drop();
		await root.query('drop tablespace small_disk');
		await root.end();
		remove();
	});

	afterEach(() => rmSync(filler, { force: true }));

	const save = (name: string) =>
		ida.ask('/save/customer', { method: 'POST', json: { sent: [['trading_name', name]] } });
	const count = async (what: string) =>
		Number((await db().query<{ n: string }>(`select count(*) as n from ${what}`)).rows[0].n);
	const filler = path.join(folder, 'filler');
	function fill() {
		try {
			// what is filled stays so: only what is free is filled as well
			const { blocks, bsize } = statfsSync(folder);
			writeFileSync(filler, Buffer.alloc(blocks * bsize), { flag: 'a' });
		} catch (e) {
			// as much of it as there was room for is written
			expect((e as { code?: string }).code).toBe('ENOSPC');
		}
	}

	it('refuses with a message, stores nothing of it, can be read, and goes on when there is room', async () => {
		expect((await save('With room')).status).toBe(200);
		// a record that is listed as out of line is looked at again when it is seen
		const { rows } = await db().query<{ id: string }>(
			`with r as (update r_customer set f_label_lines = 99 where id = (select min(id) from r_customer) returning *)
			 insert into out_of_line (workspace, type, record, field, claim, stored, result, by_hand, release, version)
			 select workspace, 'customer', id, 'label_lines', 'x:o', '"99"', '"98"', false, 3, version from r
			 returning record::text as id`
		);
		fill();
		const kept: string[] = [];
		let refused: Response | null = null;
		// pages of tables have some room left; then there is none
		for (let i = 0; i < 3_000 && !refused; i++) {
			const r = await save(`Filling ${i}`);
			if (r.ok) kept.push(`Filling ${i}`);
			else refused = r;
		}
		expect(refused!.status).toBe(503);
		expect(Number(refused!.headers.get('retry-after'))).toBeGreaterThan(0);
		expect(((await refused!.json()) as { message: string }).message).toBe(
			'The disk of the database is full. Nothing was stored; make room, then try again.'
		);
		// whole or not at all: each record with its history
		const names = (
			await db().query<{ n: string }>(
				"select f_trading_name as n from r_customer where f_trading_name like 'Filling %' order by id"
			)
		).rows.map((r) => r.n);
		expect(names).toEqual(kept);
		expect(
			await count(
				`r_customer c where f_trading_name like 'Filling %'
				 and not exists (select from history_line l where l.type = 'customer' and l.record = c.id)`
			)
		).toBe(0);
		// a change of the catalogue, be it by autovacuum, takes away what new connections read and write anew; a connection
		// of the server's own may write it once more before there is no room again
		let refusedAt: string | null = null;
		for (let i = 0; i < 20 && !refusedAt; i++) {
			for (const file of readdirSync(folder, { recursive: true, encoding: 'utf8' }))
				if (file.endsWith('pg_internal.init')) rmSync(path.join(folder, file), { force: true });
			fill();
			const another = new pg.Client({ connectionString: process.env.DATABASE_URL });
			refusedAt = await another.connect().then(
				() => another.end().then(() => null),
				(e: Error) => e.message
			);
		}
		expect(refusedAt).toContain('could not write init file');
		// what is read can be read meanwhile, however long ago somebody was last seen
		await db()
			.query("update session set seen_at = now() - interval '5 minutes'")
			.catch(() => undefined);
		const pages = await Promise.all(
			[
				'/records/customer',
				'/records/customer',
				`/records/customer/${rows[0].id}`,
				'/line?type=customer&field=label_lines'
			].map((page) => ida.ask(page, { headers: { accept: 'text/html' } }))
		);
		expect(pages.map((r) => r.status)).toEqual([200, 200, 200, 200]);
		expect((await fetch(`${app.base}/health`)).status).toBe(200);
		rmSync(filler);
		expect((await save('Room again')).status).toBe(200);
		expect(await count("r_customer where f_trading_name = 'Room again'")).toBe(1);
	}, 120_000);

	it('does not end a job: it goes on when there is room', async () => {
		const lines = Array.from({ length: 2_000 }, (_, i) => `Row ${i}`).join('\n');
		const form = new FormData();
		form.set('file', new Blob([`Trading name\n${lines}\n`]), 'rows.csv');
		const taken = await ida.ask('/records/customer/import', {
			method: 'POST',
			body: form,
			headers: { accept: 'text/html' }
		});
		const at = taken.headers.get('location')!;
		const begun = await ida.ask(`${at}?/begin`, {
			method: 'POST',
			body: new URLSearchParams({ columns: 'trading_name', keep: '', by: '', mode: 'both' }),
			headers: { accept: 'text/html' }
		});
		expect(begun.status).toBe(200);
		fill();
		const job = async () =>
			(
				await db().query<{ state: string; done: number }>(
					"select state, done from job where kind = 'import'"
				)
			).rows[0];
		await new Promise((r) => setTimeout(r, 6_000));
		const halted = await job();
		expect([halted.state !== 'failed', halted.done < 2_000]).toEqual([true, true]);
		expect(await count("r_customer where f_trading_name like 'Row %'")).toBe(halted.done);
		rmSync(filler);
		for (let i = 0; i < 600 && (await job()).state !== 'done'; i++)
			await new Promise((r) => setTimeout(r, 100));
		expect(await job()).toEqual({ state: 'done', done: 2_000 });
		expect(await count("r_customer where f_trading_name like 'Row %'")).toBe(2_000);
	}, 120_000);
});
