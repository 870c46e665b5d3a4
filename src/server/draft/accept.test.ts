/** Findings of the stored draft that are accepted: by whom, until when, and what a release keeps of it. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workBeside } from '../../../tests/worker';
import { Schema, analyse, compilePlan, isAccepted, stopsRelease } from '../../core';
import { BadInput, checkAcceptance, checkPieces, checkRelease } from '../../door';
import { zones } from '../../runtime/zones';
import { readModel } from '../db/model';
import { hear, type Heard } from '../db/notices';
import { db, transaction } from '../db/pool';
import {
	createRelease,
	hashOfDraft,
	putRule,
	readDraft,
	readRelease,
	replaceDraft,
	rulesOf
} from '../db/rules';
import { NotAllowed, acceptFinding, takeBackAcceptance } from './accept';

let t: Fresh;
let worker: Awaited<ReturnType<typeof workBeside>>;
beforeAll(async () => {
	t = await freshDatabase();
	worker = await workBeside();
});
afterAll(async () => {
	await worker.stop();
	await t.drop();
});

const draft = async () => (await readDraft(db(), t.workspace)).set;
async function look() {
	const { model } = await readModel(db(), t.workspace);
	const set = await draft();
	return analyse(compilePlan(new Schema(model), set), set, zones).findings;
}
const ADVICE = 'size_class-beyond-the-bands-0';
const BLOCKS = 'visits-gap-between-bands-2';

describe('accepting a finding of the draft', () => {
	it('finds those that the demo begins with', async () => {
		expect((await look()).map((f) => f.id)).toEqual(expect.arrayContaining([ADVICE, BLOCKS]));
	});

	it('an author accepts advice; its reason and name stay, and the draft decides the same as before', async () => {
		const { model } = await readModel(db(), t.workspace);
		const before = hashOfDraft(await draft(), model);
		const a = await acceptFinding(t.author, ADVICE, 'No firm has fewer than no people.');
		expect(a).toMatchObject({ by: t.author.name, reason: 'No firm has fewer than no people.' });
		expect((await draft()).accepted).toEqual([a]);
		expect((await look()).filter(isAccepted).map((f) => f.id)).toEqual([ADVICE]);
		expect(hashOfDraft(await draft(), model)).toBe(before);
	});

	it('is heard of by others who look at the draft, and so is that it is taken back', async () => {
		const heard: Heard[] = [];
		const { deaf, listening } = hear((h) => heard.push(h));
		await listening;
		const told = async (n: number) => {
			for (let i = 0; i < 200 && heard.length < n; i++) await new Promise((r) => setTimeout(r, 10));
			expect(heard.slice(0, n)).toEqual(Array(n).fill({ kind: 'beside', workspace: t.workspace }));
		};
		await takeBackAcceptance(t.author, ADVICE);
		await told(1);
		await acceptFinding(t.author, ADVICE, 'No firm has fewer than no people.');
		await told(2);
		deaf();
	});

	it('what blocks, an author may not and an administrator may; then it stops no release', async () => {
		await expect(acceptFinding(t.author, BLOCKS, 'So be it.')).rejects.toThrow(NotAllowed);
		expect((await look()).filter(stopsRelease).map((f) => f.id)).toContain(BLOCKS);
		await acceptFinding(t.admin, BLOCKS, 'No glass area of that size is sold.');
		expect((await look()).filter(stopsRelease).map((f) => f.id)).not.toContain(BLOCKS);
	});

	it('what is not found is refused, and so is a reason that says nothing', async () => {
		await expect(acceptFinding(t.admin, 'nothing-of-the-kind', 'x')).rejects.toThrow(
			'no longer found'
		);
		for (const wrong of [{ finding: ADVICE }, { finding: ADVICE, reason: '  ' }, {}, null])
			expect(() => checkAcceptance(wrong)).toThrow(BadInput);
	});

	it('twice at once is once', async () => {
		await Promise.all([
			acceptFinding(t.author, ADVICE, 'The first.'),
			acceptFinding(t.admin, ADVICE, 'The second.')
		]).catch(() => undefined);
		expect((await draft()).accepted!.filter((a) => a.id === ADVICE)).toHaveLength(1);
	});

	it('no edit of the draft makes one', () => {
		expect(() =>
			checkPieces([{ path: ['accepted', BLOCKS], after: { id: BLOCKS, reason: 'mine' } }])
		).toThrow('must lead to a part of the draft');
	});

	it('lapses with an edit of its rule, and comes back with it', async () => {
		const rule = (await draft()).rules.find((r) => r.id === 'visits')!;
		const save = (r: typeof rule) => transaction((c) => putRule(c, t.workspace, r, t.author.id));
		await save({ ...rule, outputs: rule.outputs.map((o) => ({ ...o, hold: 'fill' as const })) });
		const [f] = (await look()).filter((x) => x.id === BLOCKS);
		expect([f.accepted?.stands, stopsRelease(f)]).toEqual([false, true]);
		await save(rule);
		expect((await look()).filter(stopsRelease).map((x) => x.id)).not.toContain(BLOCKS);
	});

	it('goes with the release, through its file, and back into a draft made of it', async () => {
		const { model } = await readModel(db(), t.workspace);
		const set = await draft();
		const number = await transaction((c) =>
			createRelease(c, t.workspace, set, model, 'With what was accepted', t.admin.id)
		);
		const doc = (await readRelease(db(), t.workspace, number))!;
		expect(checkRelease(JSON.parse(JSON.stringify(doc))).accepted).toEqual(set.accepted);
		await transaction((c) => replaceDraft(c, t.workspace, rulesOf(doc), t.author.id));
		expect((await draft()).accepted).toEqual(set.accepted);
	});

	it('is taken back by any author, and is a finding again', async () => {
		await takeBackAcceptance(t.author, BLOCKS);
		expect((await look()).filter(stopsRelease).map((f) => f.id)).toContain(BLOCKS);
	});
});
