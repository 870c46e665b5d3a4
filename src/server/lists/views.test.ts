/** Named lists on PostgreSQL: kept for everybody, changed by their maker, never over somebody else's change. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { EVERYTHING, readColumn, type ListAsked } from '../../door/lists';
import { demoViews } from '../../../demo/views';
import { freshDatabase } from '../../../tests/fresh';
import { db } from '../db/pool';
import { listViews } from '../db/views';
import { inForce } from '../records';
import { readyList, stretchOf } from './list';
import { changeView, keepView, removeView } from './views';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const named = async (name: string) =>
	(await listViews(db(), t.workspace, 'lead')).find((v) => v.name === name);
const list = (find: string): ListAsked => ({ ...EVERYTHING, find });

describe('a view', () => {
	it('is kept, changed by its maker and by an administrator, and by nobody else', async () => {
		const { id } = await keepView(t.author, 'lead', { name: 'Mine', list: list('a') });
		expect(await named('Mine')).toMatchObject({ id, version: 1, by: t.author.name });
		await changeView(t.author, id, 1, { name: 'Mine', list: list('b') });
		const other = { ...t.author, id: t.reader.id };
		await expect(changeView(other, id, 2, { name: 'Theirs', list: list('c') })).rejects.toThrow(
			`is ${t.author.name}'s`
		);
		await expect(removeView(other, id)).rejects.toThrow('is');
		await changeView(t.admin, id, 2, { name: 'Ours', list: list('c') });
		expect(await named('Ours')).toMatchObject({ version: 3, list: { find: 'c' } });
		await removeView(t.admin, id);
		expect(await named('Ours')).toBeUndefined();
		// gone is gone: removing it once more is no mistake, changing it is one
		await removeView(t.author, id);
		await expect(changeView(t.author, id, 3, { name: 'Ours', list: list('') })).rejects.toThrow(
			'any more'
		);
	});
	it('of two who change it at once, the second is told', async () => {
		const { id } = await keepView(t.author, 'lead', { name: 'Both', list: list('') });
		const change = (find: string) =>
			changeView(t.author, id, 1, { name: 'Both', list: list(find) });
		const outcomes = await Promise.allSettled([change('one'), change('two')]);
		expect(outcomes.map((o) => o.status).sort()).toEqual(['fulfilled', 'rejected']);
		const refused = outcomes.find((o) => o.status === 'rejected') as PromiseRejectedResult;
		expect(String(refused.reason)).toContain('Somebody changed the view “Both”');
	});
	it('has a name of its own, whatever its case', async () => {
		await keepView(t.author, 'lead', { name: 'Fairs', list: list('') });
		await expect(keepView(t.admin, 'lead', { name: 'FAIRS', list: list('') })).rejects.toThrow(
			'already'
		);
		// of another record type it is free
		await keepView(t.admin, 'deal', { name: 'Fairs', list: list('') });
		await expect(keepView(t.admin, 'gone', { name: 'x', list: list('') })).rejects.toThrow(
			'no record type'
		);
	});
});

describe('the views of the demo', () => {
	it('fit its model, all of their columns, and are answered', async () => {
		const { schema } = await inForce(db(), t.workspace);
		const by = {
			workspace: t.workspace,
			person: null,
			instant: Date.parse('2026-11-27T12:00:00Z')
		};
		for (const { type, name, list: asked } of demoViews) {
			const ready = await readyList(db(), schema, by, type, asked);
			expect(ready.written, name).toEqual(asked.columns);
			expect(ready.columns, name).toEqual(asked.columns!.map(readColumn));
			await stretchOf(db(), ready, { from: null, back: false, size: 50 });
		}
	});
});
