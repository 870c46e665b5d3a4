/** What history keeps of a change beside what it did: what was sent, by which job, what was made and whose it was. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { inForce, remove, save, type Sender } from '../records';
import { readHistory, tellSetBy } from './history';
import { db } from './pool';
import { readRecords } from './records';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const sender = (more: Partial<Sender> = {}): Sender => ({
	workspace: t.workspace,
	account: t.admin,
	entryPoint: 'full',
	instant: Date.UTC(2026, 10, 24, 9),
	...more
});
const last = async () =>
	(
		await db().query<{ id: string; job: string | null; submission: unknown }>(
			'select id::text, job, submission from change c order by c.id desc limit 1'
		)
	).rows[0];
const line = async (record: string, field: string) =>
	(
		await db().query<{ had: string | null; change: string }>(
			`select had, change::text from history_line h where type = 'customer' and record = $1 and field = $2 and outcome = 'set'
			 order by h.change desc limit 1`,
			[record, field]
		)
	).rows[0];

describe('what was sent', () => {
	it('is kept as it was read, in the order touched, with what was to be kept and the release seen', async () => {
		const job = '7e7b1f6e-6a39-4a4b-9d3c-0a3b7d3f1c11';
		const [made] = await save(sender({ job }), [
			{
				type: 'customer',
				id: null,
				sent: [
					['headcount', ' 060 '],
					['trading_name', '  Sent '],
					['phone', null]
				],
				keep: ['currency'],
				release: 3
			}
		]);
		expect(await last()).toMatchObject({
			job,
			submission: {
				person: t.admin.person,
				records: [
					{
						type: 'customer',
						record: made.id,
						sent: [
							['headcount', '60'],
							['trading_name', 'Sent'],
							['phone', null]
						],
						keep: ['currency'],
						release: 3
					}
				]
			}
		});
		const rows = await db().query<{ made: boolean }>(
			"select made from record_change where type = 'customer' and record = $1",
			[made.id]
		);
		expect(rows.rows).toEqual([{ made: true }]);
		// what a rule sets aside was sent all the same
		await save(sender(), [
			{ type: 'customer', id: made.id, sent: [['size_class', 'large']], keep: 'touched' }
		]);
		expect((await last()).submission).toMatchObject({
			records: [{ record: made.id, sent: [['size_class', 'large']], keep: 'touched' }]
		});
	});
	it('is kept of what rules refuse, of a record that was not made without a number', async () => {
		const wrong = save(sender(), [
			{
				type: 'deal',
				id: null,
				sent: [
					['name', 'Late'],
					['stage', 'negotiation'],
					['close_date', '2026-01-01']
				],
				keep: [],
				release: 3
			}
		]);
		await expect(wrong).rejects.toThrow();
		const { rows } = await db().query<{ submission: unknown }>(
			'select submission from refusal order by id desc limit 1'
		);
		expect(rows[0].submission).toMatchObject({
			records: [
				{
					type: 'deal',
					record: null,
					sent: [
						['name', 'Late'],
						['stage', 'negotiation'],
						['close_date', '2026-01-01']
					],
					release: 3
				}
			]
		});
	});
	it('says that a record was to be deleted', async () => {
		const [gone] = await save(sender(), [
			{ type: 'contact', id: null, sent: [['given_name', 'Gone']], keep: [] }
		]);
		await remove(sender(), { type: 'contact', id: gone.id });
		expect((await last()).submission).toMatchObject({
			records: [{ type: 'contact', record: gone.id, removed: true, sent: [] }]
		});
	});
});

describe('whose a value was', () => {
	it('stands beside what took its place, and who set it is told with the words of history', async () => {
		const put = (sent: [string, unknown][], more: Partial<Sender> = {}) =>
			save(sender(more), [{ type: 'customer', id: made.id, sent, keep: 'touched' }]);
		const [made] = await save(sender({ entryPoint: 'api' }), [
			{
				type: 'customer',
				id: null,
				sent: [
					['trading_name', 'Whose'],
					['key_grower', true]
				],
				keep: []
			}
		]);
		const by = await line(made.id, 'service_plan');
		expect(by.had).toBeNull();
		await put([['service_plan', 'on_call']]);
		const own = await line(made.id, 'service_plan');
		expect(own.had).toMatch(new RegExp(`^r ${by.change} service_plan:`));
		await put([['key_grower', false]], { entryPoint: 'import' });
		expect((await line(made.id, 'key_grower')).had).toBe(`a ${by.change} ${t.admin.id}`);
		expect((await line(made.id, 'service_plan')).had).toBe(`p ${own.change} ${t.admin.id}`);

		const { schema } = await inForce(db(), t.workspace);
		const [r] = await readRecords(db(), schema, t.workspace, 'customer', [made.id]);
		const told = await tellSetBy(db(), r);
		expect(told.key_grower).toMatchObject({ by: 'import', name: t.admin.name });
		expect(told.service_plan).toMatchObject({
			by: 'rule',
			name: t.admin.name,
			release: 3,
			rule: 'Service plan by key grower',
			because: 'Key grower is no'
		});
		const [newest] = await readHistory(db(), t.workspace, 'customer', made.id);
		expect(told.service_plan.at).toBe(newest.at);
		// what history no longer has is not told, and who set it still is
		await db().query('delete from record_change');
		await db().query(
			'delete from change c where not exists (select from outbox o where o.change = c.id)'
		);
		const after = await tellSetBy(db(), r);
		expect(after.key_grower).toMatchObject({ by: 'import', name: t.admin.name });
		expect(after.service_plan).toMatchObject({ by: 'rule', claim: expect.any(String) as string });
		expect(after.service_plan.because).toBeUndefined();
	});
});
