/** Records named by a file of keys, in PostgreSQL. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { checkKeys } from '../../door/lists';
import { db } from '../db/pool';
import { inForce, save } from '../records';
import { findByKeys } from './keys';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const find = async (text: string, by = 'No.', type = 'customer') =>
	findByKeys(
		db(),
		(await inForce(db(), t.workspace)).schema,
		t.workspace,
		checkKeys({ type, by, text })
	);

/** Gives a customer a VAT number (made-up holders; the check digits fit). */
const vat = (id: string, v: string) =>
	save({ workspace: t.workspace, account: t.author, entryPoint: 'api', instant: Date.now() }, [
		{ type: 'customer', id, keep: [], sent: [['vat_number', v]] }
	]);

describe('a file of keys', () => {
	it('of numbers names each record once, and tells the lines that name none', async () => {
		const found = await find('7\nNo. 3\n007\n\n99999\nseven\n 12 \n-1\n1e1\n1234567890123456789\n');
		expect(found).toMatchObject({ ids: ['7', '3', '12'], lines: 9, again: 1, unfound: 5 });
		expect(found.first.map((u) => [u.line, u.text])).toEqual([
			[5, '99999'],
			[6, 'seven'],
			[8, '-1'],
			[9, '1e1'],
			[10, '1234567890123456789']
		]);
		expect(found.first[0].why).toBe('names no customer');
	});

	it('finds by what other systems know records by, however it is written', async () => {
		const [a, b] = [
			{ id: '4', v: 'DE136695976' },
			{ id: '5', v: 'BE0428759497' }
		];
		await vat(a.id, a.v);
		await vat(b.id, b.v);
		const table = `Name;VAT number;Town\nA;${a.v.toLowerCase()};X\nB; ${b.v} ;Y\nC;;Z\nD;NL000;W\n`;
		expect(await find(table, 'vat_number')).toMatchObject({
			ids: [a.id, b.id],
			lines: 3,
			unfound: 1
		});
		// a list without a heading, and one with
		expect((await find(`${b.v}\n${a.v}`, 'vat_number')).ids).toEqual([b.id, a.id]);
		expect((await find(`\uFEFFVAT number\r\n${a.v}\r\n`, 'vat_number')).ids).toEqual([a.id]);
		// as a sheet guards a cell
		expect((await find(`No.\n'=7\n7`)).ids).toEqual(['7']);
	});

	it('that names several by one key says which', async () => {
		await vat('8', 'NL004495445B01');
		await vat('9', 'NL004495445B01');
		const found = await find('nl004495445b01', 'vat_number');
		expect(found.ids).toEqual([]);
		expect(found.first[0].why).toMatch(/^names several customers: numbers 8, 9$/);
	});

	it('is refused with what would be right', async () => {
		await expect(find('')).rejects.toThrow('empty');
		await expect(find('\n\n')).rejects.toThrow(/empty|no key/);
		await expect(find('a,b\n1,2')).rejects.toThrow('Line 1 names no column “No.”');
		await expect(find('"1\n2')).rejects.toThrow('quotation marks do not match up');
		await expect(find('1', 'trading_name')).rejects.toThrow('a field that is a key');
		await expect(find('1', 'constructor')).rejects.toThrow('a field that is a key');
		await expect(find('1', 'No.', 'constructor')).rejects.toThrow('no record type');
		expect(() => checkKeys({ type: 'customer', by: 'No.', text: 'x'.repeat(2_000_001) })).toThrow();
	});

	it('of twenty thousand lines is found in one go; of more records than can be chosen it says so', async () => {
		const many = Array.from({ length: 20_000 }, (_, i) => String(i + 1)).join('\n');
		expect(await find(many)).toMatchObject({ lines: 20_000, ids: expect.any(Array) });
	});
});
