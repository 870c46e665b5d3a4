/** Matching, messages, updates, deletion and what is put off, in PostgreSQL. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { JsonValue } from '../../core';
import { carryOn } from '../jobs/turn';
import { pendingOf, waitingAmong } from '../db/carried';
import { alongLinks, tallies } from '../db/journal';
import { journalOf } from '../db/journal-lines';
import { indexMatched, keyColumn } from '../db/model';
import { db, transaction } from '../db/pool';
import { readHistory } from '../db/history';
import { matchingIds } from '../db/records';
import type { RefusedChange } from '.';
import { inForce, remove, save } from '.';
import { importCsv } from '../../../tests/csv';
import { readOutbox } from '../db/outbox';
import { deliver } from '../outside/outbox';
import { freshDatabase } from '../../../tests/fresh';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 30, contacts: 40, leads: 10, deals: 60 });
});
afterAll(() => t.drop());

const NOW = Date.UTC(2026, 10, 24, 9);
const sender = (instant = NOW, most?: number) => ({
	workspace: t.workspace,
	account: t.admin,
	entryPoint: 'api' as const,
	instant,
	most
});
const put = (
	type: string,
	id: string | null,
	sent: Record<string, JsonValue>,
	instant?: number,
	most?: number
) =>
	save(sender(instant, most), [{ type, id, sent: Object.entries(sent), keep: [] }]).then(
		([o]) => o
	);
const faults = (p: Promise<unknown>) =>
	p.then(
		() => [],
		(e: RefusedChange) => e.faults.map((f) => f.message)
	);
const count = async (sql: string, ...values: unknown[]) =>
	Number((await db().query(`select count(*) as n from ${sql}`, values)).rows[0].n);

describe('matching records', () => {
	it('finds by keys that are stored and indexed', async () => {
		const made = await put('customer', null, {
			trading_name: '  Zéphyr   Görgens ',
			country: 'germany'
		});
		const lead = await put('lead', null, { company_as_typed: 'zephyr gorgens' });
		expect(lead.values.customer).toBe(made.id);
		expect(lead.changes.find((c) => c.field === 'customer')!.because).toBe(
			'Zéphyr   Görgens matches Company as typed zephyr gorgens'
		);
		const plan = await transaction(async (c) => {
			await c.query('set local enable_seqscan = off');
			const r = await c.query(
				`explain select id from r_customer where workspace = $1 and ${keyColumn('trading_name', 'loose')} = 'x'`,
				[t.workspace]
			);
			return JSON.stringify(r.rows);
		});
		expect(plan).toContain('match_');
	});
	it('by the domain where the name says nothing, and nobody where two have the name', async () => {
		const a = await put('customer', null, { trading_name: 'Twofold', e_mail: 'a@twofold.example' });
		const byDomain = await put('lead', null, {
			company_as_typed: '2 fold',
			e_mail: 'x@TWOFOLD.example'
		});
		expect(byDomain.values.customer).toBe(a.id);
		const b = await put('customer', null, { trading_name: 'TWO FOLD' });
		const lead = await put('lead', null, {
			company_as_typed: 'twofold',
			e_mail: 'x@twofold.example'
		});
		expect(lead.values.customer).toBeNull();
		const [journal] = await journalOf(db(), t.workspace, { rule: 'lead_customer' });
		expect(journal).toMatchObject({ record: lead.id, outcome: 'left' });
		await put('customer', b.id, { trading_name: 'Another' });
		// the same name written otherwise is a change, and now one customer has it
		const again = await put('lead', lead.id, { company_as_typed: 'Two  fold' });
		expect(again.values.customer).toBe(a.id);
	});
	it('on values of every type finds what SQL finds', async () => {
		const { schema } = await inForce(db(), t.workspace);
		const of = async (type: string, field: string, key: string) =>
			(await matchingIds(db(), schema, t.workspace, type, [[{ field, how: 'exact', key }]]))[0]
				.length;
		const sql = (where: string) => count(`r_customer where ${where}`);
		expect(await of('customer', 'country', 'netherlands')).toBe(
			await sql(`f_country = 'netherlands'`)
		);
		expect(await of('customer', 'headcount', '48.0')).toBe(await sql('f_headcount = 48'));
		expect(await of('customer', 'key_grower', 'true')).toBe(await sql('f_key_grower'));
		expect(await of('deal', 'customer', '1')).toBe(await count('r_deal where f_customer = 1'));
		expect(await of('customer', 'details_checked_on', '2026-11-24')).toBe(
			await sql(`f_details_checked_on = '2026-11-24'`)
		);
		await indexMatched(db(), new Map([['deal.customer', ['exact']]]));
		await indexMatched(db(), new Map([['deal.customer', ['exact']]]));
	});
	it('in an import: each row sees the rows before it', async () => {
		await importCsv(sender(), 'customer', 'Trading name\nFreshly made\n', []);
		const r = await importCsv(sender(), 'lead', 'Company as typed\nFRESHLY  MADE\nnobody\n', []);
		expect(r.ok && r.rows.map((x) => x.outcome!.values.customer !== null)).toEqual([true, false]);
	});
});

describe('messages', () => {
	const contacts = async (customer: string) => {
		await put('contact', null, {
			full_name_as_received: 'Ilse Ooster',
			e_mail: 'ilse@x.example',
			customer
		});
		await put('contact', null, { full_name_as_received: 'Bram Veen', customer });
		await put('contact', null, {
			full_name_as_received: 'Noor Dal',
			e_mail: 'noor@x.example',
			customer
		});
	};
	const lying = (customer: string) =>
		count(`outbox where status <> 'dropped' and type = 'customer' and record = $1`, customer);

	it('leave on commit only, once for the quarter, with history that says to whom', async () => {
		const { id } = await put('customer', null, {
			trading_name: 'Season Growers',
			country: 'germany'
		});
		await contacts(id);
		const first = await put('customer', id, { season_notice: true });
		expect([first.sent, await lying(id)]).toEqual([2, 2]);
		const [entry] = await readHistory(db(), t.workspace, 'customer', id);
		expect(entry.lines.find((l) => l.outcome === 'sent')).toMatchObject({
			now: '2',
			because: 'it writes to 2 of 3 contacts, leaving out 1 without an address'
		});
		await put('customer', id, { season_notice: false });
		expect((await put('customer', id, { season_notice: true })).sent).toBe(0);
		await contacts(id);
		await put('customer', id, { season_notice: false });
		// two more contacts, with addresses that were written to already
		expect((await put('customer', id, { season_notice: true })).sent).toBe(0);
		await put('customer', id, { season_notice: false });
		const next = Date.UTC(2027, 0, 4, 9);
		expect((await put('customer', id, { season_notice: true }, next)).sent).toBe(2);
		expect(await lying(id)).toBe(4);
		// those that left in their period already are kept as doubles of what left then
		const doubles = await db().query<{ recipient: string; of: string }>(
			`select d.recipient, o.recipient as of from outbox d join outbox o on o.id = d.double_of
			 where d.status = 'dropped' and d.type = 'customer' and d.record = $1 and o.status <> 'dropped'`,
			[id]
		);
		expect(doubles.rows).toHaveLength(4);
		expect(doubles.rows.every((x) => x.recipient === x.of)).toBe(true);
	});
	it('a refused change sends nothing', async () => {
		const { id } = await put('customer', null, { trading_name: 'Refused Growers' });
		await contacts(id);
		const refused = await faults(put('customer', id, { season_notice: true, vat_number: 'NL000' }));
		expect(refused).toHaveLength(1);
		expect(await lying(id)).toBe(0);
	});
	it('are handed over afterwards, each for itself: one with a bad address holds up no other', async () => {
		await deliver(10_000);
		const { id } = await put('customer', null, { trading_name: 'Delivered Growers' });
		await put('contact', null, {
			full_name_as_received: 'Ilse',
			e_mail: 'no address',
			customer: id
		});
		await put('contact', null, {
			full_name_as_received: 'Noor',
			e_mail: 'noor@y.example',
			customer: id
		});
		await put('customer', id, { season_notice: true });
		expect((await readOutbox(db(), t.workspace)).counts.waiting).toBe(2);
		expect((await Promise.all([deliver(), deliver(), deliver()])).reduce((a, b) => a + b)).toBe(2);
		const { entries, counts } = await readOutbox(db(), t.workspace);
		expect(counts.waiting).toBe(0);
		expect(entries.slice(0, 2).map((m) => [m.recipient, m.status])).toEqual([
			['noor@y.example', 'sent'],
			['no address', 'refused']
		]);
		expect(entries[1].trouble).toContain('no e-mail address');
	});
	it('the review reminder comes when a deal comes to exceed what its customer has ordered', async () => {
		const { id } = await put('customer', null, {
			trading_name: 'Review Growers',
			country: 'poland'
		});
		await put('deal', null, { customer: id, stage: 'won', amount: '1000' });
		const deal = await put('deal', null, { customer: id, stage: 'enquiry', amount: '900' });
		expect(deal.sent).toBe(0);
		expect((await put('deal', deal.id, { amount: '1200' })).sent).toBe(1);
		expect((await put('deal', deal.id, { amount: '1300' })).sent).toBe(0);
		// the deal that was won falls away: others exceed it now, and nobody touched them
		const { entries } = await readOutbox(db(), t.workspace);
		expect(entries[0]).toMatchObject({
			recipient: 'ewa.malinko@quillmere.example',
			rule: 'review'
		});
		expect(entries[0].body).toContain('1200 EUR, more than the 1000 EUR');
	});
});

describe('an update of each related record', () => {
	it('comes with the change of the other one, all or nothing, with history on each', async () => {
		const { id } = await put('customer', null, { trading_name: 'Key Growers' });
		const open = await put('deal', null, { customer: id, stage: 'quotation', kind: 'service' });
		const won = await put('deal', null, { customer: id, stage: 'won', kind: 'service' });
		const r = await put('customer', id, { key_grower: true });
		expect(r.reached).toEqual([
			{
				type: 'deal',
				id: open.id,
				fields: expect.arrayContaining(['site_survey_needed', 'survey_fee'])
			}
		]);
		const [last] = await readHistory(db(), t.workspace, 'deal', open.id);
		expect(last.lines.map((l) => l.ruleName).sort()).toEqual([
			'Open deals of a new key grower are surveyed',
			'Survey fee'
		]);
		expect(Object.values(await alongLinks(db(), [last.change], { type: 'customer', id }))).toEqual([
			[{ type: 'deal', record: open.id, fields: 2 }]
		]);
		expect(await readHistory(db(), t.workspace, 'deal', won.id)).toHaveLength(1);
		await put('deal', open.id, { site_survey_needed: false });
		await put('customer', id, { phone: '+31 20 794 0311' });
		const { rows } = await db().query(
			'select f_site_survey_needed as s from r_deal where id = $1',
			[open.id]
		);
		expect(rows[0].s).toBe(false);
	});
});

describe('deleting', () => {
	it('is refused while a link says so, and blanks those that say that', async () => {
		const { id } = await put('customer', null, { trading_name: 'Leaving Growers' });
		const contact = await put('contact', null, { full_name_as_received: 'Ilse', customer: id });
		const deal = await put('deal', null, { customer: id, stage: 'won', amount: '500' });
		expect(await faults(remove(sender(), { type: 'customer', id }))).toEqual([
			'A deal links to it by Customer, so it is kept. Link it elsewhere first.'
		]);
		const other = await put('customer', null, { trading_name: 'Staying Growers' });
		await put('deal', deal.id, { customer: other.id });
		await remove(sender(), { type: 'customer', id });
		expect(await count('r_customer where id = $1', id)).toBe(0);
		expect(await count('r_contact where id = $1 and f_customer is null', contact.id)).toBe(1);
		const [last] = await readHistory(db(), t.workspace, 'contact', contact.id);
		expect(last.lines).toMatchObject([{ field: 'customer', was: id, now: null }]);
		const [gone] = await readHistory(db(), t.workspace, 'customer', id);
		expect(gone.lines).toMatchObject([
			{ outcome: 'deleted', was: { trading_name: 'Leaving Growers' } }
		]);
	});
	it('makes roll-ups follow', async () => {
		const { id } = await put('customer', null, { trading_name: 'Counting Growers' });
		const deal = await put('deal', null, { customer: id, stage: 'won', amount: '500' });
		const value = async () =>
			(await db().query('select f_order_value_to_date as v from r_customer where id = $1', [id]))
				.rows[0].v;
		expect(await value()).toBe('500');
		await remove(sender(), { type: 'deal', id: deal.id });
		expect(await value()).toBe('0');
	});
	it('needs the version that was seen, and the record', async () => {
		const { id } = await put('customer', null, { trading_name: 'Seen Growers' });
		await put('customer', id, { phone: '+31 20 794 0311' });
		expect((await faults(remove(sender(), { type: 'customer', id, version: 1 })))[0]).toContain(
			'Somebody else'
		);
		expect((await faults(remove(sender(), { type: 'customer', id: '999999' })))[0]).toContain(
			'no customer'
		);
		expect(await count('r_customer where id = $1', id)).toBe(1);
	});
});

describe('a change that runs on to more records than one transaction takes', () => {
	const limits = (id: string) =>
		db()
			.query(
				'select count(*)::int as n, f_discount_limit_percent as l from r_deal where f_customer = $1 group by 2 order by 2',
				[id]
			)
			.then((r) => r.rows.map((x) => `${x.l} × ${x.n}`));

	it('settles the rest afterwards, shows what waits, and ends as if it had been one', async () => {
		const { id } = await put('customer', null, { trading_name: 'Wide Growers', headcount: '60' });
		for (let i = 0; i < 30; i++)
			await put('deal', null, { customer: id, kind: 'new_build', stage: 'enquiry', amount: '10' });
		expect(await limits(id)).toEqual(['8 × 30']);
		const wide = await put('customer', id, { headcount: '9' }, NOW, 12);
		expect(wide.pending).toBe(18);
		expect(await limits(id)).toEqual(['5 × 12', '8 × 18']);
		expect(await pendingOf(db(), t.workspace)).toEqual({
			counts: [{ type: 'deal', n: 18 }],
			stuck: 0
		});
		expect(await waitingAmong(db(), t.workspace, 'deal', ['1'])).toEqual(new Set());
		// a record changed meanwhile is settled by what holds then
		const { rows } = await db().query('select record::text as id from pending_record limit 1');
		await put('deal', rows[0].id, { kind: 'spare_parts' });
		// several servers at once
		const done = await Promise.all([carryOn(), carryOn(), carryOn()]);
		expect(done.reduce((a, b) => a + b)).toBe(18);
		expect(await limits(id)).toEqual(['0 × 1', '5 × 29']);
		expect((await pendingOf(db(), t.workspace)).counts).toEqual([]);
		expect(await count('carried_change')).toBe(0);
	});
	it('carries events on as well: what the customer was before counts', async () => {
		const { id } = await put('customer', null, { trading_name: 'Wide Key Growers' });
		for (let i = 0; i < 12; i++) await put('deal', null, { customer: id, stage: 'enquiry' });
		await put('customer', id, { key_grower: true }, NOW, 5);
		await carryOn();
		expect(await count('r_deal where f_customer = $1 and f_site_survey_needed', id)).toBe(12);
	});
	it('a record that cannot be settled is shown and holds up no other', async () => {
		const { id } = await put('customer', null, { trading_name: 'Stuck Growers', headcount: '60' });
		for (let i = 0; i < 6; i++)
			await put('deal', null, { customer: id, kind: 'new_build', stage: 'enquiry' });
		await put('customer', id, { headcount: '9' }, NOW, 2);
		const { rows } = await db().query('select record::text as id from pending_record limit 1');
		await db().query(
			`create or replace function stuck() returns trigger language plpgsql as $$ begin raise exception 'disk is full'; end $$`
		);
		await db().query(
			`create trigger stuck before update on r_deal for each row when (new.id = ${rows[0].id}) execute function stuck()`
		);
		await carryOn();
		expect(await pendingOf(db(), t.workspace)).toEqual({
			counts: [{ type: 'deal', n: 1 }],
			stuck: 1
		});
		expect(await waitingAmong(db(), t.workspace, 'deal', ['1', rows[0].id])).toEqual(
			new Set([rows[0].id])
		);
		expect(await limits(id)).toEqual(['5 × 5', '8 × 1']);
		await db().query('drop trigger stuck on r_deal');
		await db().query('update pending_record set attempts = 0');
		await carryOn();
		expect(await limits(id)).toEqual(['5 × 6']);
	});
});

describe('the journal', () => {
	it('tells of each rule how often it wrote, did nothing and failed', async () => {
		const from = new Date(NOW + 86_400_000).toISOString();
		const later = NOW + 2 * 86_400_000;
		const { id } = await put(
			'customer',
			null,
			{ trading_name: 'Told Growers', headcount: '60' },
			later
		);
		await put('customer', id, { headcount: '61' }, later);
		await put('customer', id, { size_class: 'large' }, later);
		const all = await tallies(db(), t.workspace, from);
		const size = all.find((x) => x.rule === 'size_class')!;
		expect(size).toMatchObject({
			name: 'Size class follows headcount',
			wrote: 1,
			setAside: 1,
			failed: 0
		});
		expect(size.quiet['same value']).toBeGreaterThanOrEqual(1);
		const lines = await journalOf(db(), t.workspace, { rule: 'size_class' }, { size: 3 });
		expect(lines.map((l) => l.outcome)).toContain('set aside');
		expect((await journalOf(db(), t.workspace, { rule: 'size%class' })).length).toBe(0);
	});
});
