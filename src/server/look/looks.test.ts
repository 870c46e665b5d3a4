/** What pages look up on a real database: proposals from their thread, versions, former names, what look-ups find. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { Schema, withField } from '../../core';
import { changeModel } from '../../../tests/model';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import { sampleRecords, countRelated, findTitles, relatedRecords } from '../db/records';
import { namesInReleases, putRule, readDraft, versionsOf, withLiving } from '../db/rules';
import { lookAtFinds } from './finds';
import { suggestApart } from './suggest';

let d: Fresh;
let schema: Schema;
beforeAll(async () => {
	d = await freshDatabase({ customers: 300, contacts: 60, leads: 60, deals: 300 });
	const [{ model }, { set }] = await Promise.all([
		readModel(db(), d.workspace),
		readDraft(db(), d.workspace)
	]);
	schema = new Schema(model).with(await withLiving(db(), d.workspace, set));
});
afterAll(() => d.drop());

const job = (type: string, field: string, examples = {}) => ({
	workspace: d.workspace,
	type,
	field,
	examples,
	instant: Date.UTC(2026, 10, 26)
});

describe('proposals from the stored records', () => {
	it('come from a thread that reads them itself', async () => {
		const told = await suggestApart(job('deal', 'probability'), new AbortController().signal);
		expect(told.of).toBe(300);
		expect(told.found[0]).toMatchObject({ how: 'options', reads: ['Stage'], explains: 300 });
		const rolled = await suggestApart(job('customer', 'open_deals'), new AbortController().signal);
		expect(rolled.found[0].how).toBe('related');
	});

	it('name the records that differ, and what they link to', async () => {
		const told = await suggestApart(
			job('customer', 'account_engineer'),
			new AbortController().signal
		);
		const some = told.found.find((s) => s.differ.length)!;
		expect(told.titles[some.differ[0].id]).toBeTruthy();
		const link = some.differ.flatMap((x) => [x.stored, x.gives]).find((v) => v !== null);
		expect(told.links[`engineer.${String(link)}`]).toBeTruthy();
	});

	it('go by examples of records, wherever these stand in the order', async () => {
		const told = await suggestApart(
			job('contact', 'greeting', { 59: 'Hello', 60: 'Hello' }),
			new AbortController().signal
		);
		expect(told.examples).toBe(2);
		expect(told.found[0].agrees).toBe(2);
	});

	it('end when nobody waits any longer, and leave nothing running', async () => {
		const stop = new AbortController();
		const asked = suggestApart(job('deal', 'name'), stop.signal);
		setTimeout(() => stop.abort(new Error('left')), 50);
		await expect(asked).rejects.toThrow('left');
		const next = await suggestApart(job('deal', 'kind'), new AbortController().signal);
		expect(next.of).toBe(300);
	});
});

describe('records that are looked at', () => {
	it('are the same each time, those asked for first', async () => {
		const ids = async (first: string[]) =>
			(await sampleRecords(db(), schema, d.workspace, 'customer', 50, first)).map((r) => r.id);
		expect(await ids([])).toEqual(await ids([]));
		expect(await ids([])).not.toEqual(Array.from({ length: 50 }, (_, i) => String(i + 1)));
		expect((await ids(['299', '7'])).slice(0, 2).sort()).toEqual(['299', '7']);
	});

	it('are offered the newest first by their number, or by title, whatever is found', async () => {
		const { rows } = await db().query<{ id: number; title: string }>(
			`select id::int as id, f_name as title from r_deal order by id desc`
		);
		const asked = (find: string, newest: boolean) =>
			findTitles(db(), schema, d.workspace, 'deal', find, { newest, most: 20 });
		const newest = rows.slice(0, 20).map((r) => ({ id: String(r.id), title: r.title }));
		expect(await asked('', true)).toEqual(newest);
		expect(newest.at(-1)!.id.length).toBeGreaterThan(2);
		const some = rows.filter((r) => r.title.toLowerCase().includes('tulip')).slice(0, 20);
		expect((await asked('TULIP', true)).map((r) => r.id)).toEqual(some.map((r) => String(r.id)));
		// a number names a record, before those that have it in their title
		await db().query(`update r_deal set f_name = 'Phase 7 of 9' where id = 200`);
		expect((await asked(' 7 ', true)).map((r) => r.id)).toEqual(['7', '200']);
		expect((await asked('200', false))[0]).toEqual({ id: '200', title: 'Phase 7 of 9' });
		expect(await asked('999999999999999999', false)).toEqual([]);
		// two of one title come by their number too
		await db().query(`update r_deal set f_name = '  first' where id in (9, 10, 100)`);
		expect((await asked('', false)).slice(0, 3).map((r) => r.id)).toEqual(['9', '10', '100']);
	});

	it('have their related records, counted and read', async () => {
		const of = ['1', '2', '3'];
		const n = await countRelated(db(), d.workspace, 'deal', 'customer', of);
		const read = await relatedRecords(db(), schema, d.workspace, 'deal', 'customer', of);
		expect(read).toHaveLength(n);
		const at = schema.type('deal').at.get('customer')!;
		for (const r of read) expect(of).toContain(r.values[at]);
	});
});

describe('versions and former names', () => {
	it('of a rule are those of each release and of the draft, with who edited it', async () => {
		const { set } = await readDraft(db(), d.workspace);
		const rule = set.rules.find((r) => r.id === 'size_class')!;
		await transaction((c) => putRule(c, d.workspace, { ...rule, why: 'Edited.' }, d.author.id));
		const told = await versionsOf(db(), d.workspace, 'size_class');
		expect(told.releases.map((r) => r.number)).toEqual([3, 2, 1]);
		expect(told.releases.every((r) => r.rule?.id === 'size_class')).toBe(true);
		expect(told.draft?.by).toBe(d.author.name);
		const late = await versionsOf(db(), d.workspace, 'deal_name');
		expect(late.releases.map((r) => r.rule !== null)).toEqual([true, false, false]);
		expect(await versionsOf(db(), d.workspace, 'no such')).toMatchObject({ draft: null });
	});

	it('tell what something was called in a release', async () => {
		await changeModel(d.author, (m) => withField(m, 'customer', 'headcount', { label: 'People' }));
		const names = await namesInReleases(db(), d.workspace);
		expect(names).toContainEqual({
			what: 'field',
			of: 'customer',
			id: 'headcount',
			label: 'Headcount'
		});
	});
});

describe('what a look-up finds at the records that exist', () => {
	it('is counted, with the keys that find nothing, most often first', async () => {
		const { set } = await readDraft(db(), d.workspace);
		const rule = set.rules.find((r) => r.id === 'district')!;
		const told = await lookAtFinds(db(), d.workspace, schema, rule, Date.now());
		expect(told.one + told.none + told.several + told.blank).toBe(told.of);
		expect(told.of).toBe(300);
		expect(told.one).toBeGreaterThan(200);
		const one = told.examples.find((x) => x.outcome === 'one')!;
		expect(one.found[0].title).toMatch(/^row \d+: \d+$/);
		expect(one.values[0]).not.toMatch(/_|^[a-z]/);
		const counts = told.missing.map((m) => m.records);
		expect(counts).toEqual([...counts].sort((a, b) => b - a));
		const check = set.rules.find((r) => r.id === 'vat')!;
		await expect(lookAtFinds(db(), d.workspace, schema, check, 0)).rejects.toThrow(/neither/);
	});
});
