/** Servers that stop, die, and share a database. */
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { db } from '../src/server/db/pool';
import { freshDatabase, type Fresh } from '../tests/fresh';
import { Client, startApp, withCountsHeldUp, type App } from './app';

let t: Fresh;
let a: App;
let b: App;
let onA: Client;
let onB: Client;
beforeAll(async () => {
	t = await freshDatabase({ customers: 300, contacts: 20, leads: 20, deals: 60 });
	[a, b] = await Promise.all([startApp(), startApp()]);
}, 180_000);
beforeEach(async () => {
	if (a.child.exitCode !== null || a.child.signalCode !== null) a = await startApp();
	onA = await new Client(a.base).signIn('ida@quillmere.example', 'glasshouse-1');
	onB = new Client(b.base);
	onB.cookie = onA.cookie;
});
afterAll(async () => {
	await Promise.all([a.stop(), b.stop()]);
	await t.drop();
});

const one = async <T>(sql: string, values: unknown[] = []) =>
	Object.values((await db().query(sql, values)).rows[0] as object)[0] as T;
const save = (c: Client, sent: [string, unknown][], id?: string) =>
	c.ask(`/save/customer${id ? `?id=${id}` : ''}`, { method: 'POST', json: { sent } });

/** Reads a stream of events until one is wanted. */
async function event(
	c: Client,
	wanted: (e: Record<string, unknown>) => boolean,
	then?: () => void
) {
	const r = await c.ask('/draft/events');
	const reader = r.body!.getReader();
	let text = '';
	let first = true;
	for (;;) {
		const { done, value } = await reader.read();
		if (done) return null;
		text += new TextDecoder().decode(value);
		if (first && text.includes('data:')) {
			first = false;
			then?.();
		}
		const found = [...text.matchAll(/^data: (.*)$/gm)]
			.map((m) => JSON.parse(m[1]) as Record<string, unknown>)
			.find(wanted);
		if (found) {
			await reader.cancel();
			return found;
		}
	}
}

describe('two servers of one database', () => {
	it('know one session, one draft, one release; each hears what is done at the other', async () => {
		expect((await onB.ask('/look/names')).status).toBe(200);
		const heard = event(
			onB,
			(e) => e.name === 'Ida Faro' && e.kind === 'changed',
			() => {
				void onA
					.ask('/draft', {
						method: 'PATCH',
						json: {
							pieces: [
								{
									path: ['definitions', 'from_a'],
									after: {
										id: 'from_a',
										name: 'From A',
										type: 'number',
										params: [],
										source: '1',
										tree: { k: 'num', v: '1' }
									},
									behind: null
								}
							]
						}
					})
					.then(async (r) => {
						if (r.status !== 200) await onA.ask('/trials/none', { method: 'DELETE' });
					});
			}
		);
		expect(await heard).toMatchObject({ kind: 'changed', name: 'Ida Faro' });
		const here = event(
			onA,
			(e) => e.kind === 'here',
			() => {
				void onB.ask('/draft/here', {
					method: 'POST',
					json: { page: 'p1', at: 'rules.size_class' }
				});
			}
		);
		expect(await here).toMatchObject({ kind: 'here', name: 'Ida Faro', at: 'rules.size_class' });
		await onB.form('/sign-out', {});
		expect((await onA.ask('/look/names')).status).toBe(401);
	});
	it('lose nothing that was acknowledged and double nothing, when one is killed while it saves', async () => {
		for (let round = 0; round < 4; round++) {
			if (a.child.signalCode !== null) a = await startApp();
			onA = await new Client(a.base).signIn('ida@quillmere.example', 'glasshouse-1');
			const names = Array.from({ length: 40 }, (_, i) => `Killed ${round} ${i}`);
			const sent = names.map(async (name) => {
				const r = await save(onA, [['trading_name', name]]).catch(() => null);
				return r?.status === 200 ? name : null;
			});
			setTimeout(() => a.child.kill('SIGKILL'), 60 + round * 130);
			const known = (await Promise.all(sent)).filter(Boolean);
			await new Promise((r) => setTimeout(r, 300));
			const stored = (
				await db().query<{ name: string; n: number }>(
					'select f_trading_name as name, count(*)::int as n from r_customer where f_trading_name like $1 group by 1',
					[`Killed ${round} %`]
				)
			).rows;
			expect(stored.filter((s) => s.n > 1)).toEqual([]);
			expect(known.filter((name) => !stored.some((s) => s.name === name))).toEqual([]);
			// what is stored has its history, and none is without
			expect(
				await one<number>(
					`select count(*)::int from r_customer c where f_trading_name like $1 and not exists
					   (select 1 from history_line l where l.type = 'customer' and l.record = c.id)`,
					[`Killed ${round} %`]
				)
			).toBe(0);
		}
	});
	it('take over what the other carries on, when it is killed', async () => {
		// every customer is out of line after an earlier release is put in force
		await db()
			.query(
				`with c as (insert into carried_change (workspace, release) values ($1, 3) returning id)
			 insert into pending_record (carried, type, record, before) select c.id, 'customer', r.id, null from c, r_customer r`,
				[t.workspace]
			)
			.catch(() => undefined);
		await onA.ask('/releases/2', { method: 'POST', json: { do: 'put in force' } });
		const waits = () => one<number>('select count(*)::int from pending_record');
		a.child.kill('SIGKILL');
		for (let i = 0; i < 300 && (await waits()); i++) await new Promise((r) => setTimeout(r, 200));
		expect(await waits()).toBe(0);
		await onB.ask('/releases/3', { method: 'POST', json: { do: 'put in force' } });
	});
});

describe('a page whose counts take long', () => {
	let patient: App;
	let c: Client;
	beforeAll(async () => {
		// what waits is not given up while the test looks
		patient = await startApp({ RIGID_DB_LOCK_LIMIT: '300000' });
		c = await new Client(patient.base).signIn('ida@quillmere.example', 'glasshouse-1');
	});
	afterAll(() => patient.stop());
	it.each(['br', 'gzip', 'identity'])('is there before they are, sent as %s', async (coding) => {
		await withCountsHeldUp(async () => {
			const r = await c.ask('/model/customer', {
				headers: { accept: 'text/html', 'accept-encoding': coding }
			});
			expect(r.headers.get('content-encoding')).toBe(coding === 'identity' ? null : coding);
			const reader = r.body!.pipeThrough(new TextDecoderStream()).getReader();
			let text = '';
			while (!text.includes('Trading name')) {
				const { done, value } = await reader.read();
				if (done) throw new Error('It ended without its fields.');
				text += value;
			}
			await reader.cancel();
		});
	});
});

describe('a server that is told to end', () => {
	it('finishes what is under way, closes streams, takes nothing more, and ends within its limit', async () => {
		const stream = event(onA, () => false);
		// a save that has to wait for a lock
		const { pg } = await import('pg').then((m) => ({ pg: m.default }));
		const holder = new pg.Client({ connectionString: process.env.DATABASE_URL });
		await holder.connect();
		await holder.query('begin');
		await holder.query('select 1 from r_customer where id = 1 for update');
		const slow = save(onA, [['headcount', '77']], '1');
		await new Promise((r) => setTimeout(r, 400));
		const ending = a.stop();
		await new Promise((r) => setTimeout(r, 300));
		await expect(fetch(`${a.base}/health`)).rejects.toThrow();
		await holder.query('commit');
		await holder.end();
		expect((await slow).status).toBe(200);
		expect(await stream).toBeNull();
		const { code, ms } = await ending;
		expect(code).toBe(0);
		expect(ms).toBeLessThan(9_000);
	});
	it('ends although something does not', async () => {
		a = await startApp({ RIGID_STOP_LIMIT: '1500' });
		onA = await new Client(a.base).signIn('ida@quillmere.example', 'glasshouse-1');
		const { pg } = await import('pg').then((m) => ({ pg: m.default }));
		const holder = new pg.Client({ connectionString: process.env.DATABASE_URL });
		await holder.connect();
		await holder.query('begin');
		await holder.query('select 1 from r_customer where id = 1 for update');
		const stuck = save(onA, [['headcount', '78']], '1').catch(() => null);
		await new Promise((r) => setTimeout(r, 300));
		const { code, ms } = await a.stop();
		expect([code, ms < 6000]).toEqual([0, true]);
		expect(await stuck).toBeNull();
		await holder.query('rollback');
		await holder.end();
	});
});

it('connections that are cut at random under load leave every request answered, and the server going on', async () => {
	let going = true;
	const cut = (async () => {
		while (going) {
			await db().query(
				"select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid() and application_name <> 'test' order by random() limit 1"
			);
			await new Promise((r) => setTimeout(r, 40));
		}
	})();
	const all = await Promise.all(
		Array.from({ length: 120 }, async (_, i) => {
			await new Promise((r) => setTimeout(r, i * 15));
			const c = i % 2 ? onB : onA;
			const r = await save(c, [['trading_name', `Cut ${i}`]]);
			return { i, status: r.status, again: r.headers.get('retry-after') };
		})
	);
	going = false;
	await cut;
	expect(all).toHaveLength(120);
	for (const { status, again } of all)
		if (status !== 200) expect([status, again]).toEqual([503, expect.any(String)]);
	const kept = all.filter((x) => x.status === 200).map((x) => `Cut ${x.i}`);
	expect(kept.length).toBeGreaterThan(20);
	const stored = (
		await db().query<{ n: string }>(
			"select f_trading_name as n from r_customer where f_trading_name like 'Cut %'"
		)
	).rows.map((r) => r.n);
	expect(kept.filter((n) => !stored.includes(n))).toEqual([]);
	expect(new Set(stored).size).toBe(stored.length);
	expect((await onA.ask('/look/names')).status).toBe(200);
	expect((await fetch(`${b.base}/ready`)).status).toBe(200);
});
