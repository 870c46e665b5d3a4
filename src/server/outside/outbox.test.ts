/** Messages in PostgreSQL: handed over once each, tried again while the mail system is away, doubles kept and not sent. */
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { readOutbox } from '../db/outbox';
import { db } from '../db/pool';
import { countMailbox, storeStandIns } from '../db/stand-ins';
import { again, deliver } from './outbox';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());
beforeEach(async () => {
	await db().query('delete from outbox');
	await db().query('delete from mailbox');
	await say('takes');
});

const say = (mailbox: 'takes' | 'away') =>
	storeStandIns(db(), t.workspace, { mailbox, receiver: 'takes' });
/** A message as a rule sends it. */
async function put(recipient: string, subject = 'Season notice'): Promise<string> {
	const r = await db().query<{ id: string }>(
		`with c as (insert into change (workspace, at, account, entry_point, release) values ($1, now(), $2, 'full', 3) returning id)
		 insert into outbox (workspace, change, claim, rule_name, type, record, recipient, subject, body, at)
		 select $1, id, 'notice:0', 'Notice', 'customer', 1, $3, $4, 'The season begins.', now() from c returning id::text`,
		[t.workspace, t.author.id, recipient, subject]
	);
	return r.rows[0].id;
}
const box = async () => (await readOutbox(db(), t.workspace)).entries;
const of = async (id: string) => (await box()).find((m) => m.id === id)!;

describe('handing messages over', () => {
	it('gives each a number of the mailbox, and each once, however many servers hand over', async () => {
		for (let i = 0; i < 30; i++) await put(`grower-${i}@grower.example`);
		await Promise.all([deliver(), deliver(), deliver()]);
		const all = await box();
		expect(new Set(all.map((m) => m.takenAs)).size).toBe(30);
		// newest first, by number and not by digits
		expect(all.map((m) => m.recipient)).toEqual(
			Array.from({ length: 30 }, (_, i) => `grower-${29 - i}@grower.example`)
		);
		expect(all.every((m) => m.status === 'sent' && !m.takenBefore && m.attempts === 1)).toBe(true);
		expect(await countMailbox(db())).toEqual({ taken: 30, doubles: 0 });
	});

	it('of one that was handed over just before a crash comes twice and is dropped', async () => {
		const id = await put('ilse@grower.example');
		await deliver();
		const number = (await of(id)).takenAs;
		// as if the server had died before it noted that it was taken
		await db().query(
			`update outbox set status = 'waiting', taken_as = null, attempts = 0, settled_at = null`
		);
		await deliver();
		expect(await of(id)).toMatchObject({ status: 'sent', takenAs: number, takenBefore: true });
		expect(await countMailbox(db())).toEqual({ taken: 1, doubles: 1 });
	});

	it('waits while the mail system is away, later each time, and loses nothing', async () => {
		await say('away');
		const id = await put('oskar@grower.example');
		await deliver();
		expect(await of(id)).toMatchObject({
			status: 'waiting',
			attempts: 1,
			trouble: 'The mail system is away.',
			next: expect.stringMatching(/^20/)
		});
		expect(await deliver()).toBe(0);
		await say('takes');
		expect(await deliver()).toBe(0);
		await db().query('update outbox set next_at = now()');
		await deliver();
		expect(await of(id)).toMatchObject({ status: 'sent', trouble: null, next: null, attempts: 2 });
	});

	it('is tried for three days and no longer', async () => {
		await say('away');
		const id = await put('marit@grower.example');
		await db().query("update outbox set waits_since = now() - interval '3 days'");
		await deliver();
		expect(await of(id)).toMatchObject({
			status: 'refused',
			trouble: 'The mail system is away. It was tried for three days.'
		});
		// somebody looks after it: the three days begin anew
		await say('takes');
		expect(await again(t.admin, id)).toBe(true);
		await deliver();
		expect(await of(id)).toMatchObject({ status: 'sent' });
	});

	it.each([
		['no address', 'is no e-mail address'],
		['a@b@c', 'is no e-mail address'],
		['grower@nowhere.invalid', 'no domain ends in .invalid']
	])('of %s is refused at once, and says why', async (to, why) => {
		const id = await put(to);
		const other = await put('freja@grower.example');
		await deliver();
		expect(await of(id)).toMatchObject({
			status: 'refused',
			trouble: expect.stringContaining(why)
		});
		expect(await of(other)).toMatchObject({ status: 'sent' });
	});

	it('does not hand over a double, nor one whose text is forgotten', async () => {
		const id = await put('noor@grower.example');
		await db().query("update outbox set status = 'dropped' where id = $1", [id]);
		expect(await again(t.admin, id)).toBe(false);
		await db().query("update outbox set status = 'sent', recipient = '' where id = $1", [id]);
		expect(await again(t.admin, id)).toBe(false);
		expect(await again(t.admin, '999999')).toBe(false);
	});
});
