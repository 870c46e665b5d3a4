/** Releases, the revision of the draft, drafts put aside, the second person: by two at once too. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workBeside } from '../../../tests/worker';
import { editBetween, type RuleSet } from '../../core';
import { BadInput } from '../../door';
import { CRITERIA, USUAL_GATE, type Gate, type Reasons } from '../../door/gate';
import { readEntries } from '../db/audit';
import { readJob } from '../db/jobs';
import { needsSecond, setSecond } from '../db/people';
import { db, transaction } from '../db/pool';
import { listKeptDrafts, listReleases, listTrials, readDraft, releaseInForce } from '../db/rules';
import { noteLooked } from '../db/rehearsals';
import { readGate, storeGate } from '../db/workspace';
import { queueRehearsal } from '../jobs/rehearsal';
import type { Account } from '../people/accounts';
import { addPerson } from '../people/people';
import { listAccounts } from '../people/accounts';
import { editDraft } from './edit';
import {
	NeedsSecond,
	NoSuchRelease,
	putReleaseInForce,
	releaseDraft,
	returnToDraft,
	returnsRehearsed,
	takeAsDraft
} from './release';
import { remark, settle } from './remarks';
import { DraftMoved, revisionOf } from './revision';
import { TrialMoved, dropTrial, storeTrial, storeTrials } from './trials';

let t: Fresh;
let worker: Awaited<ReturnType<typeof workBeside>>;
beforeAll(async () => {
	t = await freshDatabase();
	worker = await workBeside();
	// the demo's draft has mistakes, and its tables lack a row; its first release is sound
	await takeAsDraft(t.admin, 1, await seen());
});
afterAll(async () => {
	await worker.stop();
	await t.drop();
});

const seen = () => revisionOf(db(), t.workspace);
const draft = async () => (await readDraft(db(), t.workspace)).set;
async function write(by: Account, why: string, i = 0) {
	const before = await draft();
	const rules = before.rules.map((r, k) => (k === i ? { ...r, why } : r));
	const { pieces } = editBetween('', before, { ...before, rules });
	return transaction((c) => editDraft(c, by, pieces));
}
const release = async (by: Account, revision?: number) =>
	releaseDraft(by, {
		note: 'A test',
		reasons: { trials: 'A test.' },
		seen: revision ?? (await seen())
	});
const told = async (did: string) =>
	(
		await readEntries(
			db(),
			t.workspace,
			{ deeds: [did as never], find: '', from: null, to: null },
			{ most: 50 }
		)
	).map((e) => `${e.who}: ${e.object}`);

describe('the revision of the draft', () => {
	it('goes up by one with every step, of rules, trials and releases', async () => {
		const from = await seen();
		expect(await write(t.author, 'once')).toEqual({ revision: from + 1, was: from });
		const [trial] = await listTrials(db(), t.workspace);
		expect(await storeTrial(t.author, trial)).toEqual({ revision: from + 2, was: from + 1 });
		expect(await dropTrial(t.author, 'none such')).toEqual({ revision: from + 3, was: from + 2 });
		expect(await storeTrial(t.author, { ...trial, name: 'Called otherwise' })).toMatchObject({
			was: from + 3
		});
		expect((await told('stored a trial'))[0]).toContain('Called otherwise');
	});
	it('does not move where a trial is removed that its author has not seen so', async () => {
		const [trial] = await listTrials(db(), t.workspace);
		const from = await seen();
		const drop = (had: unknown) => dropTrial(t.author, trial.id, had);
		for (const had of [{ ...trial, name: 'As it was' }, null, 'x', { id: trial.id }])
			await expect(drop(had)).rejects.toBeInstanceOf(TrialMoved);
		expect([await seen(), (await listTrials(db(), t.workspace))[0]]).toEqual([from, trial]);
		await drop(trial);
		// gone is gone, whatever was seen
		await drop({ ...trial, name: 'As it was' });
		expect((await listTrials(db(), t.workspace)).some((x) => x.id === trial.id)).toBe(false);
		await storeTrial(t.author, trial, null);
	});
	it('does not move where a trial is kept over what its author has not seen', async () => {
		const [trial, other] = await listTrials(db(), t.workspace);
		const now = async (id = trial.id) =>
			(await listTrials(db(), t.workspace)).find((x) => x.id === id) ?? null;
		const kept = (name: string, had: unknown) =>
			storeTrial(t.author, { ...trial, name }, had).then(
				() => true,
				(e: unknown) => {
					expect(e).toBeInstanceOf(TrialMoved);
					return false;
				}
			);
		const from = await seen();
		expect(await kept('Mine', { ...trial, name: 'As nobody stored it' })).toBe(false);
		expect(await kept('Mine', null)).toBe(false);
		for (const hostile of ['', 7, [], { id: trial.id }, { ...trial, more: 1 }])
			expect(await kept('Mine', hostile)).toBe(false);
		expect([await seen(), await now()]).toEqual([from, trial]);
		// its keys in another order are no other trial
		const turned = Object.fromEntries(Object.entries(trial).reverse());
		expect(await kept('Mine', turned)).toBe(true);
		expect(await now()).toMatchObject({ name: 'Mine' });
		// of two at the same moment one
		const both = await Promise.all(['One', 'Other'].map(async (n) => kept(n, await now())));
		expect(both.sort()).toEqual([false, true]);
		await dropTrial(t.author, trial.id);
		await expect(storeTrial(t.author, trial, trial)).rejects.toThrow('took this trial away');
		expect(await kept(trial.name, null)).toBe(true);
		expect(await now(other.id)).toEqual(other);
	});
	it('goes up by one for several trials together; of two with one identity the later stands', async () => {
		const from = await seen();
		const [a, b] = await listTrials(db(), t.workspace);
		const more = [
			{ ...a, id: 'many1', name: 'First of many' },
			{ ...b, id: 'many2', name: 'Second of many' },
			{ ...b, id: 'many1', name: 'Another first of many' }
		];
		expect(await storeTrials(t.author, more)).toEqual({ revision: from + 1, was: from });
		const named = (await listTrials(db(), t.workspace)).filter((x) => x.id.startsWith('many'));
		expect(named.map((x) => x.name).sort()).toEqual(['Another first of many', 'Second of many']);
		// all of them or none: the second cannot be stored
		const odd = [
			{ ...a, id: 'many3' },
			{ ...a, id: null as never }
		];
		await expect(storeTrials(t.author, odd)).rejects.toThrow();
		expect((await listTrials(db(), t.workspace)).some((x) => x.id === 'many3')).toBe(false);
		expect(await seen()).toBe(from + 1);
	});
	it('says what was edited, by whom, with what stood there before', async () => {
		await write(t.author, 'twice');
		const [e] = await readEntries(
			db(),
			t.workspace,
			{ deeds: ['edited the draft'], find: '', from: null, to: null },
			{ most: 1 }
		);
		expect(e.who).toBe(t.author.name);
		expect(e.object).toBe(`“${(await draft()).rules[0].name}”`);
		expect(e.detail).toMatchObject({ pieces: [{ before: 'once', after: 'twice' }] });
	});
});

describe('a release', () => {
	it('is refused to whoever looked at another draft', async () => {
		const revision = await seen();
		await write(t.author, 'meanwhile');
		await expect(release(t.admin, revision)).rejects.toThrow(DraftMoved);
		await expect(release(t.admin, revision + 9)).rejects.toThrow(DraftMoved);
	});
	it('by two at once is made once', async () => {
		const before = await listReleases(db(), t.workspace);
		const revision = await seen();
		const done = await Promise.allSettled([
			release(t.admin, revision),
			release(t.admin, revision),
			release(t.admin, revision)
		]);
		expect(done.filter((d) => d.status === 'fulfilled')).toHaveLength(1);
		for (const d of done) if (d.status === 'rejected') expect(d.reason).toBeInstanceOf(DraftMoved);
		expect(await listReleases(db(), t.workspace)).toHaveLength(before.length + 1);
		expect(await told('released')).toEqual([`${t.admin.name}: Release ${before.length + 1}`]);
	});
	it('while an edit comes in holds the draft that was looked at, or is refused', async () => {
		for (let i = 0; i < 4; i++) {
			await write(t.author, `looked at ${i}`);
			const looked = await draft();
			const [made] = await Promise.allSettled([release(t.admin), write(t.author, `after ${i}`, 1)]);
			if (made.status === 'rejected') {
				expect(made.reason).toBeInstanceOf(DraftMoved);
				continue;
			}
			const { rows } = await db().query<{ doc: RuleSet }>(
				'select doc from release where workspace = $1 and number = $2',
				[t.workspace, made.value.number]
			);
			expect(rows[0].doc.rules[1]).toEqual(looked.rules[1]);
		}
	});
	it('goes back in force, and one that is none does not', async () => {
		await putReleaseInForce(t.admin, 3);
		expect(await releaseInForce(db(), t.workspace)).toBe(3);
		await expect(putReleaseInForce(t.admin, 99)).rejects.toThrow(NoSuchRelease);
	});
	it('needs a second person where the settings say so, whatever the first one wrote', async () => {
		await transaction((c) => setSecond(c, t.workspace, true));
		expect(await needsSecond(db(), t.workspace)).toBe(true);
		await write(t.admin, 'by the administrator');
		await expect(release(t.admin)).rejects.toThrow(NeedsSecond);
		// taking it out again does not make it unwritten
		await write(t.author, 'by the author');
		await expect(release(t.admin)).rejects.toThrow('somebody else releases it');
		const { id } = await addPerson(t.admin, {
			name: 'Second',
			email: 'second@quillmere.example',
			role: 'releaser',
			person: null
		});
		const second = (await listAccounts(db(), t.workspace)).find((a) => a.id === id)!;
		await release(second);
		// from here on a new draft
		const [trial] = await listTrials(db(), t.workspace);
		await storeTrial(second, trial);
		await expect(release(second)).rejects.toThrow(NeedsSecond);
		await release(t.admin);
		await transaction((c) => setSecond(c, t.workspace, false));
	});
});

describe('the gate of a release', () => {
	const set = (levels: Partial<Gate['levels']>, more: Partial<Gate> = {}) =>
		storeGate(db(), t.workspace, {
			...USUAL_GATE,
			...more,
			levels: { ...USUAL_GATE.levels, ...levels }
		});
	const tryTo = async (reasons: Reasons = {}) =>
		releaseDraft(t.admin, { note: 'Gate', reasons, seen: await seen() });
	const newest = async () => (await listReleases(db(), t.workspace))[0];

	it('asks why where something is not met, and keeps that in the release for good', async () => {
		await set({ trials: 'shown', rehearsal: 'reason' });
		await write(t.author, 'with a reason');
		const before = await newest();
		await expect(tryTo()).rejects.toThrow(
			'Not rehearsed as it stands. Mend it, or say why to release it all the same.'
		);
		expect((await newest()).number).toBe(before.number);
		await tryTo({ rehearsal: 'Only words differ.', trials: 'not asked' });
		const { gate } = await newest();
		expect(gate!.find((p) => p.what === 'rehearsal')).toMatchObject({
			met: false,
			level: 'reason',
			reason: 'Only words differ.'
		});
		// a reason for what is met, or is shown only, is none
		expect(gate!.filter((p) => p.reason !== undefined)).toHaveLength(1);
		expect(gate!.map((p) => p.what)).toEqual([...CRITERIA]);
	});

	it('wants the very draft rehearsed against what is in force, and its surprises looked at', async () => {
		await set({ trials: 'shown', rehearsal: 'must', surprises: 'must' });
		await write(t.author, 'to be rehearsed');
		await expect(tryTo({ rehearsal: 'because' })).rejects.toThrow('Nothing is released before');
		const rehearse = async () => {
			const id = await queueRehearsal(t.admin);
			for (let i = 0; i < 400 && !(await readJob(db(), id))!.ended; i++)
				await new Promise((r) => setTimeout(r, 25));
			return id;
		};
		await rehearse();
		await write(t.author, 'edited after it');
		await expect(tryTo()).rejects.toThrow('Not rehearsed as it stands.');
		const id = await rehearse();
		// one surprise, whatever this draft is
		await db().query(
			`update rehearsal set result = jsonb_set(result, '{surprises}', '[{"key": "k", "kind": "follows", "count": 1}]') where id = $1`,
			[id]
		);
		await expect(tryTo()).rejects.toThrow('1 surprise of the rehearsal nobody looked at.');
		expect(await noteLooked(db(), t.workspace, id, 'none such', 'Ida')).toBe(false);
		expect(await noteLooked(db(), t.workspace, id, 'k', 'Ida')).toBe(true);
		await tryTo();
		expect((await newest()).gate!.every((p) => p.met || p.level === 'shown')).toBe(true);
	}, 60_000);

	it('asks for a rehearsal of a return, or why without; what was rehearsed is the return as it would be now', async () => {
		await set({ trials: 'shown', rehearsal: 'must', surprises: 'reason' });
		const force = await releaseInForce(db(), t.workspace);
		const back = (reason?: string) => putReleaseInForce(t.admin, 1, { reason });
		await expect(back()).rejects.toThrow(
			'Putting it in force is not rehearsed. Rehearse it first, or say why to put it in force all the same.'
		);
		expect(await releaseInForce(db(), t.workspace)).toBe(force);
		const rehearse = async (asked: Parameters<typeof queueRehearsal>[1]) => {
			const id = await queueRehearsal(t.admin, asked);
			for (let i = 0; i < 400 && !(await readJob(db(), id))!.ended; i++)
				await new Promise((r) => setTimeout(r, 25));
			return id;
		};
		// of other versions, or of some records only, it says nothing of this return
		const some = {
			type: 'customer',
			condition: { expr: { k: 'bool' as const, v: false } }
		};
		await rehearse({ before: force, after: 1, selection: some });
		await rehearse({ before: 2, after: 1 });
		await expect(back()).rejects.toThrow('Putting it in force is not rehearsed.');
		const id = await rehearse({ before: force, after: 1 });
		await db().query(
			`update rehearsal set result = jsonb_set(result, '{surprises}', '[{"key": "k", "kind": "follows", "count": 1}]') where id = $1`,
			[id]
		);
		await expect(back()).rejects.toThrow('1 surprise of its rehearsal nobody looked at.');
		await noteLooked(db(), t.workspace, id, 'k', 'Ida');
		expect((await returnsRehearsed(db(), t.workspace, force)).get(1)).toMatchObject({
			id,
			surprises: 0
		});
		await back();
		expect(await releaseInForce(db(), t.workspace)).toBe(1);
		// whoever is in a hurry says why, and that stands in the audit
		const [last] = (await listReleases(db(), t.workspace)).filter((r) => r.number === force);
		await expect(putReleaseInForce(t.admin, last.number)).rejects.toThrow('not rehearsed');
		await putReleaseInForce(t.admin, last.number, { reason: 'Wrong prices went out.' });
		const [entry] = await readEntries(
			db(),
			t.workspace,
			{ deeds: ['put in force'], find: '', from: null, to: null },
			{ most: 1 }
		);
		expect(JSON.stringify(entry)).toContain('Wrong prices went out.');
		// a rehearsal from before the last switch is old
		await expect(back()).rejects.toThrow('Putting it in force is not rehearsed.');
		// what is in force already is no return
		await putReleaseInForce(t.admin, last.number);
		await set({});
	}, 60_000);

	it('measures how strong the trials are where that counts', async () => {
		await set({ trials: 'shown', strength: 'must' }, { strength: 100 });
		await write(t.author, 'strong');
		await expect(tryTo()).rejects.toThrow(
			/Trials notice \d+ of \d+ small mistakes: \d+ %, wanted 100 %/
		);
		await set({ trials: 'shown', strength: 'must' }, { strength: 0 });
		await tryTo();
		await set({});
	}, 60_000);

	it('knows what is remarked, and keeps what was open in the release for good', async () => {
		await set({ trials: 'shown', remarks: 'reason' });
		await write(t.author, 'remarked');
		const at = { kind: 'rule', key: 'size_class', title: 'Size class' } as const;
		const { id } = await remark(t.author, { ...at, text: 'Why 60?' });
		await expect(tryTo()).rejects.toThrow('1 remark is open. Mend it, or say why');
		await tryTo({ remarks: 'Sales wants it so.' });
		await settle(t.admin, id, true);
		const told = (await newest()).gate!.find((p) => p.what === 'remarks');
		expect(told).toMatchObject({
			met: false,
			reason: 'Sales wants it so.',
			lines: [`Size class: “Why 60?”, ${t.author.name}`]
		});
		await write(t.author, 'settled');
		await tryTo();
		expect((await newest()).gate!.find((p) => p.what === 'remarks')).toMatchObject({ met: true });
		await set({});
	}, 60_000);

	it('is usual until somebody sets it, and takes what an earlier version stored of it', async () => {
		await db().query(`update workspace set gate = '{"levels": {"trials": "must"}}'`);
		expect(await readGate(db(), t.workspace)).toEqual({
			...USUAL_GATE,
			levels: { ...USUAL_GATE.levels, trials: 'must' }
		});
		await db().query('update workspace set gate = null');
		expect(await readGate(db(), t.workspace)).toEqual(USUAL_GATE);
	});
});

describe('a draft that another takes the place of', () => {
	it('is put aside, and comes back whole', async () => {
		await write(t.author, 'to come back');
		const mine = await draft();
		await takeAsDraft(t.admin, 2, await seen());
		expect((await draft()).rules).not.toEqual(mine.rules);
		const [kept] = await listKeptDrafts(db(), t.workspace);
		expect(kept).toMatchObject({
			by: t.admin.name,
			instead: 'Release 2',
			rules: mine.rules.length
		});
		await returnToDraft(t.admin, kept.id, await seen());
		expect(await draft()).toEqual(mine);
		// and so was the one between
		expect((await listKeptDrafts(db(), t.workspace))[0].instead).toContain('Draft of');
	});
	it('is never a mix of two, when two are taken at once', async () => {
		const revision = await seen();
		const done = await Promise.allSettled([
			takeAsDraft(t.admin, 1, revision),
			takeAsDraft(t.admin, 2, revision)
		]);
		const at = done.findIndex((d) => d.status === 'fulfilled');
		expect(done.filter((d) => d.status === 'fulfilled')).toHaveLength(1);
		const { rows } = await db().query<{ doc: RuleSet }>(
			'select doc from release where workspace = $1 and number = $2',
			[t.workspace, at + 1]
		);
		expect((await draft()).rules).toEqual(rows[0].doc.rules);
	});
	it('is kept twenty times; what is none is said', async () => {
		for (let i = 0; i < 22; i++) await takeAsDraft(t.admin, 1 + (i % 2), await seen());
		expect(await listKeptDrafts(db(), t.workspace)).toHaveLength(20);
		await expect(returnToDraft(t.admin, '999999', await seen())).rejects.toThrow(NoSuchRelease);
		await expect(takeAsDraft(t.admin, 99, await seen())).rejects.toThrow(NoSuchRelease);
		await expect(takeAsDraft(t.admin, 1, 0)).rejects.toThrow(DraftMoved);
	});
	it('stops a release by its blocking findings, as before', async () => {
		const before = await draft();
		const rules = before.rules.map((r, i) =>
			i ? r : { ...r, outputs: [{ ...r.outputs[0], field: 'none' }] }
		);
		const { pieces } = editBetween('', before, { ...before, rules });
		await transaction((c) => editDraft(c, t.author, pieces));
		await expect(release(t.admin)).rejects.toThrow(BadInput);
	});
});
