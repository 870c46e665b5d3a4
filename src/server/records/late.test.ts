/** What a change turns out to read is locked when it is known, in PostgreSQL: without beginning again where nobody has it. */
import pg from 'pg';
import { afterAll, afterEach, beforeAll, describe, expect, it, vi } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { refKey, type Value } from '../../core';
import { db, transaction } from '../db/pool';
import { readRecords } from '../db/records';
import { inForce, save } from '.';
import { lockLate, locking, type Locks } from './locks';

let t: Fresh;
let customer: string;
let engineer: string;
beforeAll(async () => {
	t = await freshDatabase({ customers: 5, contacts: 5, leads: 5, deals: 5 });
	const { rows } = await db().query<{ id: string; engineer: string }>(
		'select id, f_account_engineer as engineer from r_customer where f_account_engineer is not null order by id limit 1'
	);
	({ id: customer, engineer } = rows[0]);
});
afterEach(() => vi.restoreAllMocks());
afterAll(() => t.drop());

/** A deal so large that the engineer of its customer is told: rules read who that is by two links. */
const large = () =>
	save(
		{
			workspace: t.workspace,
			account: t.author,
			entryPoint: 'full',
			instant: Date.UTC(2026, 10, 24, 9)
		},
		[
			{
				type: 'deal',
				id: null,
				sent: [
					['customer', customer],
					['amount', '90000000']
				],
				keep: []
			}
		]
	);

const toldTo = async (deal: string) =>
	(
		await db().query<{ recipient: string }>(
			"select recipient from outbox where type = 'deal' and record = $1",
			[deal]
		)
	).rows.map((x) => x.recipient);

describe('what a change turns out to read', () => {
	it('is locked in the transaction that found it out', async () => {
		const asked = vi.spyOn(pg.Client.prototype, 'query');
		const [deal] = await large();
		const texts = asked.mock.calls.map(([q]) =>
			typeof q === 'string' ? q : (q as pg.QueryConfig).text
		);
		expect(texts.filter((x) => x === 'begin')).toHaveLength(1);
		expect(texts.filter((x) => x === 'rollback')).toEqual([]);
		expect(
			texts.filter((x) => /from r_engineer .* for no key update skip locked$/.test(x))
		).toHaveLength(1);
		expect(await toldTo(deal.id)).toHaveLength(1);
	});

	it('is waited for where somebody changes it, and counts as they store it', async () => {
		const address = 'moved@quillmere.example';
		let saved!: ReturnType<typeof large>;
		await transaction(async (c) => {
			await c.query('update r_engineer set f_e_mail = $2 where id = $1', [engineer, address]);
			let done = false;
			saved = large().finally(() => (done = true));
			// it waits for this transaction, and for nothing else
			await vi.waitFor(async () => {
				const { rows } = await db().query<{ n: number }>(
					`select count(*)::int as n from pg_stat_activity
					 where datname = current_database() and wait_event_type = 'Lock' and query like '%r_engineer%for no key update%' and query not like '%skip locked%'`
				);
				expect(rows[0].n).toBe(1);
			}, 20_000);
			expect(done).toBe(false);
		});
		const [deal] = await saved;
		expect(await toldTo(deal.id)).toEqual([address]);
	});
});

describe('locking late', () => {
	/** Locks the engineer late, as if rules had read it so. @returns what had to be locked from the beginning, or nothing */
	const late = (
		read: (is: readonly Value[]) => readonly Value[],
		parents: ReadonlySet<string> = new Set()
	) =>
		transaction(async (c) => {
			const { schema, pilot } = await inForce(c, t.workspace);
			const [is] = await readRecords(c, schema, t.workspace, 'engineer', [engineer]);
			const loader = {
				record: () => read(is.values),
				related: () => undefined,
				matching: () => undefined
			};
			const locks: Locks = new Map();
			const wanted = [{ type: 'engineer', id: engineer }];
			const found = await lockLate(c, t.workspace, schema, wanted, new Map(), locks, pilot, {
				loader,
				parents
			}).catch((e: unknown) => e);
			expect([...locks]).toEqual([['engineer', new Set([engineer])]]);
			return found;
		});

	it('gives what it locks, which is as it was read', async () => {
		expect(await late((is) => is)).toMatchObject([{ type: 'engineer', id: engineer }]);
	});

	it('begins again where a value was another', async () => {
		expect(await late((is) => is.map((v, i) => (i === 0 ? 'Somebody else' : v)))).toBeInstanceOf(
			Error
		);
	});

	it('begins again where something was read behind its links', async () => {
		expect(await late((is) => is, new Set([refKey('engineer', engineer)]))).toBeInstanceOf(Error);
	});

	it('begins again where somebody has it, with that locked from the beginning', async () => {
		const seen: (string[] | undefined)[] = [];
		await transaction(async (other) => {
			await other.query('select from r_engineer where id = $1 for update', [engineer]);
			expect(await late((is) => is)).toBeInstanceOf(Error);
		});
		await locking(async (c, locks) => {
			seen.push([...(locks.get('engineer') ?? [])]);
			if (seen.length > 1) return;
			const { schema, pilot } = await inForce(c, t.workspace);
			const wanted = [{ type: 'engineer', id: '999999' }];
			const atHand = {
				loader: { record: () => null, related: () => undefined, matching: () => undefined },
				parents: new Set<string>()
			};
			await lockLate(c, t.workspace, schema, wanted, new Map(), locks, pilot, atHand);
		});
		expect(seen).toEqual([[], ['999999']]);
	});
});
