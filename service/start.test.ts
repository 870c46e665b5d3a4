/** First starts: with and without the demo, broken off, two at once; and what upgrades hold to. */
import { cpSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { afterEach, describe, expect, it } from 'vitest';
import { ROUTES } from '../src/server/http/routes';
import { Client, script, startApp, type App } from './app';
import { emptyDatabase } from './database';

const MIGRATIONS = fileURLToPath(new URL('../db/migrations', import.meta.url));
const open: (() => Promise<unknown>)[] = [];
afterEach(async () => {
	for (const close of open.splice(0).reverse()) await close();
});
async function database() {
	const d = await emptyDatabase();
	open.push(d.drop);
	const client = new pg.Client({ connectionString: d.url });
	await client.connect();
	open.push(() => client.end());
	const one = async <T>(sql: string) => Object.values((await client.query(sql)).rows[0])[0] as T;
	return { ...d, client, one };
}
const setUp = (
	url: string,
	args: string[] = [],
	env: Record<string, string> = {},
	killedAfter?: number
) => script(['scripts/setup-database.ts', ...args], { DATABASE_URL: url, ...env }, killedAfter);
async function serve(url: string): Promise<App> {
	const app = await startApp({ DATABASE_URL: url });
	open.push(() => app.stop());
	return app;
}

describe('a start without the demo', () => {
	it('prints a code; whoever has it is the first administrator, once, and every page answers', async () => {
		const d = await database();
		const { code, out } = await setUp(d.url, [], {
			RIGID_WORKSPACE: 'Ferry Lamps',
			RIGID_ZONE: 'Europe/Athens'
		});
		expect(code).toBe(0);
		const secret = /^\s+((?:[a-z0-9]{4}-){3}[a-z0-9]{4})$/m.exec(out)![1];
		expect(await d.one('select count(*)::int from account')).toBe(0);
		const app = await serve(d.url);
		const c = new Client(app.base);
		expect(await (await c.ask('/sign-in', { headers: { accept: 'text/html' } })).text()).toContain(
			'Nobody can sign in yet'
		);
		const me = {
			name: 'Noor',
			email: 'noor@ferry.example',
			password: 'heron over the dyke',
			again: 'heron over the dyke'
		};
		// the code is not guessed, and each bad input is told at its place
		for (const [more, says] of [
			[{ code: 'aaaa-bbbb-cccc-dddd' }, 'That is not the code'],
			[{ code: secret, again: 'other' }, 'not the same'],
			[{ code: secret, password: 'short', again: 'short' }, 'at least 10'],
			[{ code: secret, email: 'none' }, 'no e-mail address'],
			[{}, 'Type the code']
		] as const)
			expect(await (await c.form('/first', { ...me, ...more })).text()).toContain(says);
		const two = await Promise.all([
			c.form('/first', { ...me, code: secret }),
			c.form('/first', { ...me, email: 'x@ferry.example', code: secret })
		]);
		// to the second the page says the same as to whoever comes later: there is nothing here any more
		expect(two.map((r) => r.headers.get('location'))).toEqual(['/sign-in', '/sign-in']);
		expect(await d.one('select count(*)::int from account')).toBe(1);
		// from here on there is nothing
		expect((await c.form('/first', { ...me, code: secret })).headers.get('location')).toBe(
			'/sign-in'
		);
		expect(await d.one('select count(*)::int from account')).toBe(1);
		expect(
			(await c.ask('/first', { headers: { accept: 'text/html' } })).headers.get('location')
		).toBe('/sign-in');
		const email = await d.one<string>('select email from account');
		await c.signIn(email, me.password);
		const wrong: string[] = [];
		for (const [route, doings] of Object.entries(ROUTES)) {
			if (!route.startsWith('/(app)') || !doings.GET) continue;
			if (/\[(id|rule|release|list|number)\]/.test(route)) continue;
			const url =
				route
					.replace('/(app)', '')
					.replace('[type]', 'deal')
					.replace(/\[\[?field\]?\]/, 'name') || '/';
			const r = await c.ask(url, { headers: { accept: 'text/html' } });
			const text = await r.text();
			if (![200, 307].includes(r.status)) wrong.push(`${url}: ${r.status} ${text.slice(0, 200)}`);
			if (/passwords are known/.test(text)) wrong.push(`${url} speaks of the demo`);
		}
		expect(wrong).toEqual([]);
		// a later start says nothing more
		const later = await setUp(d.url);
		expect([later.code, later.out]).toEqual([0, '']);
	});
	it('takes the first administrator from the environment, and refuses a password that is none', async () => {
		const d = await database();
		const env = { RIGID_ADMIN_EMAIL: 'Noor@Ferry.example', RIGID_ADMIN_PASSWORD: 'short' };
		const bad = await setUp(d.url, [], env);
		expect([bad.code, bad.out]).toEqual([1, expect.stringContaining('at least 10 characters')]);
		const good = await setUp(d.url, [], { ...env, RIGID_ADMIN_PASSWORD: 'heron over the dyke' });
		expect([good.code, good.out]).toEqual([
			0,
			expect.stringContaining('is the first administrator')
		]);
		const app = await serve(d.url);
		await new Client(app.base).signIn('noor@ferry.example', 'heron over the dyke');
	});
	it('never fills a database with the demo unless asked', async () => {
		const d = await database();
		await setUp(d.url);
		await setUp(d.url, ['--demo']);
		expect(await d.one('select demo from workspace')).toBe(false);
		expect(await d.one('select count(*)::int from r_customer')).toBe(0);
	});
	it('adds people from the command line, whoever can sign in', async () => {
		const d = await database();
		await setUp(d.url, [], {
			RIGID_ADMIN_EMAIL: 'a@ferry.example',
			RIGID_ADMIN_PASSWORD: 'heron over the dyke'
		});
		const people = (...args: string[]) =>
			script(['scripts/people.ts', ...args], { DATABASE_URL: d.url });
		const added = await people(
			'add',
			'--email',
			'b@ferry.example',
			'--name',
			'Bo',
			'--role',
			'releaser'
		);
		expect(added.out).toMatch(/b@ferry\.example may sign in with [a-z0-9-]{19}/);
		expect((await people('list')).out).toContain('b@ferry.example\tBo\treleaser');
		for (const [args, says] of [
			[['add', '--email', 'b@ferry.example', '--name', 'Bo'], 'already somebody'],
			[['add', '--email', 'c@ferry.example', '--name', 'C', '--role', 'king'], 'A role is one of'],
			[['password', '--email', 'none@ferry.example'], 'nobody with the address'],
			[['add'], 'Say --email'],
			[['dance'], 'Commands are'],
			[['--colour'], 'Unknown option']
		] as const) {
			const r = await people(...args);
			expect([args, r.code, r.out]).toEqual([args, 1, expect.stringContaining(says)]);
		}
		const again = await people('password', '--email', 'B@ferry.example');
		const password = /sign in with (\S+)/.exec(again.out)![1];
		const app = await serve(d.url);
		await new Client(app.base).signIn('b@ferry.example', password);
		expect(
			await d.one("select who from audit where did = 'added a person' order by id desc limit 1")
		).toBe('the command line');
	});
});

describe('a start with the demo', () => {
	it('that is broken off anywhere is finished by the next, whole; two at once are one', async () => {
		const whole = await database();
		const from = Date.now();
		await setUp(whole.url, ['--demo']);
		const took = Date.now() - from;
		const counts = async (d: typeof whole) => [
			await d.one('select count(*)::int from r_customer'),
			await d.one('select count(*)::int from change'),
			await d.one('select count(*)::int from account'),
			await d.one('select filling from workspace')
		];
		const wanted = await counts(whole);
		expect(wanted[3]).toBe(false);
		for (const part of [0.85]) {
			const d = await database();
			await setUp(d.url, ['--demo'], {}, took * part);
			// its connections end a moment after it
			const [a, b] = await Promise.all([setUp(d.url, ['--demo']), setUp(d.url, ['--demo'])]);
			expect([a.code, b.code]).toEqual([0, 0]);
			expect(await counts(d)).toEqual(wanted);
		}
	}, 400_000);
});

describe('the shape of the database', () => {
	it('is held to: a migration that reads otherwise, or is of a later version, stops the start', async () => {
		const d = await database();
		await setUp(d.url, [], {
			RIGID_ADMIN_EMAIL: 'a@ferry.example',
			RIGID_ADMIN_PASSWORD: 'heron over the dyke'
		});
		expect(await d.one('select count(*)::int from migration where sha256 is null')).toBe(0);
		await d.client.query("update migration set sha256 = 'other' where name like '003%'");
		const changed = await setUp(d.url);
		expect([changed.code, changed.out]).toEqual([
			1,
			expect.stringMatching(/003_\w+\.sql was applied .* other contents/)
		]);
		// from before sums were kept: taken as it is
		await d.client.query("update migration set sha256 = null where name like '003%'");
		expect((await setUp(d.url)).code).toBe(0);
		await d.client.query("insert into migration (name) values ('999_later.sql')");
		const later = await setUp(d.url);
		expect([later.code, later.out]).toEqual([
			1,
			expect.stringContaining('a later version: 999_later.sql')
		]);
	});
	it('comes up from each earlier version with everything that was in it', async () => {
		const d = await database();
		// as a database was before roles had rights of their own
		const folder = mkdtempSync(path.join(tmpdir(), 'rigid-migrations-'));
		cpSync(MIGRATIONS, folder, { recursive: true });
		const names = readdirSync(folder).sort();
		const upTo = names.indexOf('009_people.sql');
		await d.client.query(
			'create table migration (name text primary key, at timestamptz not null default now())'
		);
		for (const name of names.slice(0, upTo + 1)) {
			await d.client.query(readFileSync(path.join(folder, name), 'utf8'));
			await d.client.query('insert into migration (name) values ($1)', [name]);
		}
		rmSync(folder, { recursive: true });
		await d.client.query(
			"insert into workspace (id, name, zone) values ('w', 'Old', 'Europe/Berlin')"
		);
		await d.client.query(
			"insert into account (workspace, email, name, password, role) values ('w', 'a@x.example', 'A', 'p', 'administrator'), ('w', 'b@x.example', 'B', 'p', 'author'), ('w', 'c@x.example', 'C', 'p', 'reader')"
		);
		await d.client.query(
			"insert into api_token (workspace, account, name, token_hash) select 'w', id, 'T', '\\x01' from account where name = 'B'"
		);
		const r = await setUp(d.url);
		expect([r.code, r.out]).toEqual([0, expect.stringContaining('migration 010')]);
		// whoever could release still can, and a token keeps what it could
		expect(await d.one("select string_agg(role, ' ' order by id) from account")).toBe(
			'administrator releaser reader'
		);
		expect(await d.one('select role from api_token')).toBe('releaser');
	});
	it('with several workspaces is served by nobody', async () => {
		const d = await database();
		await setUp(d.url);
		await d.client.query("insert into workspace (id, name, zone) values ('other', 'Other', 'UTC')");
		const r = await setUp(d.url);
		expect([r.code, r.out]).toEqual([
			1,
			expect.stringContaining('One database serves one workspace')
		]);
	});
	it('is backed up and restored with PostgreSQL’s own tools, and serves the same', async () => {
		const from = await database();
		const to = await database();
		await setUp(from.url, ['--demo']);
		const { execFileSync } = await import('node:child_process');
		const [version] = readdirSync('/usr/lib/postgresql').sort((a, b) => Number(b) - Number(a));
		const tool = (name: string) => `/usr/lib/postgresql/${version}/bin/${name}`;
		const file = path.join(tmpdir(), `${from.name}.dump`);
		open.push(async () => rmSync(file, { force: true }));
		execFileSync(tool('pg_dump'), ['--format=custom', '--file', file, from.url]);
		execFileSync(tool('pg_restore'), ['--no-owner', '--exit-on-error', '--dbname', to.url, file]);
		const ready = await setUp(to.url);
		expect([ready.code, ready.out]).toEqual([0, '']);
		const app = await serve(to.url);
		const c = await new Client(app.base).signIn('ida@quillmere.example', 'glasshouse-1');
		const sum = (d: typeof from) =>
			d.one("select string_agg(hash, ' ' order by number) from release");
		expect(await sum(to)).toBe(await sum(from));
		// what was never to change still never changes, and a change goes on where numbers ended
		await expect(to.client.query("update release set note = 'x'")).rejects.toThrow('never changes');
		await expect(to.client.query('delete from audit')).rejects.toThrow('never rewritten');
		const last = await from.one<string>('select max(id)::text from r_customer');
		const saved = await c.ask('/save/customer', {
			method: 'POST',
			json: { sent: [['trading_name', 'After the restore']] }
		});
		expect([saved.status, Number(((await saved.json()) as { id: string }).id)]).toEqual([
			200,
			Number(last) + 1
		]);
		writeFileSync(file, '');
	});
});
