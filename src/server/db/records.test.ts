/** Lists of records: sorted in the database as people would sort them, page by page, whatever is asked. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { withField, type Schema } from '../../core';
import { freshDatabase } from '../../../tests/fresh';
import { inForce, save } from '../records';
import { changeModel } from '../../../tests/model';
import { readModel } from './model';
import { db } from './pool';
import { searchRecords } from './records';

let t: Awaited<ReturnType<typeof freshDatabase>>;
let schema: Schema;
/** Beside those of the demo; a sign at the end of each name tells them from those. */
const made: [name: string, country: string | null, headcount: string | null][] = [
	['beta', 'Poland', '9'],
	['Alpha', 'Netherlands', '10'],
	['ALPHA two', null, null],
	['Gamma', 'Netherlands', '100'],
	['100% Herbs', 'Germany', null]
];
beforeAll(async () => {
	t = await freshDatabase();
	for (const [name, country, headcount] of made)
		await save({ workspace: t.workspace, account: t.author, entryPoint: 'api', instant: 0 }, [
			{
				type: 'customer',
				id: null,
				keep: [],
				sent: [
					['trading_name', `${name} §`],
					...(country ? [['country', country] as [string, string]] : []),
					...(headcount ? [['headcount', headcount] as [string, string]] : [])
				]
			}
		]);
	({ schema } = await inForce(db(), t.workspace));
});
afterAll(() => t.drop());

const list = async (
	sort: { id: string; desc: boolean } | null,
	{ find = '§', page = 0, size = 50 } = {}
) => {
	const r = await searchRecords(db(), schema, t.workspace, 'customer', find, page, size, sort);
	const i = schema.type('customer').at.get('trading_name')!;
	return { names: r.records.map((x) => String(x.values[i]).replace(' §', '')), total: r.total };
};
const by = (id: string, desc = false) => ({ id, desc });

describe('a list of records', () => {
	it('has the newest first where nobody sorted it', async () => {
		expect((await list(null)).names).toEqual([...made].reverse().map(([n]) => n));
		expect((await list(by('id'))).names).toEqual(made.map(([n]) => n));
	});
	it('is sorted by texts whatever their case', async () => {
		const names = ['100% Herbs', 'Alpha', 'ALPHA two', 'beta', 'Gamma'];
		expect((await list(by('trading_name'))).names).toEqual(names);
		expect((await list(by('trading_name', true))).names).toEqual([...names].reverse());
	});
	it('is sorted by numbers by size, blank last whichever way', async () => {
		const sized = ['beta', 'Alpha', 'Gamma'];
		expect((await list(by('headcount'))).names.slice(0, 3)).toEqual(sized);
		expect((await list(by('headcount', true))).names.slice(0, 3)).toEqual([...sized].reverse());
	});
	it('is sorted by options in the order of their list', async () => {
		const options = schema.lists.get('country')!.options.map((o) => o.label);
		const place = (c: string | null) => (c === null ? Infinity : options.indexOf(c));
		const { names } = await list(by('country'));
		const places = names.map((n) => place(made.find(([m]) => m === n)![1]));
		expect(places).toEqual([...places].sort((a, b) => a - b));
		expect(places.at(-1)).toBe(Infinity);
	});
	it('can be sorted by every field of every type', async () => {
		for (const { type } of schema.types.values())
			for (const f of type.fields)
				for (const desc of [false, true])
					await searchRecords(db(), schema, t.workspace, type.id, '', 0, 5, { id: f.id, desc });
	});
	it('comes page by page, each record once', async () => {
		const sort = by('country');
		const pages = await Promise.all([0, 1, 2, 3].map((page) => list(sort, { page, size: 2 })));
		expect(pages.map((p) => p.names.length)).toEqual([2, 2, 1, 0]);
		expect(pages.every((p) => p.total === made.length)).toBe(true);
		expect(pages.flatMap((p) => p.names)).toEqual((await list(sort)).names);
	});
	it('finds what is typed as it stands, signs of patterns too', async () => {
		expect((await list(by('trading_name'), { find: 'alpha' })).names).toEqual([
			'Alpha',
			'ALPHA two'
		]);
		expect(await list(null, { find: '100%' })).toEqual({ names: ['100% Herbs'], total: 1 });
		expect(await list(null, { find: '%' })).toEqual({ names: ['100% Herbs'], total: 1 });
		expect(await list(null, { find: '_' })).toEqual({ names: [], total: 0 });
	});
	it('is not sorted by what is no field', async () => {
		for (const id of ['no_such', 'constructor', '__proto__', 'id; drop table change'])
			await expect(list(by(id))).rejects.toThrow('has no field');
	});
});

describe('a field that is retired', () => {
	it('leaves the short form and the list of its type, and comes back to neither by itself', async () => {
		const type = async () =>
			(await readModel(db(), t.workspace)).model.types.find((x) => x.id === 'customer')!;
		const before = await type();
		const id = before.columns.find((c) => before.short.includes(c) && c !== before.title)!;
		expect(id).toBeTruthy();
		await changeModel(t.author, (m) => withField(m, 'customer', id, { retired: true }));
		const retired = await type();
		expect(retired.columns).toEqual(before.columns.filter((c) => c !== id));
		expect(retired.short).toEqual(before.short.filter((c) => c !== id));
		await changeModel(t.author, (m) => withField(m, 'customer', id, { retired: undefined }));
		expect((await type()).short).not.toContain(id);
	});
});
