/** Who guesses waits, alone; sessions, tokens and what is kept of all that. */
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { readEntries, type Deed } from '../db/audit';
import { forgetOld } from '../db/people';
import { db } from '../db/pool';
import { forRequest } from '../audit/audit';
import {
	NoSuchToken,
	TooManyAtOnce,
	accountOfSession,
	accountOfToken,
	createToken,
	hashPassword,
	listAccounts,
	listTokens,
	revokeToken,
	signIn
} from './accounts';
import { addService, changePerson } from './people';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());
beforeEach(() => db().query('delete from sign_in_attempt'));

const EMAIL = 'mieke@quillmere.example';
const told = (did: Deed, most = 50) =>
	readEntries(db(), t.workspace, { deeds: [did], find: '', from: null, to: null }, { most });
/** Lets time pass for the attempts so far. */
const later = (seconds: number) =>
	db().query('update sign_in_attempt set at = at - make_interval(secs => $1)', [seconds]);

/** The attempts so far are of this very moment, however long ago that was: none counts as later than now. */
const justNow = () => later(-3600);

describe('whoever guesses', () => {
	it('waits, twice as long each time, whether the account exists or not', async () => {
		for (const email of [EMAIL, 'nobody@quillmere.example']) {
			await db().query('delete from sign_in_attempt');
			for (let i = 0; i < 5; i++)
				expect(await signIn(email, `guess${i}`, '10.0.0.2')).toEqual({
					ok: false,
					wait: 0,
					message: 'E-mail and password do not fit together.'
				});
			const waits: number[] = [];
			for (let i = 0; i < 4; i++) {
				await justNow();
				const r = await signIn(email, 'glasshouse-3', '10.0.0.2');
				expect(r).toMatchObject({
					ok: false,
					message: expect.stringContaining('Too many attempts')
				});
				const { wait } = r as { wait: number };
				waits.push(wait);
				await later(wait + 1);
				await signIn(email, `guess${i}`, '10.0.0.2');
			}
			expect(waits).toEqual([1, 2, 4, 8]);
		}
	});
	it('keeps nobody waiting who comes from elsewhere', async () => {
		for (let i = 0; i < 12; i++) {
			await signIn(EMAIL, 'guess', '10.0.0.3');
			await later(400);
		}
		expect(await signIn(EMAIL, 'glasshouse-3', '10.0.0.4')).toMatchObject({ ok: true });
	});
	it('at many accounts from one address waits as well', async () => {
		for (let i = 0; i < 40; i++)
			await db().query('insert into sign_in_attempt (email, address) values ($1, $2)', [
				`n${i}@quillmere.example`,
				'10.0.0.5'
			]);
		await justNow();
		expect(await signIn('other@quillmere.example', 'guess', '10.0.0.5')).toMatchObject({ wait: 1 });
	});
	it('cannot pass the count by coming all at once', async () => {
		const from = performance.now();
		const all = await Promise.all(
			Array.from({ length: 30 }, (_, i) => signIn(EMAIL, `guess${i}`, '10.0.0.6'))
		);
		const heard = all.filter((r) => !r.ok && r.wait === 0).length;
		expect(heard).toBeGreaterThanOrEqual(5);
		// one more where they took so long that the wait was over: 1 second, then 2, then 4
		const seconds = (performance.now() - from) / 1000;
		expect(heard).toBeLessThanOrEqual(5 + Math.log2(seconds + 1));
	});
	it('who got in begins anew', async () => {
		for (let i = 0; i < 4; i++) await signIn(EMAIL, 'guess', '10.0.0.7');
		expect(await signIn(EMAIL, 'glasshouse-3', '10.0.0.7')).toMatchObject({ ok: true });
		for (let i = 0; i < 4; i++)
			expect(await signIn(EMAIL, 'guess', '10.0.0.7')).toMatchObject({ wait: 0 });
	});
	it('does not wait for an hour because a clock was put back by one', async () => {
		for (let i = 0; i < 6; i++) await signIn(EMAIL, 'guess', '10.0.0.8');
		await db().query("update sign_in_attempt set at = now() + interval '1 hour'");
		const r = await signIn(EMAIL, 'guess', '10.0.0.8');
		expect((r as { wait: number }).wait).toBeLessThanOrEqual(2);
	});
	it('is kept, with the address; so is who got in', async () => {
		await forRequest({ request: 'r-1', address: '10.0.0.9' }, async () => {
			await signIn(EMAIL, 'guess', '10.0.0.9');
			await signIn('nobody@quillmere.example', 'guess', '10.0.0.9');
			await signIn(EMAIL, 'glasshouse-3', '10.0.0.9');
		});
		const refused = await told('refused at sign-in', 2);
		expect(refused.map((e) => [e.who, e.address, e.request, e.detail])).toEqual([
			['nobody@quillmere.example', '10.0.0.9', 'r-1', { why: 'no such account' }],
			[EMAIL, '10.0.0.9', 'r-1', { why: 'another password' }]
		]);
		expect((await told('signed in', 1))[0]).toMatchObject({
			who: 'Mieke Rozendal',
			address: '10.0.0.9'
		});
		expect(JSON.stringify(refused)).not.toContain('guess');
	});
	it('finds that hashes are made two at a time, and no more than some wait', async () => {
		const all = await Promise.allSettled(Array.from({ length: 60 }, () => hashPassword('x')));
		const refused = all.filter((r) => r.status === 'rejected');
		expect(refused.length).toBeGreaterThan(10);
		for (const r of refused)
			expect((r as PromiseRejectedResult).reason).toBeInstanceOf(TooManyAtOnce);
	});
});

describe('the audit', () => {
	it('is never rewritten, by whoever asks the database', async () => {
		await signIn(EMAIL, 'glasshouse-3', '10.0.0.10');
		for (const sql of ['update audit set who = $1', 'delete from audit where who <> $1'])
			await expect(db().query(sql, ['x'])).rejects.toThrow('never rewritten');
		await expect(db().query('truncate audit')).rejects.toThrow('never rewritten');
	});
	it('is found by who, what and day, and read on page by page', async () => {
		for (let i = 0; i < 5; i++)
			await forRequest({ request: `p-${i}`, address: `10.1.0.${i}` }, () =>
				signIn('page@quillmere.example', 'guess', `10.1.0.${i}`)
			);
		const search = { deeds: null, find: 'PAGE@', from: null, to: null };
		const first = await readEntries(db(), t.workspace, search, { most: 3 });
		const rest = await readEntries(db(), t.workspace, search, { before: first[2].id, most: 9 });
		expect([...first, ...rest].map((e) => e.address)).toEqual(
			[4, 3, 2, 1, 0].map((i) => `10.1.0.${i}`)
		);
		const on = (from: string, to: string) =>
			readEntries(db(), t.workspace, { ...search, from, to }, { most: 9 });
		expect(await on('2020-01-01', '2020-12-31')).toEqual([]);
		expect(await on('2020-01-01', '2120-12-31')).toHaveLength(5);
		// signs that a pattern would take for any
		expect(await readEntries(db(), t.workspace, { ...search, find: '%' }, { most: 9 })).toEqual([]);
	});
});

describe('a token', () => {
	const ends = null;
	it('has a role of its own, and never more than whom it acts for', async () => {
		const token = await createToken(t.admin, t.admin, { name: 'Shop', role: 'author', ends });
		expect(await accountOfToken(db(), token)).toMatchObject({ id: t.admin.id, role: 'author' });
		await expect(
			createToken(t.author, t.author, { name: 'More', role: 'administrator', ends })
		).rejects.toThrow(NoSuchToken);
		const id = await addService(t.admin, { name: 'Web shop', role: 'author' });
		const service = (await listAccounts(db(), t.workspace)).find((a) => a.id === id)!;
		await expect(
			createToken(t.admin, service, { name: 'More', role: 'releaser', ends })
		).rejects.toThrow('Web shop is author');
		const its = await createToken(t.admin, service, { name: 'Orders', role: 'author', ends });
		expect(await accountOfToken(db(), its)).toMatchObject({ name: 'Web shop', role: 'author' });
		// whom it acts for may do less from now on
		await changePerson(t.admin, id, { role: 'reader' });
		expect(await accountOfToken(db(), its)).toMatchObject({ role: 'reader' });
		// a service signs in nowhere
		expect(await signIn(service.email, '', '10.0.0.1')).toMatchObject({ ok: false });
		await changePerson(t.admin, id, { retired: true });
		expect(await accountOfToken(db(), its)).toBeNull();
	});
	it('reaches some record types, has a last use, an end, and is revoked', async () => {
		const token = await createToken(t.admin, t.admin, {
			name: 'Leads',
			role: 'author',
			ends: '2120-01-31',
			types: ['lead']
		});
		expect(await accountOfToken(db(), token)).toMatchObject({ types: ['lead'] });
		const listed = async () =>
			(await listTokens(db(), t.workspace)).find((x) => x.name === 'Leads')!;
		expect(await listed()).toMatchObject({ ends: '2120-01-31', types: ['lead'], ended: false });
		expect((await listed()).used).toMatch(/^20/);
		await db().query("update api_token set expires_at = now() where name = 'Leads'");
		expect(await accountOfToken(db(), token)).toBeNull();
		expect((await listed()).ended).toBe(true);
		await db().query("update api_token set expires_at = null where name = 'Leads'");
		await revokeToken(t.admin, (await listed()).id);
		expect(await accountOfToken(db(), token)).toBeNull();
		expect((await told('revoked a token', 1))[0].object).toBe('Leads');
		// what is no token opens nothing
		for (const odd of ['', 'rr_', 'x'.repeat(190)])
			expect(await accountOfToken(db(), odd)).toBeNull();
	});
});

it('a session ends that nobody uses; one that is used goes on', async () => {
	const open = async () => {
		const r = await signIn(EMAIL, 'glasshouse-3', '10.0.0.30');
		if (!r.ok) throw new Error(r.message);
		return r.token;
	};
	const [used, idle] = [await open(), await open()];
	for (let i = 0; i < 3; i++) {
		await db().query("update session set seen_at = seen_at - interval '70 minutes'");
		expect(await accountOfSession(db(), used)).toMatchObject({ email: EMAIL });
	}
	expect(await accountOfSession(db(), idle)).toBeNull();
	// what it is to those who read of it is an account, and no more
	expect(await accountOfSession(db(), used)).not.toHaveProperty('stale');
});

it('what nobody needs any more is forgotten, and nothing else', async () => {
	await signIn(EMAIL, 'glasshouse-3', '10.0.0.20');
	await signIn(EMAIL, 'guess', '10.0.0.20');
	await forgetOld(db());
	const count = async (table: string) =>
		Number((await db().query<{ n: string }>(`select count(*) as n from ${table}`)).rows[0].n);
	const sessions = await count('session');
	expect(sessions).toBeGreaterThan(0);
	expect(await count('sign_in_attempt')).toBe(1);
	await later(3 * 3600);
	await db().query(
		'update session set expires_at = now() where token_hash in (select token_hash from session limit 1)'
	);
	await forgetOld(db());
	expect(await count('sign_in_attempt')).toBe(0);
	expect(await count('session')).toBe(sessions - 1);
});
