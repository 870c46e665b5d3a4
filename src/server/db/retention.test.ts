/** What is older than the settings keep it goes; what something else still needs stays. */
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workAll } from '../../../tests/worker';
import { begin, importOf, takeIn } from '../imports/imports';
import type { Settings } from '../imports/rows';
import { save } from '../records';
import { deliver } from '../outside/outbox';
import { db } from './pool';
import { forgetBeyond, historyFrom, readKeep, storeKeep } from './retention';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const count = async (table: string) =>
	Number((await db().query<{ n: string }>(`select count(*) as n from ${table}`)).rows[0].n);
const sender = () => ({
	workspace: t.workspace,
	account: t.admin,
	entryPoint: 'full' as const,
	instant: Date.now()
});

it('is kept for good where nothing is said', async () => {
	expect(await readKeep(db(), t.workspace)).toEqual({});
	await db().query("update change set at = '2001-01-01'");
	const changes = await count('change');
	expect(await forgetBeyond(db(), t.workspace, {})).toEqual({});
	expect(await count('change')).toBe(changes);
	// nothing was old enough
	await forgetBeyond(db(), t.workspace, { history: 100_000 });
	expect(await historyFrom(db(), t.workspace)).toBeNull();
});

it('history goes with its lines and refusals; the records and what is newer stay', async () => {
	const [old] = await save(sender(), [
		{ type: 'customer', id: null, sent: [['trading_name', 'Older']], keep: [] }
	]);
	await db().query("update change set at = now() - interval '31 days'");
	const [recent] = await save(sender(), [
		{ type: 'customer', id: null, sent: [['trading_name', 'Newer']], keep: [] }
	]);
	await storeKeep(db(), t.workspace, { history: 30 });
	const customers = await count('r_customer');
	const gone = await forgetBeyond(db(), t.workspace, await readKeep(db(), t.workspace));
	expect(gone.history).toBeGreaterThan(0);
	const from = (await historyFrom(db(), t.workspace))!;
	expect(Math.round((Date.now() - Date.parse(from)) / 86_400_000)).toBe(30);
	const lines = async (id: string) =>
		(await db().query("select 1 from history_line where type = 'customer' and record = $1", [id]))
			.rowCount;
	expect([await lines(old.id), (await lines(recent.id))! > 0]).toEqual([0, true]);
	expect(await count('r_customer')).toBe(customers);
	expect(await forgetBeyond(db(), t.workspace, { history: 30 })).toEqual({});
	// a record whose history is gone is changed as any other
	const [after] = await save(sender(), [
		{ type: 'customer', id: old.id, sent: [['headcount', '51']], keep: [] }
	]);
	expect(after.values.size_class).toBe('medium');
	// whoever keeps it longer from now on gets nothing back
	await forgetBeyond(db(), t.workspace, { history: 365 });
	expect(await historyFrom(db(), t.workspace)).toBe(from);
});

it('of a message that leaves at most once its text goes, and that it left stays', async () => {
	const change = (
		await db().query<{ id: string }>(
			`insert into change (workspace, at, entry_point) values ($1, now() - interval '100 days', 'full') returning id`,
			[t.workspace]
		)
	).rows[0].id;
	const message = (once: string | null, status: string) =>
		db().query(
			`insert into outbox (workspace, change, claim, rule_name, type, record, recipient, subject, body, once_key, at, status)
			 values ($1, $2, 'c', 'r', 'customer', 1, 'a@example.com', 's', 'b', $3, now() - interval '100 days', $4)`,
			[t.workspace, change, once, status]
		);
	await db().query('delete from outbox');
	await message('k', 'sent');
	await message(null, 'sent');
	await message(null, 'waiting');
	// the change is what the messages came of
	expect((await forgetBeyond(db(), t.workspace, { history: 30 })).history).toBeUndefined();
	expect(await forgetBeyond(db(), t.workspace, { messages: 30 })).toEqual({ messages: 2 });
	const left = await db().query(
		'select once_key, status, body, recipient from outbox order by status'
	);
	expect(left.rows).toEqual([
		{ once_key: 'k', status: 'sent', body: '', recipient: '' },
		{ once_key: null, status: 'waiting', body: 'b', recipient: 'a@example.com' }
	]);
	await deliver();
});

it('imports go with their rows, and then their jobs; one that is under way stays', async () => {
	const take = async (name: string) => {
		const content = Buffer.from(`Trading name\n${name}\n`);
		const id = await takeIn(t.admin, { type: 'customer', name: `${name}.csv`, content });
		const { settings } = (await importOf(t.workspace, id))!;
		await begin(t.admin, id, 'import', settings as Settings);
	};
	await take('Ended');
	await workAll();
	await take('Under way');
	await db().query(
		"update import set at = now() - interval '9 days'; update job set queued_at = now() - interval '9 days', ended_at = ended_at - interval '9 days'"
	);
	expect(await forgetBeyond(db(), t.workspace, { jobs: 7 })).toEqual({});
	expect(await forgetBeyond(db(), t.workspace, { imports: 7, jobs: 7 })).toEqual({
		imports: 1,
		jobs: 1
	});
	expect([await count('import'), await count('import_row'), await count('job')]).toEqual([1, 1, 1]);
	await workAll();
});
