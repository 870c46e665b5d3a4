/** Bundles of a real workspace: what is in one, what reads it, and how the records that it names are found. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { changeModel } from '../../../tests/model';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { Schema, compilePlan, runTrial, withField } from '../../core';
import { BadInput, checkBundle } from '../../door';
import { runCli } from '../../cli/run';
import { zones } from '../../runtime/zones';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import { listTrials, readDraft, withLiving } from '../db/rules';
import { listAccounts } from '../people/accounts';
import { bundleOf, recordsKnown } from './bundle';
import { BadModel, changePersonType } from './model';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const made = async (number: number | null = null) => {
	const doc = await bundleOf(db(), t.workspace, number);
	return JSON.parse(JSON.stringify(doc)) as Record<string, unknown>;
};
const schema = async () => new Schema((await readModel(db(), t.workspace)).model);

describe('a bundle', () => {
	it('has the draft whole, with the rows of living tables and its trials, and passes the door', async () => {
		const { set, trials, model, records } = checkBundle(await made());
		const { set: draft } = await readDraft(db(), t.workspace);
		const whole = await withLiving(db(), t.workspace, draft);
		expect(set.rules).toEqual(whole.rules);
		expect(set.tables).toEqual(whole.tables);
		expect(set.tables!.find((x) => x.living)!.rows.length).toBeGreaterThan(0);
		expect(trials).toEqual(await listTrials(db(), t.workspace));
		expect(model).toEqual(JSON.parse(JSON.stringify((await readModel(db(), t.workspace)).model)));
		expect(records.length).toBeGreaterThan(3);
		expect(records.every((r) => r.key !== null && r.title)).toBe(true);
	});
	it('decides without a server as it decides here', async () => {
		const doc = await made();
		const { set, model, trials } = checkBundle(doc);
		const plan = compilePlan(new Schema(model), set);
		const held = trials.filter((x) => runTrial(plan, x, zones).held).length;
		const { text } = runCli(['try', 'b.json'], () => JSON.stringify(doc));
		expect(JSON.parse(text)).toMatchObject({ held, of: trials.length });
	});
	it('of a release has what that fixed; of none there is none', async () => {
		expect((await made(1)).name).toBe('Release 1');
		expect(checkBundle(await made(1)).set.rules.length).toBeLessThan(
			checkBundle(await made()).set.rules.length
		);
		expect(await bundleOf(db(), t.workspace, 99)).toBeNull();
	});
});

describe('records that a bundle names', () => {
	it('are found by their keys, however those are written; none and several are told as such', async () => {
		const { records } = checkBundle(await made());
		const s = await schema();
		const sought = records.map((r) => ({ type: r.type, field: r.key!.field, value: r.key!.value }));
		expect(await recordsKnown(db(), s, t.workspace, sought)).toEqual(records.map((r) => [r.id]));
		const one = records.find((r) => r.type === 'engineer')!;
		const ask = (value: unknown) =>
			recordsKnown(db(), s, t.workspace, [
				{ type: 'engineer', field: one.key!.field, value: value as string }
			]);
		expect(await ask(String(one.key!.value).toUpperCase())).toEqual([[one.id]]);
		for (const odd of ['nobody@nowhere.example', null, true, ['x'], 'no address'])
			expect(await ask(odd)).toEqual([[]]);
	});
	it('are looked for by keys alone', async () => {
		const s = await schema();
		for (const [type, field] of [
			['engineer', 'nothing'],
			['constructor', 'name'],
			['customer', 'headcount']
		])
			await expect(
				recordsKnown(db(), s, t.workspace, [{ type, field, value: 'x' }])
			).rejects.toThrow(BadInput);
	});
	it('without a key are in it without one', async () => {
		await changeModel(t.author, (m) =>
			['name', 'e_mail'].reduce(
				(next, id) => withField(next, 'engineer', id, { key: undefined, unique: undefined }),
				m
			)
		);
		const { records } = checkBundle(await made());
		const engineers = records.filter((r) => r.type === 'engineer');
		expect(engineers.length).toBeGreaterThan(0);
		expect(engineers.every((r) => r.key === null && r.title)).toBe(true);
	});
});

describe('the record type that people are records of', () => {
	const change = (type: string | null) => transaction((c) => changePersonType(c, t.author, type));
	it('stays while what is in force speaks of them, and is a type that there is', async () => {
		await expect(change(null)).rejects.toThrow(BadModel);
		await expect(change(null)).rejects.toThrow(
			/Release \d+, which is in force, would no longer run/
		);
		await expect(change('constructor')).rejects.toThrow('There is no such record type.');
		expect((await schema()).model.personType).toBe('engineer');
	});
	it('is another one at once, and nobody stands for a record of the one before', async () => {
		// in this database, nothing was ever put in force
		await db().query('delete from in_force where workspace = $1', [t.workspace]);
		const before = (await readModel(db(), t.workspace)).revision;
		await change('engineer');
		expect((await readModel(db(), t.workspace)).revision).toBe(before);
		const standing = async () =>
			(await listAccounts(db(), t.workspace)).filter((a) => a.person !== null).length;
		expect(await standing()).toBeGreaterThan(0);
		await change('district');
		expect(await standing()).toBe(0);
		const { model, revision } = await readModel(db(), t.workspace);
		expect([model.personType, revision]).toEqual(['district', before + 1]);
		await change(null);
		expect((await readModel(db(), t.workspace)).model.personType).toBeUndefined();
	});
});
