/** The history of a record, part by part. */
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { db } from '../db/pool';
import { forgetBeyond } from '../db/retention';
import { inForce, save } from '.';
import { historyOf } from './view';

let t: Fresh;
let id: string;
const CHANGES = 230;
beforeAll(async () => {
	t = await freshDatabase();
	for (let i = 0; i < CHANGES; i++) {
		const [saved] = await save(
			{ workspace: t.workspace, account: t.author, entryPoint: 'full', instant: Date.now() },
			[{ type: 'customer', id: id ?? null, keep: [], sent: [['trading_name', `Name ${i}`]] }]
		);
		id = saved.id;
	}
});
afterAll(() => t.drop());

async function part(before: string | null) {
	const { schema } = await inForce(db(), t.workspace);
	return historyOf(t.workspace, schema, 'customer', id, {}, before);
}

it('is told from the newest change to the first, each once', async () => {
	const names: unknown[] = [];
	const sizes: number[] = [];
	let before: string | null = null;
	for (;;) {
		const { history, part: p } = await part(before);
		sizes.push(history.length);
		names.push(
			...history.flatMap((h) => h.lines.flatMap((l) => (l.field === 'trading_name' ? [l.now] : [])))
		);
		expect(p.before?.change ?? null).toBe(before);
		// what came after a part is at or after its end
		if (p.before) expect(p.before.at >= history[0].at).toBe(true);
		expect(p.knownFrom).toBeNull();
		if (!p.older) break;
		before = p.older;
	}
	expect(sizes).toEqual([100, 100, 30]);
	expect(names).toEqual(Array.from({ length: CHANGES }, (_, i) => `Name ${CHANGES - 1 - i}`));
});

it('takes a place that there is not for the newest', async () => {
	const newest = await part(null);
	for (const odd of ['', 'x', '-1', '1e3', '999999999999999999', '9'.repeat(30)])
		expect(await part(odd), odd).toEqual(newest);
});

it('says at its end from when on it is whole', async () => {
	const { history } = await part((await part(null)).part.older);
	await db().query("update change set at = now() - interval '40 days' where id <= $1", [
		history[9].change
	]);
	await forgetBeyond(db(), t.workspace, { history: 30 });
	const newest = await part(null);
	expect(newest.part).toMatchObject({ knownFrom: null, before: null });
	const oldest = await part(newest.part.older);
	expect(oldest.history).toHaveLength(9);
	expect(oldest.part.older).toBeNull();
	expect(Math.round((Date.now() - Date.parse(oldest.part.knownFrom!)) / 86_400_000)).toBe(30);
	// of one that was made since, all is known
	const { schema } = await inForce(db(), t.workspace);
	const [fresh] = await save(
		{ workspace: t.workspace, account: t.author, entryPoint: 'full', instant: Date.now() },
		[{ type: 'customer', id: null, keep: [], sent: [['trading_name', 'Fresh']] }]
	);
	expect((await historyOf(t.workspace, schema, 'customer', fresh.id)).part.knownFrom).toBeNull();
	// of one that nothing happened to since, it is not known
	expect((await historyOf(t.workspace, schema, 'customer', '1')).part.knownFrom).not.toBeNull();
});
