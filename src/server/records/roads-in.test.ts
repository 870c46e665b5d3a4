/** Links given by keys, and batches of the API: decided the same as one record at a time. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { JsonValue } from '../../core';
import { answerEach, answerTogether, readBatch, type BatchResult } from '../http/api';
import { db } from '../db/pool';

import { RefusedChange, save, saveInOrder } from '.';
import { BadInput } from '../../door';
import { importCsv } from '../../../tests/csv';
import { freshDatabase } from '../../../tests/fresh';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 20, contacts: 5, leads: 5, deals: 20 });
});
afterAll(() => t.drop());

const sender = (entryPoint: 'api' | 'import' = 'api') => ({
	workspace: t.workspace,
	account: t.admin,
	entryPoint,
	instant: Date.UTC(2026, 10, 24, 9)
});
const put = (type: string, id: string | null, sent: Record<string, unknown>) =>
	save(sender(), [{ type, id, sent: Object.entries(sent), keep: [] }]).then(([o]) => o);
const refusal = (p: Promise<unknown>) =>
	p.then(
		() => 'kept',
		(e: RefusedChange) => e.faults.map((f) => `${f.field}: ${f.message}`).join(' ')
	);
const count = async (sql: string) =>
	Number((await db().query(`select count(*) as n from ${sql}`)).rows[0].n);

// VAT numbers of the kinds that the check knows: an invented one of the Netherlands with its check digits
const VAT = 'NL123456789B13';

describe('a link given by a key', () => {
	let customer: string;
	beforeAll(async () => {
		customer = (
			await put('customer', null, {
				trading_name: 'Keyed Growers',
				location_number: '4012345000009'
			})
		).id;
	});

	it('finds the one record that has it, whatever its spaces', async () => {
		const deal = await put('deal', null, { customer: { location_number: ' 4012345000009 ' } });
		expect(deal.values.customer).toBe(customer);
		const back = await put('deal', deal.id, { customer: null });
		expect(back.values.customer).toBeNull();
	});
	it('none, several, a blank one and what is no key are errors of that record that name it', async () => {
		const to = (by: Record<string, unknown>) => refusal(put('deal', null, { customer: by }));
		expect(await to({ location_number: '4099999000005' })).toBe(
			'customer: Customer: no customer has Location number “4099999000005”.'
		);
		expect(await to({ location_number: '' })).toContain('is blank, so it names no record');
		expect(await to({})).toContain('No key is given');
		expect(await to({ trading_name: 'Keyed Growers' })).toContain(
			'“trading_name” is no key of a customer. Its keys: “vat_number”, “location_number”.'
		);
		const twin = await put('customer', null, {
			trading_name: 'Keyed Growers Two',
			location_number: '4012345000009'
		});
		expect(await to({ location_number: '4012345000009' })).toContain(
			`several customers have Location number “4012345000009”: numbers ${customer}, ${twin.id}.`
		);
		expect(await refusal(put('lead', null, { owner: { e_mail: 5 } }))).toContain('E-mail');
		await put('customer', twin.id, { location_number: null });
	});
	it('in a file is a column of the key; each row has its own outcome', async () => {
		const r = await importCsv(
			sender('import'),
			'deal',
			'Customer.Location number,Stage,Amount\n4012345000009,Won,100\n4099999000005,Won,100\n,Won,100\n',
			[]
		);
		expect(r.ok && r.columns).toEqual(['Customer, by Location number', 'Stage', 'Amount']);
		const rows = r.ok ? r.rows : [];
		expect(rows.map((x) => x.outcome?.values.customer ?? x.faults[0]?.message ?? null)).toEqual([
			customer,
			'Customer: no customer has Location number “4099999000005”.',
			null
		]);
		const odd = await importCsv(sender('import'), 'deal', 'Customer.Phone\n1\n', []);
		expect(odd).toMatchObject({ ok: false, message: expect.stringContaining('“Customer.Phone”') });
		const twice = await importCsv(
			sender('import'),
			'deal',
			'Customer,Customer.VAT number\n1,2\n',
			[]
		);
		expect(twice).toMatchObject({
			ok: false,
			message: 'Two columns are taken for Customer. Leave one of them out.'
		});
	});
});

describe('a batch of the API', () => {
	const request = (body: unknown) =>
		new Request('http://x.example', { method: 'POST', body: JSON.stringify(body) });
	const deal = (values: Record<string, JsonValue>, id?: string) => ({
		type: 'deal',
		...(id ? { id } : {}),
		values
	});
	const send = async (allOrNothing: boolean, records: unknown[]) => {
		const { submissions } = await readBatch(request({ allOrNothing, records }));
		const changes = allOrNothing ? [submissions] : submissions.map((s) => [s]);
		const outcomes = await saveInOrder(sender(), changes);
		const [first] = outcomes;
		if (allOrNothing && first instanceof RefusedChange) throw first;
		const format = allOrNothing ? answerTogether : answerEach(submissions);
		return format(outcomes).body as { results: BatchResult[] };
	};

	it('all or nothing: one change of all, or the place of the one that refuses and nothing kept', async () => {
		const before = await count('change');
		const r = await send(true, [
			{ type: 'customer', values: { trading_name: 'Batch Growers', headcount: 60 } },
			deal({ customer: '1', stage: 'won', amount: '10' }),
			deal({ stage: 'won' }, '2')
		]);
		expect(r.results.map((x) => 'type' in x && x.type)).toEqual(['customer', 'deal', 'deal']);
		expect(await count('change')).toBe(before + 1);
		const all = await count('r_customer');
		const failing = send(true, [
			{ type: 'customer', values: { trading_name: 'Nobody' } },
			{ type: 'customer', values: { trading_name: 'No VAT', vat_number: `${VAT}9` } }
		]);
		await expect(failing).rejects.toMatchObject({ index: 1, status: 422 });
		expect(await count('r_customer')).toBe(all);
	});
	it('each for itself: a refused one harms no other, and says why', async () => {
		const all = await count('r_customer');
		const { results } = await send(false, [
			{ type: 'customer', values: { trading_name: 'First' } },
			{ type: 'customer', values: { headcount: 'many' } },
			{ type: 'gone', values: {} },
			{ type: 'customer', id: '999999', values: {} },
			{ type: 'customer', values: { trading_name: 'Last' } }
		]);
		expect(results.map((x) => 'status' in x && x.status)).toEqual([201, 400, 404, 404, 201]);
		expect(results[1]).toMatchObject({ faults: [{ field: 'headcount' }] });
		expect(await count('r_customer')).toBe(all + 2);
	});
	it('decides as one record at a time does', async () => {
		const one = await put('customer', null, { trading_name: 'Alone', headcount: '49' });
		const { results } = await send(false, [
			{ type: 'customer', values: { trading_name: 'Alone', headcount: '49' } }
		]);
		const [r] = results;
		expect('outcome' in r && r.outcome.values).toEqual(one.values);
	});
	it.each([
		[[], 'an object with “records”'],
		[{ records: [] }, 'allOrNothing must be'],
		[{ allOrNothing: true, records: [] }, 'at least one'],
		[{ allOrNothing: true, records: [1] }, 'records[0]: this must be an object'],
		[{ allOrNothing: true, records: [{ values: {} }] }, 'records[0]: type'],
		[{ allOrNothing: true, records: [{ type: 'deal', id: 7, values: {} }] }, 'records[0]: id'],
		[{ allOrNothing: true, records: [{ type: 'deal' }] }, 'records[0]: values'],
		[{ allOrNothing: true, records: [{ type: 'deal', values: {}, odd: 1 }] }, '“odd”'],
		[
			{
				allOrNothing: true,
				records: [
					{ type: 'deal', id: '1', values: {} },
					{ type: 'deal', id: '1', values: {} }
				]
			},
			'records[1]: this is the record of records[0]'
		],
		[
			{ allOrNothing: false, records: Array.from({ length: 1001 }, () => ({})) },
			'may have 1000 records'
		]
	])('that cannot be read is refused by its place (case %#)', async (body, message) => {
		const e = await readBatch(request(body)).catch((x: unknown) => x);
		expect(e).toBeInstanceOf(BadInput);
		expect((e as BadInput).message).toContain(message);
	});
});
