/** Fields that became another kind: what history keeps of before is read as it was then, and given back as they are now. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel, retyped } from '../../../tests/model';
import { workAll } from '../../../tests/worker';
import type { Field, JsonValue } from '../../core';
import { Schema, withField, withNewField, withoutField } from '../../core';
import { EVERYTHING } from '../../door/lists';
import { askBulk, beginBulk, lookAnew } from '../bulk/bulk';
import { makeAgain } from '../bulk/made-again';
import { readBulkRows } from '../db/bulk';
import { insertJob, readJob } from '../db/jobs';
import { journalOf } from '../db/journal-lines';
import { savePiece } from '../jobs/save-piece';
import { carryOn } from '../jobs/turn';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import { readRecords } from '../db/records';
import { inForce, remove, save } from '.';
import { recordThen } from './past';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase({ customers: 3, contacts: 0, leads: 0, deals: 0 });
});
afterAll(() => t.drop());

const NOW = Date.now() - 60_000;
const sender = (instant = Date.now()) => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint: 'full' as const,
	instant
});
const set = (id: string | null, values: Record<string, JsonValue>, instant?: number) =>
	save(sender(instant), [{ type: 'customer', id, keep: [], sent: Object.entries(values) }]).then(
		([r]) => r.id
	);
const stored = async (id: string) => {
	const { schema } = await inForce(db(), t.workspace);
	const [r] = await readRecords(db(), schema, t.workspace, 'customer', [id]);
	return { schema, r, values: r.values.map((v) => v), at: schema.type('customer').at };
};
const then = async (id: string, at: number) => {
	const { schema, r } = await stored(id);
	return recordThen(db(), t.workspace, schema, r, new Date(at).toISOString());
};
const holds = async (id: string, field: string) => {
	const { values, at } = await stored(id);
	const v = values[at.get(field)!];
	return v === null ? null : String(v);
};
let n = 0;
async function added(field: Omit<Field, 'id' | 'label' | 'group'>): Promise<string> {
	let id = '';
	await changeModel(t.author, (m) => {
		const [next, made] = withNewField(m, 'customer', {
			label: `Kind ${n++}`,
			group: 'Size',
			...field
		});
		id = made;
		return next;
	});
	return id;
}
const becomes = (id: string, to: Parameters<typeof retyped>[2]) =>
	changeModel(t.author, retyped('customer', id, to), 100);
const optionsOf = async () =>
	new Schema((await readModel(db(), t.workspace)).model).lists.get('country')!.options;

describe('a record as it was', () => {
	it('tells each value as the field was then, and what is the same under another kind as the same', async () => {
		const field = await added({ type: 'choice', list: 'country' });
		const [one, two] = await optionsOf();
		const id = await set(null, { trading_name: 'Was', [field]: one.id }, NOW);
		await set(id, { [field]: two.id }, NOW + 1000);
		await set(id, { [field]: one.id }, NOW + 2000);
		await becomes(field, { type: 'text' });
		expect(await holds(id, field)).toBe(one.label);
		const first = await then(id, NOW + 500);
		expect(first.values[field]).toBe(one.id);
		expect(Date.parse(first.told[field])).toBe(NOW + 1000);
		expect(first.otherwise).not.toContain(field);
		const second = await then(id, NOW + 1500);
		expect(second.values[field]).toBe(two.id);
		expect(second.otherwise).toContain(field);
		// nothing was written since: it is what it is now
		const third = await then(id, NOW + 2500);
		expect([third.values[field], third.told[field]]).toEqual([one.label, undefined]);
	});

	it('tells what was lost when a field became another kind or was removed', async () => {
		const field = await added({ type: 'text' });
		const other = await added({ type: 'text' });
		const id = await set(null, { trading_name: 'Lost', [field]: 'many', [other]: 'more' }, NOW);
		await becomes(field, { type: 'number' });
		await changeModel(t.author, (m) => withoutField(m, 'customer', other), 100);
		const was = await then(id, NOW + 500);
		expect(was.values).toMatchObject({ [field]: 'many', [other]: 'more' });
		expect(was.otherwise).toEqual(expect.arrayContaining([field, other]));
		const now = await then(id, Date.now() + 1000);
		expect(now.values).not.toHaveProperty(other);
		expect(now.otherwise).toEqual([]);
		// no road brought it in: the journal finds it as what it was
		const lines = await journalOf(db(), t.workspace, { road: 'model' });
		expect(lines.filter((l) => l.record === id)).toMatchObject([
			{ field: other, was: 'more', now: null, because: 'the field was removed' },
			{ field, was: 'many', now: null, because: expect.stringContaining('another kind') }
		]);
	});
});

describe('a record that was deleted before a field became another kind', () => {
	it('is made again with what the field can hold; of what it cannot, it is said', async () => {
		const field = await added({ type: 'text' });
		const place = await added({ type: 'choice', list: 'country' });
		const [option] = await optionsOf();
		const [seven, many] = await Promise.all(
			['7', 'many'].map((v) =>
				set(null, { trading_name: `Again ${v}`, [field]: v, [place]: option.id })
			)
		);
		for (const id of [seven, many]) await remove(sender(), { type: 'customer', id });
		await becomes(field, { type: 'number' });
		await becomes(place, { type: 'text' });
		expect(await makeAgain(sender(), 'customer', seven)).toMatchObject({ blank: [] });
		expect([await holds(seven, field), await holds(seven, place)]).toEqual(['7', option.label]);
		const { blank } = await makeAgain(sender(), 'customer', many);
		expect(blank).toEqual([expect.stringContaining('cannot hold what it held')]);
		expect([await holds(many, field), await holds(many, place)]).toEqual([null, option.label]);
		await remove(sender(), { type: 'customer', id: many });
		// what was deleted since holds what the field is now
		expect(await makeAgain(sender(), 'customer', many)).toMatchObject({ blank: [] });
	});
});

describe('a bulk change that was looked at', () => {
	const looked = async (field: string, value: JsonValue) => {
		const { id } = await askBulk(t.author, {
			type: 'customer',
			which: { list: EVERYTHING },
			does: { k: 'set', field, value },
			spare: false,
			messages: false
		});
		await workAll();
		return id;
	};
	const done = async (id: string) => {
		const { job } = await beginBulk(t.author, id);
		await workAll();
		return readJob(db(), job);
	};
	it('before a field became another kind sends nothing that meant something else', async () => {
		const field = await added({ type: 'choice', list: 'country' });
		const [option] = await optionsOf();
		const id = await looked(field, option.id);
		await becomes(field, { type: 'text' });
		expect(await done(id)).toMatchObject({
			state: 'failed',
			message: expect.stringContaining('became another kind of field since this was looked at')
		});
		const rows = await readBulkRows(db(), id, { column: 'outcome', is: null, after: 0, most: 9 });
		expect(rows).toEqual([]);
		const { rows: held } = await db().query(
			`select 1 from r_customer where f_${field} is not null`
		);
		expect(held).toEqual([]);
	});
	it('before a field was removed names it as it was called', async () => {
		const field = await added({ type: 'text' });
		const { label } = new Schema((await readModel(db(), t.workspace)).model).field(
			'customer',
			field
		)!;
		const id = await looked(field, 'A');
		await changeModel(t.author, (m) => withoutField(m, 'customer', field));
		expect(await done(id)).toMatchObject({
			state: 'failed',
			message: expect.stringContaining(`“${label}” was removed since this was looked at`)
		});
	});
	it('is done where the model changed otherwise, and after another look', async () => {
		const field = await added({ type: 'text' });
		const id = await looked(field, 'A');
		await changeModel(t.author, (m) => withField(m, 'customer', field, { label: 'Called so' }));
		expect(await done(id)).toMatchObject({ state: 'done' });
		const again = await looked(field, '12');
		await becomes(field, { type: 'number' });
		await lookAnew(t.author, again);
		await workAll();
		expect(await done(again)).toMatchObject({ state: 'done' });
	});
});

describe('a change that runs on to more records than one transaction takes', () => {
	it('is carried on by the model as it is then, where a field of what began it is another kind or gone', async () => {
		const fields = [await added({ type: 'text' }), await added({ type: 'text' })];
		const id = await set(null, {
			trading_name: 'Wide',
			...Object.fromEntries(fields.map((f) => [f, 'many']))
		});
		const deals = Array.from({ length: 8 }, () => ({
			type: 'deal',
			id: null,
			keep: [],
			sent: Object.entries({ customer: id, stage: 'enquiry' }) as [string, JsonValue][]
		}));
		await save(sender(), deals);
		const [{ pending }] = await save({ ...sender(), most: 3 }, [
			{ type: 'customer', id, keep: [], sent: [['key_grower', true]] }
		]);
		expect(pending).toBe(5);
		await becomes(fields[0], { type: 'number' });
		await changeModel(t.author, (m) => withoutField(m, 'customer', fields[1]), 100);
		expect(await carryOn()).toBe(5);
		// and it is known that the customer was none before
		const { rows } = await db().query(
			'select 1 from r_deal where f_customer = $1 and f_site_survey_needed',
			[id]
		);
		expect(rows).toHaveLength(8);
	});
});

describe('a piece of a job', () => {
	it('that was read by another model than there is when it is saved stores nothing and is done anew', async () => {
		const { workspace, author } = t;
		const job = await transaction((c) =>
			insertJob(c, { workspace, kind: 'import', title: '', account: author.id, input: {} })
		);
		const read = await inForce(db(), workspace);
		await added({ type: 'text' });
		const change = [
			{
				type: 'customer',
				id: null,
				keep: [],
				sent: [['trading_name', 'Piece']] as [string, string][]
			}
		];
		const kept: unknown[] = [];
		const piece = async (by: typeof read) =>
			savePiece(
				{ job: (await readJob(db(), job))!, range: null },
				sender(),
				by,
				[change],
				(_, outcomes) => Promise.resolve(void kept.push(outcomes))
			);
		await piece(read);
		expect(kept).toEqual([]);
		const { rows } = await db().query(
			`select revision > 0 as again from graphile_worker.jobs where key = $1`,
			[job]
		);
		expect(rows).toEqual([{ again: true }]);
		await piece(await inForce(db(), workspace));
		expect(kept).toHaveLength(1);
	});
});
