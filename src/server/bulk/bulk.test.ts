/** Bulk changes on PostgreSQL: looked at first, done once, never over somebody else's change, and taken back. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Expr, JsonValue } from '../../core';
import { EVERYTHING } from '../../door/lists';
import { MOST_BULK, type BulkAsked } from '../../door/bulk';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workAll, workBeside } from '../../../tests/worker';
import { readBulk, readBulkRows, tallyBulk } from '../db/bulk';
import { readJob, stopJob } from '../db/jobs';
import { db, transaction } from '../db/pool';
import { createRelease, putInForce, readRelease, rulesOf } from '../db/rules';
import { inForce, remove, save } from '../records';
import { workOn } from '../jobs/work';
import { askBulk, beginBulk, lookAnew, takeBack } from './bulk';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const sender = (entryPoint: 'full' | 'import' = 'full') => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint,
	instant: Date.now()
});
async function make(
	type: string,
	values: Record<string, JsonValue>,
	road: 'full' | 'import' = 'full'
) {
	const [made] = await save(sender(road), [
		{ type, id: null, keep: [], sent: Object.entries(values) }
	]);
	return made.id;
}
const change = (type: string, id: string, values: Record<string, JsonValue>) =>
	save(sender(), [{ type, id, keep: [], sent: Object.entries(values) }]);
const held = async (type: string, id: string, field: string) =>
	(
		await db().query<{ v: unknown; by: unknown }>(
			`select f_${field} as v, set_by->'${field}' as by from r_${type} where id = $1`,
			[id]
		)
	).rows[0];
const named = (type: string, title: string, word: string): Expr => ({
	k: 'call',
	fn: 'contains',
	args: [
		{ k: 'field', image: 'settled', type, field: title },
		{ k: 'text', v: word }
	]
});
const asked = (
	type: string,
	title: string,
	word: string,
	does: BulkAsked['does'],
	more: Partial<BulkAsked> = {}
): BulkAsked => ({
	type,
	which: { list: { ...EVERYTHING, where: { expr: named(type, title, word) } } },
	does,
	spare: true,
	messages: false,
	...more
});
const field = (type: string, id: string): Expr => ({
	k: 'field',
	image: 'settled',
	type,
	field: id
});
const rowsOf = (id: string, column: 'look' | 'outcome' = 'outcome') =>
	readBulkRows(db(), id, { column, is: null, after: 0, most: 1000 });

async function looked(a: BulkAsked) {
	const { id } = await askBulk(t.author, a);
	await workAll();
	return id;
}
async function done(id: string) {
	const { job } = await beginBulk(t.author, id);
	await workAll();
	return (await readJob(db(), job))!;
}

describe('a bulk change', () => {
	it('is looked at, done, taken back, and that is taken back too', async () => {
		// what was there before is of an import, and by hand
		const imported = await make(
			'contact',
			{ full_name_as_received: 'Yard One', phone: '1' },
			'import'
		);
		const byHand = await make('contact', { full_name_as_received: 'Yard Two', phone: '2' });
		const blank = await make('contact', { full_name_as_received: 'Yard Three' });
		const other = await make('contact', { full_name_as_received: 'Nobody' });
		const before = await held('contact', imported, 'phone');
		const does = { k: 'set', field: 'phone', value: '99' } as const;
		const id = await looked(asked('contact', 'full_name_as_received', 'Yard', does));
		// a look stores nothing
		expect(await held('contact', imported, 'phone')).toEqual(before);
		const looks = await rowsOf(id, 'look');
		expect(Object.fromEntries(looks.map((r) => [r.record, r.outcome.is]))).toEqual({
			[imported]: 'changed',
			[byHand]: 'spared',
			[blank]: 'changed'
		});
		expect((await tallyBulk(db(), id, 'look')).is).toMatchObject({ changed: 2, spared: 1 });

		expect(await done(id)).toMatchObject({ state: 'done', done: 2, of: 2 });
		expect((await held('contact', imported, 'phone')).v).toBe('99');
		expect((await held('contact', byHand, 'phone')).v).toBe('2');
		expect((await held('contact', other, 'phone')).v).toBeNull();
		await expect(beginBulk(t.author, id)).rejects.toThrow('begun already');

		// somebody goes on with one of them: that stays
		await change('contact', blank, { phone: '5' });
		const { id: back } = await takeBack(t.author, id);
		await workAll();
		expect((await tallyBulk(db(), back, 'look')).is).toMatchObject({ changed: 1 });
		await done(back);
		// what it was, and who had set it
		expect(await held('contact', imported, 'phone')).toEqual(before);
		expect((await held('contact', blank, 'phone')).v).toBe('5');
		expect((await readBulk(db(), id))!.undoneBy).toBe(back);
		await expect(takeBack(t.author, id)).rejects.toThrow('taken back already');

		const { id: again } = await takeBack(t.author, back);
		await workAll();
		await done(again);
		expect((await held('contact', imported, 'phone')).v).toBe('99');
	});

	it('that replaced what a rule had added to a set gives that back as the rule’s', async () => {
		const id = await make('customer', { trading_name: 'Added Fuels', country: 'denmark' });
		const before = await held('customer', id, 'permitted_fuels');
		// by which change, and what the claim added
		expect(before.by).toEqual([
			expect.stringMatching(/^r \d+ fuels:o1$/),
			{ 'fuels:o1': before.v }
		]);
		const does: BulkAsked['does'] = {
			k: 'set',
			field: 'permitted_fuels',
			value: ['geothermal']
		};
		const bulk = await looked(asked('customer', 'trading_name', 'Added Fuels', does));
		expect((await rowsOf(bulk, 'look')).map((r) => r.outcome.is)).toEqual(['changed']);
		await done(bulk);
		expect((await held('customer', id, 'permitted_fuels')).by).not.toEqual(before.by);
		const { id: back } = await takeBack(t.author, bulk);
		await workAll();
		await done(back);
		expect(await held('customer', id, 'permitted_fuels')).toEqual(before);
	});
	it('calculates for each record, across links, and says what rules do besides', async () => {
		const firm = await make('customer', {
			trading_name: 'Calc Firm',
			headcount: '9',
			turnover: '1000'
		});
		const one = await make('customer', { trading_name: 'Calc One' });
		const formula = {
			expr: {
				k: 'bin',
				op: '*',
				a: field('customer', 'headcount'),
				b: { k: 'num', v: '10' }
			} as Expr
		};
		const does = { k: 'calc', field: 'headcount', formula } as const;
		const id = await looked(asked('customer', 'trading_name', 'Calc', does, { spare: false }));
		const looks = new Map((await rowsOf(id, 'look')).map((r) => [r.record, r.outcome]));
		expect(looks.get(firm)).toMatchObject({
			is: 'changed',
			byHand: true,
			changes: expect.arrayContaining([
				expect.objectContaining({ field: 'headcount', from: '9', to: '90', rule: null }),
				expect.objectContaining({ field: 'size_class', from: 'micro', to: 'medium' })
			])
		});
		// a blank gives no result: it stays
		expect(looks.get(one)).toMatchObject({ is: 'same' });
		await done(id);
		expect((await held('customer', firm, 'size_class')).v).toBe('medium');
		const { id: back } = await takeBack(t.author, id);
		await workAll();
		await done(back);
		expect((await held('customer', firm, 'headcount')).v).toBe('9');
		expect((await held('customer', firm, 'size_class')).v).toBe('micro');

		const gone = (text: string, more = {}) =>
			askBulk(
				t.author,
				asked('customer', 'trading_name', 'Calc', { ...does, formula: { text }, ...more })
			);
		await expect(gone('Headcount >')).rejects.toThrow('The calculation');
		await expect(gone('was.Headcount')).rejects.toThrow('asks about a change');
		await expect(gone('1', { field: 'gone' })).rejects.toThrow('no field “gone”');
		await expect(
			askBulk(
				t.author,
				asked('customer', 'trading_name', 'x', { k: 'set', field: 'headcount', value: 'many' })
			)
		).rejects.toThrow('no number');
	});

	it('what a check refuses is told and left, each record for itself', async () => {
		const open = await make('deal', { kind: 'service', stage: 'enquiry', amount: '100' });
		const does = { k: 'set', field: 'close_date', value: '2020-01-01' } as const;
		const id = await looked({ ...asked('deal', 'name', 'x', does), which: { ids: [open] } });
		const [row] = await rowsOf(id, 'look');
		expect(row).toMatchObject({
			record: open,
			outcome: { is: 'refused', faults: [{ field: 'close_date', message: expect.any(String) }] }
		});
		await expect(beginBulk(t.author, id)).rejects.toThrow('No record would change');
	});

	it('a record that somebody changed meanwhile is looked at again: the same is done, another is left', async () => {
		const [a, b, c, d, e] = await Promise.all(
			['same', 'otherwise', 'left the list', 'deleted', 'untouched'].map((n) =>
				make('contact', { full_name_as_received: `Meanwhile ${n}`, role: 'Buyer' })
			)
		);
		const does = { k: 'set', field: 'site_code', value: 'NL-01' } as const;
		const id = await looked(asked('contact', 'full_name_as_received', 'Meanwhile', does));
		await change('contact', a, { phone: '7' });
		await change('contact', b, { site_code: 'NL-02' });
		await change('contact', c, { full_name_as_received: 'Elsewhere' });
		await remove(sender(), { type: 'contact', id: d });
		await done(id);
		const outcomes = new Map((await rowsOf(id)).map((r) => [r.record, r.outcome]));
		expect(outcomes.get(a)!.is).toBe('changed');
		expect(outcomes.get(e)!.is).toBe('changed');
		// a person set it since: it would be spared now
		expect(outcomes.get(b)!.is).toBe('moved');
		expect(outcomes.get(c)).toMatchObject({
			is: 'moved',
			advice: ['It is not one of them any more.']
		});
		expect(outcomes.get(d)).toMatchObject({ is: 'refused' });
		expect((await held('contact', b, 'site_code')).v).toBe('NL-02');
		expect((await held('contact', c, 'site_code')).v).toBeNull();
	});

	it('by a release that came in force since the look, what comes out otherwise is left', async () => {
		const customer = await make('customer', { trading_name: 'Release one', headcount: '20' });
		const { rows } = await db().query<{ number: number }>(
			'select max(number) as number from release'
		);
		const release = rows[0].number;
		const set = rulesOf((await readRelease(db(), t.workspace, release))!);
		const does = { k: 'set', field: 'headcount', value: '60' } as const;
		const ask = () =>
			looked(asked('customer', 'trading_name', 'Release one', does, { spare: false }));
		const [left, done1] = [await ask(), await ask()];
		// the size class is nobody's rule any more
		const rules = set.rules.filter((r) => !r.outputs.some((o) => o.field === 'size_class'));
		const other = await transaction(async (c) => {
			const n = await createRelease(
				c,
				t.workspace,
				{ ...set, rules, order: {} },
				(await inForce(c, t.workspace)).schema.model,
				'Other',
				t.author.id
			);
			await putInForce(c, t.workspace, n, t.author.id);
			return n;
		});
		await done(left);
		expect((await rowsOf(left))[0].outcome.is).toBe('moved');
		expect((await held('customer', customer, 'headcount')).v).toBe('20');
		await transaction((c) => putInForce(c, t.workspace, release, t.author.id));
		expect(other).toBeGreaterThan(release);
		await done(done1);
		expect((await held('customer', customer, 'size_class')).v).toBe('medium');
	});

	it('runs standing rules on request, and spares what people set', async () => {
		const [follows, kept] = await Promise.all(
			['a', 'b'].map((n) => make('customer', { trading_name: `Standing ${n}`, key_grower: true }))
		);
		await change('customer', kept, { service_plan: 'on_call' });
		// as if it had been before there was such a rule
		await db().query(
			`update r_customer set f_service_plan = null, set_by = set_by - 'service_plan' where id = $1`,
			[follows]
		);
		const id = await looked(
			asked('customer', 'trading_name', 'Standing', { k: 'rules', fillBlanks: false })
		);
		const looks = new Map((await rowsOf(id, 'look')).map((r) => [r.record, r.outcome]));
		expect(looks.get(follows)).toMatchObject({ is: 'changed' });
		// nothing of it but a day that nobody ever set
		expect(looks.get(kept)!.changes.map((c) => c.field)).not.toContain('service_plan');
		await done(id);
		expect((await held('customer', follows, 'service_plan')).v).not.toBeNull();
		expect((await held('customer', kept, 'service_plan')).v).toBe('on_call');
	});

	it('sends no message unless it is to', async () => {
		const customer = await make('customer', { trading_name: 'Noticed' });
		await make('contact', {
			full_name_as_received: 'Some One',
			e_mail: 'one@quillmere.example',
			customer
		});
		const sent = async () =>
			(
				await db().query('select from outbox where type = $1 and record = $2', [
					'customer',
					customer
				])
			).rowCount;
		const does = { k: 'set', field: 'season_notice', value: true } as const;
		const id = await looked(asked('customer', 'trading_name', 'Noticed', does));
		expect((await rowsOf(id, 'look'))[0].outcome.sent).toBe(1);
		await done(id);
		expect(await sent()).toBe(0);
		await change('customer', customer, { season_notice: false });
		const loud = await looked(
			asked('customer', 'trading_name', 'Noticed', does, { spare: false, messages: true })
		);
		await done(loud);
		expect(await sent()).toBe(1);
	});

	it('by two workers at once, and stopped in between, changes each record once', async () => {
		for (let i = 0; i < 450; i++) await make('lead', { full_name_as_received: `Many ${i}` });
		const does = { k: 'set', field: 'glass_area', value: '1000' } as const;
		const id = await looked(asked('lead', 'full_name_as_received', 'Many', does));
		const { job } = await beginBulk(t.author, id);
		// cut into its lanes once, and each piece of a lane done once
		await Promise.all([workOn({ job }), workOn({ job })]);
		await Promise.all([0, 0, 1].map((range) => workOn({ job, range })));
		await stopJob(db(), t.workspace, job);
		await workAll();
		const first = (await readJob(db(), job))!;
		expect(first.state).toBe('cancelled');
		const { is } = await tallyBulk(db(), id, 'outcome');
		expect(is.changed).toBe(first.done);
		expect(is.changed).toBeGreaterThan(0);
		expect(is.changed).toBeLessThan(450);
		const changes = await db().query('select from change where job = $1', [job]);
		expect(changes.rowCount).toBe(is.changed);
		// what was done is taken back, though it was stopped
		const { id: back } = await takeBack(t.author, id);
		const workers = [await workBeside(), await workBeside()];
		try {
			await expect
				.poll(async () => (await readJob(db(), (await readBulk(db(), back))!.look!))!.state, {
					timeout: 60_000
				})
				.toBe('done');
			const { job: undo } = await beginBulk(t.author, back);
			await expect
				.poll(async () => (await readJob(db(), undo))!.state, { timeout: 60_000 })
				.toBe('done');
		} finally {
			for (const w of workers) await w.stop();
		}
		const left = await db().query('select from r_lead where f_glass_area = 1000');
		expect(left.rowCount).toBe(0);
	}, 180_000);

	it('is looked at anew until it is begun, by who may', async () => {
		await make('contact', { full_name_as_received: 'Anew' });
		const does = { k: 'set', field: 'phone', value: '1' } as const;
		const id = await looked(asked('contact', 'full_name_as_received', 'Anew', does));
		await make('contact', { full_name_as_received: 'Anew too' });
		await lookAnew(t.author, id);
		await expect(beginBulk(t.author, id)).rejects.toThrow('looked at just now');
		await workAll();
		expect((await tallyBulk(db(), id, 'look')).is.changed).toBe(2);
		const ids = (await rowsOf(id, 'look')).map((r) => r.record);
		const ticked = await looked({
			...asked('contact', 'x', 'x', does),
			which: { ids: ids.slice(0, 1) }
		});
		expect((await tallyBulk(db(), ticked, 'look')).is.changed).toBe(1);
	});

	it('of the first of a list takes so many, in the order that the list has', async () => {
		for (const [i, area] of ['30', '10', '20', '40'].entries())
			await make('lead', { company_as_typed: `In order ${i}`, glass_area: area });
		const does = { k: 'set', field: 'fit', value: 'strong' } as const;
		const some = asked('lead', 'company_as_typed', 'In order', does);
		const list = 'list' in some.which ? some.which.list : EVERYTHING;
		const taken = async (sort: typeof list.sort, first: number) =>
			(
				await rowsOf(await looked({ ...some, which: { list: { ...list, sort }, first } }), 'look')
			).map((r) => r.title);
		const by = (desc: boolean) => ({ column: 'glass_area', desc });
		expect(await taken(by(true), 2)).toEqual(['In order 3', 'In order 0']);
		expect(await taken(by(false), 3)).toEqual(['In order 1', 'In order 2', 'In order 0']);
		expect(await taken(null, 1)).toEqual(['In order 3']);
		expect(await taken(null, 9)).toHaveLength(4);
	});

	it('of more records than it takes is refused when it is asked for, not by the job', async () => {
		const lot = asked('engineer', 'name', 'Of many', { k: 'rules', fillBlanks: true });
		const jobs = async () => (await db().query('select from job')).rowCount;
		await db().query(
			`insert into r_engineer (workspace, f_name) select $1, 'Of many ' || g from generate_series(1, $2::int) g`,
			[t.workspace, MOST_BULK + 1]
		);
		const before = await jobs();
		await expect(askBulk(t.author, lot)).rejects.toThrow(/^These are more than 100.000 records/);
		expect(await jobs()).toBe(before);
		// the first of them are no more than it takes
		const list = 'list' in lot.which ? lot.which.list : EVERYTHING;
		const some = await looked({ ...lot, which: { list, first: 250 } });
		expect(await tallyBulk(db(), some, 'look')).toMatchObject({ is: { same: 250 } });
		await db().query(`delete from r_engineer where f_name = 'Of many 1'`);
		const { id } = await askBulk(t.author, lot);
		expect(await readBulk(db(), id)).toMatchObject({ type: 'engineer' });
	});
});
