/** Behind a pooler of connections, as docs/operations.md says: a session keeps its connection, its limits and its locks. */
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { announce, hear, type Heard } from '../src/server/db/notices';
import { cancelBackends, closeDb, db, knowingBackends, type Backends } from '../src/server/db/pool';
import { freshDatabase, type Fresh } from '../tests/fresh';
import { Client, freePort, startApp, type App } from './app';

let t: Fresh;
let app: App;
let folder: string;
let direct: string;
const poolers: ChildProcess[] = [];

/** Starts Debian's pgbouncer with the configuration that docs/operations.md gives. @returns the address of the database behind it */
async function pooler(mode: 'session' | 'transaction'): Promise<string> {
	const docs = readFileSync(new URL('../docs/operations.md', import.meta.url), 'utf8');
	const to = new URL(direct);
	const [user, password] = [to.username, to.password].map(decodeURIComponent);
	const port = await freePort();
	const name = to.pathname.slice(1);
	const own = path.join(folder, mode);
	writeFileSync(`${own}.users`, `"${user}" "${password}"\n`);
	writeFileSync(
		`${own}.ini`,
		`${/```ini\n([\s\S]*?)```/
			.exec(docs)![1]
			.replace(
				/^rigid_rule = .*$/m,
				`${name} = host=${to.hostname} port=${to.port} dbname=${name} user=${user} password=${password}`
			)
			.replace('6432', String(port))
			.replace('/etc/pgbouncer/userlist.txt', `${own}.users`)
			.replace('pool_mode = session', `pool_mode = ${mode}`)}\nunix_socket_dir =\n`
	);
	// it does not run as root
	const as =
		process.getuid?.() === 0
			? {
					uid: Number(execFileSync('id', ['-u', 'postgres'])),
					gid: Number(execFileSync('id', ['-g', 'postgres']))
				}
			: {};
	let log = '';
	const child = spawn('/usr/sbin/pgbouncer', [`${own}.ini`], {
		...as,
		stdio: ['ignore', 'pipe', 'pipe']
	});
	poolers.push(child);
	for (const s of [child.stdout, child.stderr]) s.on('data', (b: Buffer) => (log += b.toString()));
	for (let i = 0; ; i++) {
		const up = await new Promise<boolean>((r) => {
			const s = net.connect(port, '127.0.0.1', () => (s.destroy(), r(true)));
			s.once('error', () => r(false));
		});
		if (up) break;
		if (child.exitCode !== null || i > 100) throw new Error(`pgbouncer did not start: ${log}`);
		await new Promise((r) => setTimeout(r, 100));
	}
	const url = new URL(direct);
	url.host = `127.0.0.1:${port}`;
	return url.href;
}

/** Works through another address of the database meanwhile. */
async function through(url: string, work: () => Promise<void>) {
	await closeDb();
	process.env.DATABASE_URL = url;
	try {
		await work();
	} finally {
		await closeDb();
		process.env.DATABASE_URL = direct;
	}
}

beforeAll(async () => {
	t = await freshDatabase();
	direct = process.env.DATABASE_URL!;
	folder = mkdtempSync(path.join(tmpdir(), 'rigid-pooler-'));
	chmodSync(folder, 0o755);
}, 120_000);
afterAll(async () => {
	await app?.stop();
	for (const p of poolers) p.kill('SIGTERM');
	await t.drop();
	rmSync(folder, { recursive: true, force: true });
});

const value = async (sql: string) =>
	Object.values((await db().query<Record<string, unknown>>(sql)).rows[0])[0];
/** Whether what a backend does can be cancelled by whoever knows it. */
async function cancels(): Promise<boolean> {
	const backends: Backends = new Set();
	const sleeping = knowingBackends(backends, () =>
		db()
			.query('select pg_sleep(4)')
			.then(
				() => null,
				(e: { code?: string }) => e.code
			)
	);
	await new Promise((r) => setTimeout(r, 500));
	await cancelBackends(db(), backends);
	return (await sleeping) === '57014';
}

describe('behind a pooler', () => {
	it('that gives a connection for a session, limits hold, notices arrive, and what is under way is cancelled', async () => {
		await through(await pooler('session'), async () => {
			expect(await value('show statement_timeout')).toBe('1min');
			expect(await value('show lock_timeout')).toBe('10s');
			expect(await value('show idle_in_transaction_session_timeout')).toBe('1min');
			expect(await cancels()).toBe(true);
			const heard: Heard[] = [];
			const { deaf, listening } = hear((n) => heard.push(n));
			await listening;
			await announce(db(), { kind: 'beside', workspace: 'here' });
			await expect.poll(() => heard).toContainEqual({ kind: 'beside', workspace: 'here' });
			deaf();
		});
	}, 60_000);

	it('the application starts, saves, and works on jobs', async () => {
		app = await startApp({ DATABASE_URL: await pooler('session') });
		const ida = await new Client(app.base).signIn('ida@quillmere.example', 'glasshouse-1');
		const saved = await ida.ask('/save/customer', {
			method: 'POST',
			json: { sent: [['trading_name', 'Behind a pooler']] }
		});
		expect(saved.status).toBe(200);
		const asked = await ida.ask('/rehearsal', { method: 'POST' });
		const { job } = (await asked.json()) as { job: string };
		await expect
			.poll(() => value(`select state from job where id = '${job}'`), { timeout: 60_000 })
			.toBe('done');
	}, 120_000);

	it('that gives a connection for a transaction only, what is told between servers is lost', async () => {
		await through(await pooler('transaction'), async () => {
			const heard: Heard[] = [];
			const { deaf, listening } = hear((n) => heard.push(n));
			await listening;
			await announce(db(), { kind: 'beside', workspace: 'there' });
			await new Promise((r) => setTimeout(r, 1_000));
			expect(heard).toEqual([]);
			deaf();
		});
	}, 60_000);
});
