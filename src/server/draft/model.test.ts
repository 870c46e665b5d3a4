/** Edits of the live model in a real database: what they do to records, and what stands against them. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { changeModel, retyped } from '../../../tests/model';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import type { Field, Model } from '../../core';
import {
	Schema,
	modelEditBetween,
	toJson,
	withNewField,
	withNewList,
	withNewOptions,
	withNewType,
	withoutField,
	withoutList,
	withoutOption,
	withoutType
} from '../../core';
import { BadInput, checkModelPieces } from '../../door';
import { countHeld, countOptions, readModel, readPastFields } from '../db/model';
import { holdStill } from '../db/between';
import { db, transaction } from '../db/pool';
import { readHistory } from '../db/history';
import { matchingIds, readRecords } from '../db/records';
import { inForce, save } from '../records';
import { lookAtRetype } from './convert';
import { BadModel, ModelMoved, editModel } from './model';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const model = async () => (await readModel(db(), t.workspace)).model;
const change = (next: (m: Model) => Model, lost = 0) => changeModel(t.author, next, lost);
const fieldOf = async (type: string, id: string) => new Schema(await model()).field(type, id);
/** Makes a record by the API, or changes one. */
const put = async (type: string, values: Record<string, unknown>, id: string | null = null) => {
	const [made] = await save(
		{ workspace: t.workspace, account: t.author, entryPoint: 'api', instant: Date.now() },
		[{ type, id, sent: Object.entries(values), keep: 'touched' }]
	);
	return made;
};
const valueOf = async (type: string, id: string, field: string) => {
	const { schema } = await inForce(db(), t.workspace);
	const [r] = await readRecords(db(), schema, t.workspace, type, [id]);
	return toJson(r.values[schema.type(type).at.get(field)!]);
};
/** Who set a field of a customer, as it is stored. */
const setBy = async (record: string, field: string) =>
	(
		await db().query<{ by: string | null }>(
			'select set_by->>$2 as by from r_customer where id = $1',
			[record, field]
		)
	).rows[0].by;
const added = async (type: string, field: Omit<Field, 'id'>) => {
	let id = '';
	await change((m) => {
		const [next, made] = withNewField(m, type, field);
		id = made;
		return next;
	});
	return id;
};

describe('a new record type', () => {
	it('is there at once: for records, links to it, and their other side', async () => {
		await change((m) => withNewType(m, 'Greenhouse', 'Greenhouses')[0]);
		await added('greenhouse', {
			label: 'Grower',
			group: 'Identity',
			type: 'link',
			target: 'customer',
			inverse: 'greenhouses'
		});
		const made = await put('greenhouse', { name: 'North house', grower: '1' });
		expect(await valueOf('greenhouse', made.id, 'grower')).toBe('1');
		expect((await countHeld(db(), t.workspace, (await model()).types.at(-1)!)).held).toEqual({
			name: 1,
			grower: 1
		});
	});
	it('is not removed while there are records of it, and is without them', async () => {
		await expect(change((m) => withoutType(m, 'greenhouse'))).rejects.toThrow(
			'cannot be removed while there are 1 greenhouses'
		);
		await db().query('delete from r_greenhouse');
		await change((m) => withoutType(m, 'greenhouse'));
		expect((await model()).types.some((x) => x.id === 'greenhouse')).toBe(false);
		// and may come again
		await change((m) => withNewType(m, 'Greenhouse', 'Greenhouses')[0]);
		await change((m) => withoutType(m, 'greenhouse'));
	});
});

describe('a field of another type', () => {
	it('carries over what it can, and says before what it cannot', async () => {
		const id = await added('customer', { label: 'Boilers', group: 'Size', type: 'text' });
		const ids: string[] = [];
		for (const boilers of ['3', ' 4.50 ', 'two', 'two', '5,5'])
			ids.push((await put('customer', { trading_name: `Boiler ${boilers}`, [id]: boilers })).id);
		const before = await model();
		const after = retyped('customer', id, { type: 'number', unit: 'pc' })(before);
		const schemas = { before: new Schema(before), after: new Schema(after) };
		const what = {
			type: 'customer',
			from: schemas.before.field('customer', id)!,
			to: schemas.after.field('customer', id)!
		};
		const look = await lookAtRetype(db(), t.workspace, what, schemas);
		expect(look).toMatchObject({ of: 5, same: 0, changed: 2, lost: 3, force: [], draft: [] });
		expect(look.losses.map((l) => [l.has, l.records])).toEqual([
			['two', 2],
			['5,5', 1]
		]);
		expect(look.losses[1].why).toContain('Write decimals with a point');
		expect(look.examples[1]).toMatchObject({ has: '4.50', becomes: '4.5\u00a0pc' });
		expect(look.examples[1].title).toMatch(/^Boiler/);
		// looking changed nothing
		expect(await valueOf('customer', ids[0], id)).toBe('3');
		// nobody loses more than they have seen
		await expect(change(retyped('customer', id, { type: 'number' }))).rejects.toThrow(ModelMoved);
		await expect(change(retyped('customer', id, { type: 'number' }), 2)).rejects.toThrow(
			'3 values would be lost by it; 2 were looked at'
		);
		expect(await valueOf('customer', ids[2], id)).toBe('two');
		expect(await change(retyped('customer', id, { type: 'number', unit: 'pc' }), 3)).toMatchObject({
			lost: 3
		});
		expect(await Promise.all(ids.map((r) => valueOf('customer', r, id)))).toEqual([
			'3',
			'4.5',
			null,
			null,
			null
		]);
		expect(await setBy(ids[2], id)).toBeNull();
		expect(await setBy(ids[0], id)).not.toBeNull();
		// what is lost stands in the history, with the type it had
		const [last] = await readHistory(db(), t.workspace, 'customer', ids[2]);
		expect(last).toMatchObject({ who: t.author.name, entryPoint: 'model' });
		expect(last.lines).toMatchObject([
			{ field: id, was: 'two', now: null, because: expect.stringContaining('became another kind') }
		]);
		const past = await readPastFields(db(), t.workspace);
		expect(past.at(-1)!.field).toMatchObject({ id, type: 'text' });
		// and the field is at work as what it is now
		expect((await put('customer', { [id]: '7.25' }, ids[0])).values[id]).toBe('7.25');
		await expect(put('customer', { [id]: 'many' }, ids[0])).rejects.toThrow('is no number');
	});
	it('is found by its new key', async () => {
		const id = await added('customer', { label: 'Gate code', group: 'Place', type: 'number' });
		const { id: record } = await put('customer', { trading_name: 'Gate', [id]: '1234' });
		await change(retyped('customer', id, { type: 'text' }));
		const { schema } = await inForce(db(), t.workspace);
		const key = { field: id, how: 'loose' as const, key: '1234' };
		expect(await matchingIds(db(), schema, t.workspace, 'customer', [[key]])).toEqual([[record]]);
	});
	it('goes from text to a link by name and back, and from one list to another by name or code', async () => {
		const id = await added('deal', { label: 'Looked after by', group: 'Deal', type: 'text' });
		const engineer = (
			await readRecords(db(), (await inForce(db(), t.workspace)).schema, t.workspace, 'engineer', [
				'1'
			])
		)[0];
		const name = String(toJson(engineer.values[0]));
		const { id: deal } = await put('deal', { name: 'Linked', [id]: name.toUpperCase() });
		const link = { type: 'link' as const, target: 'engineer', inverse: 'looked after' };
		await change(retyped('deal', id, link));
		expect(await valueOf('deal', deal, id)).toBe('1');
		await change(retyped('deal', id, { type: 'text' }));
		expect(await valueOf('deal', deal, id)).toBe(name);
	});
	it('is refused while the release in force does not run with it, at its place', async () => {
		const e = await change(retyped('customer', 'headcount', { type: 'date' }), 10_000).catch(
			(x: unknown) => x
		);
		expect(e).toBeInstanceOf(BadModel);
		expect((e as BadModel).message).toMatch(/^Release 3, which is in force, would no longer run/);
		expect((e as BadModel).faults[0].path).toEqual(['types', 'customer', 'fields', 'headcount']);
		expect((await fieldOf('customer', 'headcount'))!.type).toBe('number');
	});
});

describe('a field of another type in many records', () => {
	it('holds up nobody who reads while it is worked out, and each gets its own', async () => {
		const id = await added('customer', { label: 'Rows', group: 'Size', type: 'text' });
		const many = 12_345;
		await db().query(
			`insert into r_customer (workspace, f_trading_name, f_${id})
			 select $1, 'Rows ' || g, g || '.50' from generate_series(1, $2::int) g`,
			[t.workspace, many]
		);
		const before = await model();
		const { pieces } = modelEditBetween(
			'',
			before,
			retyped('customer', id, { type: 'number' })(before)
		);
		let read = 0;
		await transaction(async (c) => {
			const ask = c.query.bind(c) as (...a: unknown[]) => Promise<unknown>;
			c.query = (async (...a: [string | { text: string }, ...unknown[]]) => {
				const done = await ask(...a);
				const text = typeof a[0] === 'string' ? a[0] : a[0].text;
				// by another connection, as somebody who opens a list
				if (text.startsWith('insert into becoming'))
					read += (await db().query(`select f_${id} from r_customer where f_${id} = '7.50'`)).rows
						.length;
				return done;
			}) as typeof c.query;
			try {
				await editModel(c, t.author, checkModelPieces(JSON.parse(JSON.stringify(pieces))), 0);
			} finally {
				c.query = ask as typeof c.query;
			}
		});
		// each of the thousands in which they are read
		expect(read).toBe(13);
		const r = await db().query<{ n: number }>(
			`select count(*)::int as n from r_customer where f_trading_name = 'Rows ' || trunc(f_${id}) and f_${id} = trunc(f_${id}) + 0.5`
		);
		expect(r.rows[0].n).toBe(many);
		await db().query(`delete from r_customer where f_trading_name like 'Rows %'`);
	});
	it('of several options gets them all', async () => {
		const made = await change((m) =>
			withNewOptions(withNewList(m, 'Roof')[0], 'roof', ['Glass', 'Film', 'Sheet'])
		);
		expect(made.lost).toBe(0);
		const id = await added('customer', { label: 'Roof', group: 'Size', type: 'text' });
		const ids: string[] = [];
		for (const roof of ['Glass; Sheet', 'film', 'straw'])
			ids.push((await put('customer', { trading_name: `Roof ${roof}`, [id]: roof })).id);
		await change(retyped('customer', id, { type: 'choices', list: 'roof' }), 1);
		expect(await Promise.all(ids.map((r) => valueOf('customer', r, id)))).toEqual([
			['glass', 'sheet'],
			['film'],
			null
		]);
		expect(await setBy(ids[0], id)).not.toBeNull();
		expect(await setBy(ids[2], id)).toBeNull();
	});
});

describe('a field that is removed', () => {
	it('takes its values along only when that was seen; they stay in history', async () => {
		const id = await added('customer', { label: 'Nickname', group: 'Identity', type: 'text' });
		const { id: record } = await put('customer', { trading_name: 'Nick', [id]: 'Nicky' });
		await expect(change((m) => withoutField(m, 'customer', id))).rejects.toThrow(
			'1 value that records hold would be lost by it.'
		);
		await change((m) => withoutField(m, 'customer', id), 1);
		expect(await fieldOf('customer', id)).toBeUndefined();
		const [last] = await readHistory(db(), t.workspace, 'customer', record);
		expect(last.lines).toMatchObject([{ field: id, was: 'Nicky', now: null }]);
		// a new one of that name begins with nothing
		const again = await added('customer', { label: 'Nickname', group: 'Identity', type: 'date' });
		expect(again).toBe(id);
		expect(await valueOf('customer', record, id)).toBeNull();
		expect(await setBy(record, id)).toBeNull();
	});
	it('beside others in one edit is one change of each record, with all that it lost', async () => {
		const text = { group: 'Identity', type: 'text' as const };
		const one = await added('customer', { label: 'Motto', ...text });
		const two = await added('customer', { label: 'Mascot', ...text });
		const third = await added('customer', { label: 'Anthem', ...text });
		const held = { [one]: 'Grow', [two]: 'Heron', [third]: 'Reed song' };
		const { id: record } = await put('customer', { trading_name: 'Club', ...held });
		const edit = (m: Model) =>
			retyped('customer', third, { type: 'date' })(
				withoutField(withoutField(m, 'customer', one), 'customer', two)
			);
		await expect(change(edit, 2)).rejects.toThrow('3 values would be lost by it; 2 were looked at');
		expect(await change(edit, 3)).toMatchObject({ lost: 3 });
		const [last, made] = await readHistory(db(), t.workspace, 'customer', record);
		expect(made.made).toBe(true);
		expect(last.entryPoint).toBe('model');
		expect(Object.fromEntries(last.lines.map((l) => [l.field, [l.was, l.now]]))).toEqual({
			[one]: ['Grow', null],
			[two]: ['Heron', null],
			[third]: ['Reed song', null]
		});
	});
	it('in more records than are read at once is lost in one change of all of them', async () => {
		const text = { group: 'Identity', type: 'text' as const };
		const id = await added('customer', { label: 'Door sign', ...text });
		const r = await db().query<{ id: string }>(
			`insert into r_customer (workspace, f_trading_name, f_${id}, set_by)
			 select $1, 'Signed ' || g, 'Sign ' || g, jsonb_build_object($2::text, 'p 0 1')
			 from generate_series(1, 2300) g returning id::text`,
			[t.workspace, id]
		);
		const ids = r.rows.map((x) => x.id);
		expect(await change(retyped('customer', id, { type: 'number' }), 2300)).toMatchObject({
			lost: 2300
		});
		const told = await db().query<{ changes: number; records: number }>(
			`select count(distinct change)::int as changes, count(*)::int as records from record_change
			 where type = 'customer' and record = any($1::bigint[])`,
			[ids]
		);
		expect(told.rows[0]).toEqual({ changes: 1, records: 2300 });
		const [last] = await readHistory(db(), t.workspace, 'customer', ids[2222]);
		expect(last.lines).toMatchObject([{ field: id, was: 'Sign 2223', now: null }]);
		expect(await setBy(ids[2222], id)).toBeNull();
	});
	it('is refused while a rule, definition or trial speaks of it', async () => {
		await expect(change((m) => withoutField(m, 'customer', 'headcount'), 10_000)).rejects.toThrow(
			/Headcount cannot be removed while “.*” and \d+ more speak of it/
		);
	});
});

describe('lists and options', () => {
	it('come, and go while nothing holds them', async () => {
		await change((m) =>
			withNewOptions(withNewList(m, 'Glazing')[0], 'glazing', ['Float', 'Diffuse'])
		);
		const id = await added('customer', {
			label: 'Glazing',
			group: 'Size',
			type: 'choice',
			list: 'glazing'
		});
		const { id: record } = await put('customer', { trading_name: 'Glass', [id]: 'Float' });
		expect(await countOptions(db(), t.workspace, await model(), 'glazing')).toEqual([
			{ type: 'customer', field: id, option: 'float', records: 1 }
		]);
		await expect(change((m) => withoutOption(m, 'glazing', 'float'))).rejects.toThrow(
			'“Float” cannot be removed while 1 customers hold it. Retire it instead'
		);
		await change((m) => withoutOption(m, 'glazing', 'diffuse'));
		await expect(change((m) => withoutList(m, 'glazing'))).rejects.toThrow(
			'Choose the option list of this field.'
		);
		await put('customer', { [id]: null }, record);
		await change((m) => withoutList(withoutField(m, 'customer', id), 'glazing'));
		expect((await model()).lists.some((l) => l.id === 'glazing')).toBe(false);
	});
	it('are not removed while a rule speaks of them', async () => {
		await db().query('update r_customer set f_country = null');
		await expect(change((m) => withoutOption(m, 'country', 'slovenia'))).rejects.toThrow(
			/“Slovenia” cannot be removed while “/
		);
	});
});

describe('an edit of the model', () => {
	it('that comes twice, or by two people at once, is done once', async () => {
		const before = await model();
		const [after] = withNewField(before, 'lead', { label: 'Twice', group: 'X', type: 'text' });
		const { pieces } = modelEditBetween('', before, after);
		const edit = () => transaction((c) => editModel(c, t.author, pieces, 0));
		await Promise.all([edit(), edit(), edit()]);
		expect(
			(await model()).types.find((x) => x.id === 'lead')!.fields.filter((f) => f.id === 'twice')
		).toHaveLength(1);
	});
	it.each<[string, unknown]>([
		['no list', {}],
		['a path to something else', [{ path: ['rules', 'x'], after: 1 }]],
		['a path to every object', [{ path: ['types', '__proto__', 'label'], after: 'x' }]],
		['a short path', [{ path: ['types'], after: [] }]]
	])('from outside is looked at: %s', (_, pieces) => {
		expect(() => checkModelPieces(pieces)).toThrow(BadInput);
	});
	it.each<[string, unknown]>([
		['a field that is none', { id: 'x', label: 7 }],
		['an identity that is none', { id: 'X; drop', label: 'X', group: 'G', type: 'text' }],
		['a type that is none', { id: 'x', label: 'X', group: 'G', type: 'blob' }],
		['more than a field has', { id: 'x', label: 'X', group: 'G', type: 'text', evil: 1 }]
	])('of a wrong shape is refused: %s', async (_, field) => {
		const path = ['types', 'customer', 'fields', (field as { id: string }).id];
		const pieces = checkModelPieces([{ path, after: field, behind: null }]);
		const before = await model();
		await expect(transaction((c) => editModel(c, t.author, pieces, 0))).rejects.toThrow(BadInput);
		expect(await model()).toEqual(before);
	});
	it('waits for a change of a record that is under way: what was read as one type is not stored as another', async () => {
		const list = 'country';
		const id = await added('customer', {
			label: 'Ships from',
			group: 'Size',
			type: 'choice',
			list
		});
		const [option] = (await model()).lists.find((l) => l.id === list)!.options;
		const { id: record } = await put('customer', { trading_name: 'Passing', headcount: '1' });
		let edited: Promise<unknown> | undefined;
		await save(
			{
				workspace: t.workspace,
				account: t.author,
				entryPoint: 'api',
				instant: Date.now(),
				force: async (c, workspace) => {
					const force = await inForce(c, workspace);
					edited ??= change(retyped('customer', id, { type: 'text' }));
					await Promise.race([edited, new Promise((r) => setTimeout(r, 400))]);
					return force;
				}
			},
			[{ type: 'customer', id: record, sent: [[id, option.id]], keep: [] }]
		);
		await edited;
		expect(await valueOf('customer', record, id)).toBe(option.label);
	});
	it('waits for none where only words change', async () => {
		const id = await added('customer', { label: 'Ships by', group: 'Size', type: 'text' });
		const renamed = (m: Model): Model => ({
			...m,
			types: m.types.map((x) =>
				x.id !== 'customer'
					? x
					: {
							...x,
							label: 'Client',
							plural: 'Clients',
							columns: x.columns.slice(1),
							fields: x.fields.map((f) =>
								f.id === id ? { ...f, label: 'Carrier', group: 'Freight' } : f
							)
						}
			)
		});
		const before = await model();
		await transaction(async (c) => {
			await holdStill(c, t.workspace);
			await change(renamed);
			expect(await fieldOf('customer', id)).toMatchObject({ label: 'Carrier', group: 'Freight' });
		});
		const found = await model();
		await change(() => ({
			...found,
			types: found.types.map((x) => before.types.find((b) => b.id === x.id)!)
		}));
	});
	it('does not end a change of a record that is under way', async () => {
		// the saver reads the model, then it changes, then it writes: it begins again with the new one
		const id = await added('customer', { label: 'Passing', group: 'Size', type: 'text' });
		const writers = Array.from({ length: 12 }, (_, i) =>
			put('customer', { trading_name: `Passing ${i}`, headcount: String(i + 1) })
		);
		await Promise.all([...writers, change((m) => withoutField(m, 'customer', id))]);
		expect((await Promise.all(writers)).every((w) => w.values.size_class !== null)).toBe(true);
	});
});
