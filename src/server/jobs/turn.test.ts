/** What is done beside requests: one thing that fails keeps nothing else from being done. */
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { insertJob, readJob } from '../db/jobs';
import { db, transaction } from '../db/pool';
import { turn } from './turn';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase({ customers: 1, contacts: 0, leads: 0, deals: 0 });
});
afterAll(() => t.drop());

it('a change that cannot even be read keeps no job from being told as given up', async () => {
	const { workspace, author } = t;
	const { rows } = await db().query<{ id: string }>(
		`insert into carried_change (workspace, change, account, entry_point, at, before)
		 values ($1, null, $2, 'full', now(), '7') returning id`,
		[workspace, author.id]
	);
	const [{ id }] = rows;
	await db().query(
		`insert into pending_record (carried, type, record, touched) values ($1, 'customer', 1, '{}')`,
		[id]
	);
	const job = await transaction((c) =>
		insertJob(c, { workspace, kind: 'bulk look', title: '', account: author.id, input: {} })
	);
	// its place in the queue was lost an hour ago
	await db().query(`select graphile_worker.remove_job($1)`, [job]);
	await db().query(`update job set queued_at = now() - interval '1 hour' where id = $1`, [job]);
	expect(await turn()).toBe(false);
	expect(await readJob(db(), job)).toMatchObject({ state: 'failed' });
	await db().query('delete from carried_change where id = $1', [id]);
	expect(await turn()).toBe(true);
});
