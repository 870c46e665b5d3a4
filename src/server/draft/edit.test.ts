/** Edits of the stored draft: piece by piece, all or none, by two authors at once. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import type { Piece, RuleSet } from '../../core';
import { editBetween } from '../../core';
import { BadInput, checkPieces } from '../../door';
import { db, transaction } from '../db/pool';
import { readDraft } from '../db/rules';
import { editDraft } from './edit';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const draft = async () => (await readDraft(db(), t.workspace)).set;
/** As the pages send it: over JSON, checked at the door. */
const edit = (pieces: readonly Piece[], by = t.author) =>
	transaction(async (c) => {
		const r = await editDraft(c, by, checkPieces(JSON.parse(JSON.stringify(pieces))));
		return 'overtaken' in r ? r.overtaken : [];
	});
const between = async (change: (s: RuleSet) => RuleSet) => {
	const before = await draft();
	return editBetween('e', before, change(before)).pieces;
};
const rule =
	(i: number, patch: object) =>
	(s: RuleSet): RuleSet => ({
		...s,
		rules: s.rules.map((r, k) => (k === i ? { ...r, ...patch } : r))
	});

describe('an edit of the draft', () => {
	it('stores what it touched, and may come twice', async () => {
		const pieces = await between(rule(0, { why: 'mine' }));
		expect(await edit(pieces)).toEqual([]);
		expect(await edit(pieces)).toEqual([]);
		expect((await draft()).rules[0].why).toBe('mine');
	});

	it('of different pieces of one rule by two authors at once keeps both', async () => {
		const a = await between(rule(1, { why: 'mine' }));
		const b = await between(rule(1, { name: 'Theirs' }));
		expect(await Promise.all([edit(a), edit(b, t.admin)])).toEqual([[], []]);
		expect((await draft()).rules[1]).toMatchObject({ why: 'mine', name: 'Theirs' });
	});

	it('of one piece by two authors is stored once; the second hears who was first', async () => {
		const a = await between(rule(2, { why: 'mine' }));
		const b = await between((s) =>
			rule(2, { why: 'theirs' })(rule(3, { why: 'not stored either' })(s))
		);
		const before = (await draft()).rules[3].why;
		expect(await edit(a)).toEqual([]);
		const { rules } = await draft();
		expect(await edit(b, t.admin)).toEqual([
			{ part: `rules.${rules[2].id}`, name: `“${rules[2].name}”`, by: t.author.name }
		]);
		expect((await draft()).rules[2].why).toBe('mine');
		expect((await draft()).rules[3].why).toBe(before);
	});

	it('puts a rule that was taken out back where it stood, and keeps the order of rules', async () => {
		const ids = async () => (await draft()).rules.map((r) => r.id);
		const before = await ids();
		const whole = await draft();
		expect(
			await edit(await between((s) => ({ ...s, rules: s.rules.filter((_, i) => i !== 4) })))
		).toEqual([]);
		expect(await ids()).toEqual(before.filter((_, i) => i !== 4));
		const now = await draft();
		expect(await edit(editBetween('back', now, { ...now, rules: whole.rules }).pieces)).toEqual([]);
		expect(await ids()).toEqual(before);
		await edit(await between((s) => ({ ...s, rules: [...s.rules].reverse() })));
		expect(await ids()).toEqual([...before].reverse());
		await edit(await between((s) => ({ ...s, rules: [...s.rules].reverse() })));
		expect(await ids()).toEqual(before);
	});

	it('stores definitions, tables and claim orders, and takes them out', async () => {
		const { rules } = await draft();
		const key = `${rules[0].type}.${rules[0].outputs[0].field}`;
		const claims = [`${rules[0].id}:${rules[0].outputs[0].id}`];
		await edit(
			await between((s) => ({
				...s,
				definitions: s.definitions!.slice(1),
				tables: s.tables!.map((x, i) => (i ? x : { ...x, why: 'mine' })),
				order: { ...s.order, [key]: claims }
			}))
		);
		const now = await draft();
		expect(now.tables![0].why).toBe('mine');
		expect(now.order[key]).toEqual(claims);
		await edit(
			await between((s) => {
				const { [key]: _gone, ...order } = s.order;
				return { ...s, order };
			})
		);
		expect((await draft()).order[key]).toBeUndefined();
	});

	it('that would leave something unsound is refused whole, by its place', async () => {
		const before = await draft();
		const { id } = before.rules[0];
		const bad = (path: string[], after: unknown): Piece[] => [
			{ path: ['rules', before.rules[5].id, 'why'], before: before.rules[5].why, after: 'lost' },
			{ path, before: undefined, after: after as never }
		];
		for (const pieces of [
			bad(['rules', id, 'strange'], 1),
			bad(['rules', 'fresh'], { id: 'fresh' }),
			bad(['rules', id, 'outputs', 'o9'], { id: 'o9' }),
			bad(['order', 'no place'], ['x'])
		])
			await expect(edit(pieces)).rejects.toThrow(BadInput);
		expect(await draft()).toEqual(before);
	});

	it('with keys of an object’s prototype, or to no part of a draft, does not come in', () => {
		for (const path of [
			['rules', '__proto__'],
			['rules', 'x', 'constructor'],
			['elsewhere', 'x'],
			['rules'],
			'rules.x'
		])
			expect(() => checkPieces([{ path, after: 1 }])).toThrow(BadInput);
		expect(() => checkPieces({})).toThrow(BadInput);
		expect(() => checkPieces([null])).toThrow(BadInput);
	});
});
