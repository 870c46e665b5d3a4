/** Every role at every line of the table of routes; headers that every answer has. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { ROLES, may, type Right, type Role } from '../src/door/rights';
import { ROUTES, type Asks } from '../src/server/http/routes';
import { createToken, listAccounts } from '../src/server/people/accounts';
import { changePassword } from '../src/server/people/people';
import { db } from '../src/server/db/pool';
import { addPerson } from '../src/server/people/people';
import { freshDatabase, type Fresh } from '../tests/fresh';
import { Client, startApp, type App } from './app';

let t: Fresh;
let app: App;
const clients = new Map<Role, Client>();
const tokens = new Map<Role, Client>();

beforeAll(async () => {
	t = await freshDatabase();
	app = await startApp();
	for (const role of ROLES) {
		const { id, password } = await addPerson(t.admin, {
			name: `The ${role}`,
			email: `${role}@roles.example`,
			role,
			person: null
		});
		const person = (await listAccounts(db(), t.workspace)).find((a) => a.id === id)!;
		const next = 'heron over the dyke';
		await changePassword(person, 'none', { old: password, next });
		clients.set(role, await new Client(app.base).signIn(person.email, next));
		const token = await createToken(t.admin, person, { name: role, role, ends: null });
		tokens.set(role, new Client(app.base, { authorization: `Bearer ${token}` }));
	}
}, 120_000);
afterAll(async () => {
	await app.stop();
	await t.drop();
});

/** An address for a route, with things that are there. */
const PARAMS: Record<string, string> = {
	type: 'customer',
	id: '1',
	field: 'size_class',
	number: '1',
	release: '1',
	rule: 'size_class',
	list: 'channel'
};
const addressOf = (route: string) =>
	route.replace('/(app)', '').replace(/\[\[?(\w+)\]?\]/g, (_, name: string) =>
		route.startsWith('/(app)/tables')
			? 'country_desk'
			: // nobody: whoever is there would lose their password
				route.startsWith('/api/v1/people')
				? '999999'
				: PARAMS[name]
	) || '/';

const LINES = Object.entries(ROUTES).flatMap(([route, doings]) =>
	Object.entries(doings).map(([key, { asks }]) => ({ route, key, asks }))
);
const ask = (c: Client, { route, key }: (typeof LINES)[number]) => {
	const [method, action = ''] = key.split(' ');
	const page = method === 'POST' && route.match(/^\/(\(app\)|sign-in|first|password)/);
	const url = addressOf(route) + action;
	// nothing that could be carried out is sent
	if (page) return c.ask(url, { method, body: new URLSearchParams() });
	return c.ask(url, { method, ...(method === 'GET' || method === 'DELETE' ? {} : { json: null }) });
};
const isApi = (route: string) => route.startsWith('/api/');
const allows = (role: Role, asks: Asks) =>
	asks === 'anyone' || asks === 'self' || may(role, asks as Right);

describe.each(ROLES)('the role %s', (role) => {
	it('gets in where the table lets it, and nowhere else', async () => {
		const wrong: string[] = [];
		for (const line of LINES) {
			// its own way out, and streams, are tried elsewhere
			if (['/sign-out', '/draft/events'].includes(line.route)) continue;
			const c = (isApi(line.route) ? tokens : clients).get(role)!;
			const r = await ask(c, line);
			const let_in = r.status !== 403 && r.status !== 401;
			if (let_in !== allows(role, line.asks)) wrong.push(`${line.key} ${line.route}: ${r.status}`);
			if (r.status >= 500) wrong.push(`${line.key} ${line.route}: ${r.status}`);
			await r.body?.cancel();
		}
		expect(wrong).toEqual([]);
	}, 240_000);
});

describe('whoever is not signed in', () => {
	it('gets in where anyone does, and nowhere else', async () => {
		const wrong: string[] = [];
		const nobody = new Client(app.base);
		for (const line of LINES) {
			const r = await ask(nobody, line);
			const let_in = r.status !== 401;
			if (let_in !== (line.asks === 'anyone')) wrong.push(`${line.key} ${line.route}: ${r.status}`);
			await r.body?.cancel();
		}
		expect(wrong).toEqual([]);
	});
	it('is sent to sign in, and back to where they wanted, on this site only', async () => {
		const c = new Client(app.base);
		const r = await c.ask('/journal?days=7', { headers: { accept: 'text/html' } });
		expect(r.headers.get('location')).toBe(`/sign-in?to=${encodeURIComponent('/journal?days=7')}`);
		const back = async (to: string) =>
			(
				await c.form(`/sign-in?to=${encodeURIComponent(to)}`, {
					email: 'reader@roles.example',
					password: 'heron over the dyke'
				})
			).headers.get('location');
		expect(await back('/journal?days=7#x')).toBe('/journal?days=7#x');
		for (const odd of [
			'//elsewhere.example',
			'/\\elsewhere.example',
			'/\t/elsewhere.example',
			'/a/..//elsewhere.example',
			'https://elsewhere.example/',
			'javascript:alert(1)',
			''
		])
			expect([odd, await back(odd)]).toEqual([odd, '/']);
	});
	it('does not come in by an address that is written otherwise', async () => {
		for (const path of [
			'/%61pi/v1/records/customer/1',
			'/api/v1/records/customer/%31',
			'/API/v1/x'
		])
			expect((await fetch(app.base + path, { redirect: 'manual' })).status).not.toBe(200);
		// the same address in another spelling is the API: a session does not open it
		const r = await clients.get('administrator')!.ask('/%61pi/v1/records/customer/1');
		expect([r.status, r.headers.get('content-type')]).toEqual([401, 'application/json']);
	});
});

it('what changes something has to come from our own pages', async () => {
	const c = clients.get('administrator')!;
	for (const origin of ['https://elsewhere.example', 'null', `${app.base}.example`]) {
		const r = await c.ask('/draft', { method: 'PATCH', json: { pieces: [] }, headers: { origin } });
		expect(r.status).toBe(403);
	}
});

it('every answer has its number, is kept by nobody and shown in no frame', async () => {
	const c = clients.get('reader')!;
	for (const url of [
		'/',
		'/journal',
		'/look/names',
		'/health',
		'/nowhere',
		'/api/v1/x',
		'/sign-in'
	]) {
		const r = await c.ask(url, { headers: { accept: 'text/html' } });
		const h = (name: string) => r.headers.get(name) ?? '';
		expect([url, h('x-request-id')]).toEqual([url, expect.stringMatching(/^[\w-]{36}$/)]);
		expect([url, h('cache-control')]).toEqual([
			url,
			expect.stringMatching(/no-store|no-cache|private/)
		]);
		expect([url, h('x-content-type-options')]).toEqual([url, 'nosniff']);
		expect([url, h('content-security-policy')]).toEqual([
			url,
			expect.stringContaining("frame-ancestors 'none'")
		]);
		await r.body?.cancel();
	}
});

it('a right that somebody lacked is kept in the audit, with where they came from', async () => {
	await clients.get('reader')!.ask('/draft', { method: 'PATCH', json: { pieces: [] } });
	const r = await clients.get('administrator')!.ask('/audit/export?group=Refusals&as=jsonl');
	const [newest] = (await r.text()).trim().split('\n');
	expect(JSON.parse(newest)).toMatchObject({
		who: 'The reader',
		did: 'was refused a right',
		object: 'PATCH /draft',
		address: '127.0.0.1'
	});
});

it('a token for some record types reaches those and no other', async () => {
	const token = await createToken(t.admin, t.admin, {
		name: 'Leads',
		role: 'author',
		ends: null,
		types: ['lead']
	});
	const c = new Client(app.base, { authorization: `Bearer ${token}` });
	const at = async (url: string, init?: Parameters<Client['ask']>[1]) =>
		(await c.ask(url, init)).status;
	expect(await at('/api/v1/records/lead/1')).toBe(200);
	expect(await at('/api/v1/records/customer/1')).toBe(403);
	// people are no records, whatever the role of the token
	const all = await createToken(t.admin, t.admin, {
		name: 'Some',
		role: 'administrator',
		ends: null,
		types: ['lead']
	});
	const some = new Client(app.base, { authorization: `Bearer ${all}` });
	for (const url of ['/api/v1/people', '/api/v1/people/1'])
		expect((await some.ask(url)).status).toBe(403);
	const values = { trading_name: 'X' };
	expect(await at('/api/v1/records/customer', { method: 'POST', json: { values } })).toBe(403);
	expect(
		await at('/api/v1/batch', {
			method: 'POST',
			json: { allOrNothing: false, records: [{ type: 'customer', values }] }
		})
	).toBe(403);
});

it('metrics are for those who watch the service, and name no record', async () => {
	const text = await (await tokens.get('operator')!.ask('/metrics')).text();
	for (const name of [
		'rigid_request_seconds_count',
		'rigid_db_connections',
		'rigid_waiting',
		'rigid_changes_total'
	])
		expect(text).toContain(name);
	expect(text).toMatch(/route="\/draft",method="PATCH",status="4xx"/);
	// of the process itself: what a bundle without Node's own modules would tell as nought
	expect(Number(/^rigid_nodejs_eventloop_lag_max_seconds (\S+)/m.exec(text)![1])).toBeGreaterThan(
		0
	);
	expect(text).toMatch(/^rigid_nodejs_gc_duration_seconds_count\{/m);
	expect(text).not.toMatch(/customer\/1/);
	expect((await clients.get('operator')!.ask('/metrics')).status).toBe(200);
	expect((await fetch(`${app.base}/metrics`, { redirect: 'manual' })).status).not.toBe(200);
});
