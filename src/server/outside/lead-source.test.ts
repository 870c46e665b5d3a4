/** The stand-in for a source of leads: started, stopped, at its pace, and never by two servers at once. */
import http from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { JsonValue } from '../../core';
import { seeded } from '../../../demo/generate';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { listPosted, readSource, takePosts } from '../db/lead-source';
import { listAccounts } from '../db/people';
import { db } from '../db/pool';
import { accountOfToken, createAccount, type Account } from '../people/accounts';
import { enquiry, postDue, start, stop } from './lead-source';

let t: Fresh;
let service: Account;
/** The API as somebody outside sees it. */
let server: http.Server;
let seen: { path: string; token: string; key: string; values: Record<string, unknown> }[] = [];
beforeAll(async () => {
	t = await freshDatabase();
	service = (await listAccounts(db(), t.workspace)).find((a) => a.service)!;
	server = http.createServer((req, res) => {
		let body = '';
		req.on('data', (d) => (body += d));
		req.on('end', () => {
			const key = String(req.headers['idempotency-key']);
			const again = seen.some((s) => s.key === key);
			seen.push({
				path: req.url ?? '',
				token: String(req.headers.authorization).replace('Bearer ', ''),
				key,
				values: (JSON.parse(body) as { values: Record<string, unknown> }).values
			});
			res.writeHead(201, again ? { 'idempotent-replayed': 'true' } : {});
			res.end(JSON.stringify({ id: '1' }));
		});
	});
	await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
	process.env.RIGID_OWN_ADDRESS = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
beforeEach(async () => {
	await stop(t.admin);
	seen = [];
});
afterAll(async () => {
	delete process.env.RIGID_OWN_ADDRESS;
	server.close();
	await t.drop();
});

const begin = (more: object = {}) =>
	start(t.admin, { of: service.id, type: 'lead', every: 200, minutes: 5, ...more });
const due = (ms: number) =>
	db().query("update lead_source set next_at = now() - $1 * interval '1 millisecond'", [ms]);

describe('what one says', () => {
	const at: Record<string, JsonValue>[] = [
		{ company: 'Tern Island Roses', crop: 'rose' },
		{ company: 'Heron Herbs', crop: 'herbs', channel: 'web_form' }
	];
	it('is what records hold; now and then a choice that no list has', () => {
		const chance = seeded(3);
		const all = Array.from({ length: 220 }, (_, n) => enquiry(at, ['crop', 'channel'], n, chance));
		expect(new Set(all.map((v) => v.company))).toEqual(
			new Set(['Tern Island Roses', 'Heron Herbs'])
		);
		expect(all.filter((v) => Object.values(v).includes('By pigeon'))).toHaveLength(20);
	});
	it('is nothing where there are no records', () => {
		expect(enquiry([], [], 10)).toEqual({});
	});
});

describe('the source', () => {
	it('posts with a token that reaches one record type, until it is stopped', async () => {
		await begin();
		await due(900);
		await postDue();
		expect(seen.length).toBeGreaterThanOrEqual(5);
		const { token } = seen[0];
		expect(await accountOfToken(db(), token)).toMatchObject({ id: service.id, types: ['lead'] });
		expect(seen.every((s) => s.path === '/api/v1/records/lead')).toBe(true);
		// what rules write is left to them, and so are links
		for (const { values } of seen)
			for (const field of ['customer', 'owner', 'expected_value', 'follow_up_urgency'])
				expect(values).not.toHaveProperty(field);
		await stop(t.admin);
		expect(await accountOfToken(db(), token)).toBeNull();
		await due(900);
		const before = seen.length;
		await postDue();
		expect(seen.length).toBe(before);
		expect((await readSource(db(), t.workspace)).until).toBeNull();
	});

	it('posts some twice under one key, and keeps what was answered', async () => {
		await begin();
		for (let i = 0; i < 4; i++) {
			await due(1_000);
			await postDue();
		}
		const keys = seen.map((s) => s.key);
		const twice = keys.filter((k, i) => keys.indexOf(k) !== i);
		expect(twice.length).toBeGreaterThan(0);
		const kept = await listPosted(db(), t.workspace, 200);
		expect(kept.filter((p) => p.replayed).length).toBeGreaterThanOrEqual(twice.length);
		expect(kept.map((p) => Number(p.id))).toEqual(
			kept.map((p) => Number(p.id)).sort((a, b) => b - a)
		);
		expect(kept.every((p) => p.status === 201 && p.took >= 0)).toBe(true);
	});

	it('keeps its pace, does not catch up after a pause, and is shared by servers', async () => {
		await begin();
		await due(3_600_000);
		const taken = await Promise.all([1, 2, 3].map(() => takePosts(db(), 10)));
		expect(taken.flat().map((p) => p.count)).toEqual([6]);
		await begin({ every: 5000 });
		await due(0);
		expect((await takePosts(db(), 10)).map((p) => p.count)).toEqual([1]);
		expect(await takePosts(db(), 10)).toEqual([]);
	});

	it('ends by itself, and its token with it', async () => {
		await begin();
		await due(0);
		await postDue();
		const { token } = seen[0];
		await db().query("update lead_source set until = now() - interval '1 second'");
		await postDue();
		expect(await accountOfToken(db(), token)).toBeNull();
	});

	it('of two who start it at once leaves one token that opens something', async () => {
		await Promise.all([begin(), begin(), begin()]);
		const open = await db().query(
			"select from api_token where name = 'Stand-in lead source' and revoked_at is null"
		);
		expect(open.rowCount).toBe(1);
	});

	it('refuses a service that is gone or may not create records, and a type that there is not', async () => {
		await expect(begin({ of: t.author.id })).rejects.toThrow('no such service');
		await expect(begin({ type: 'constructor' })).rejects.toThrow('no such record type');
		const id = await createAccount(db(), {
			workspace: t.workspace,
			name: 'Looker',
			email: 'looker@service.invalid',
			role: 'reader',
			person: null,
			password: null
		});
		await expect(begin({ of: id })).rejects.toThrow('may not create records');
	});

	it('says that nothing was answered where the server is away', async () => {
		await begin();
		await due(0);
		const own = process.env.RIGID_OWN_ADDRESS;
		process.env.RIGID_OWN_ADDRESS = 'http://127.0.0.1:1';
		await postDue();
		process.env.RIGID_OWN_ADDRESS = own;
		expect((await listPosted(db(), t.workspace, 1))[0]).toMatchObject({ status: null });
	});
});
