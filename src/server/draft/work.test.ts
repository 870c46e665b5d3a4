/** What pages work on is what stands, whatever is stored between two requests, and is read anew only then. */
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workBeside } from '../../../tests/worker';
import {
	canonicalJson,
	changedRules,
	modelEditBetween,
	withNewField,
	type RuleSet
} from '../../core';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import {
	hashOfDraft,
	listTrials,
	putInForce,
	readDraft,
	readRelease,
	releaseInForce,
	rulesOf,
	trialsMark
} from '../db/rules';
import { changePerson } from '../people/people';
import { acceptFinding } from './accept';
import { editDraft } from './edit';
import { editModel } from './model';
import { storeTrial } from './trials';
import { readWork, sharing } from './work';

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

/** All of it, each read by itself. */
async function stands() {
	const w = t.workspace;
	const { model, revision: modelRevision } = await readModel(db(), w);
	const { set: draft, authors } = await readDraft(db(), w);
	const number = await releaseInForce(db(), w);
	const doc = await readRelease(db(), w, number);
	return {
		model,
		modelRevision,
		draft,
		authors,
		draftHash: hashOfDraft(draft, model),
		trials: await trialsMark(db(), w),
		inForce: { number, set: rulesOf(doc!) }
	};
}
async function told() {
	const { stand, pilot, ...work } = await readWork(db(), t.workspace);
	expect(pilot).toBeNull();
	return { ...work, modelRevision: stand.modelRevision };
}
const renamed = (from: string, to: string) =>
	transaction((c) =>
		editDraft(c, t.author, [{ path: ['rules', 'size_class', 'name'], before: from, after: to }])
	);
const nameOf = (set: RuleSet) => set.rules.find((r) => r.id === 'size_class')!.name;

describe('what pages work on', () => {
	it('is what stands, after every step there is', async () => {
		const name = nameOf((await readDraft(db(), t.workspace)).set);
		const [trial] = await listTrials(db(), t.workspace);
		const steps = {
			nothing: async () => {},
			'an edit': () => renamed(name, 'Called otherwise'),
			'the edit taken back': () => renamed('Called otherwise', name),
			'a trial': () => storeTrial(t.author, { ...trial, name: 'Another name' }),
			'a finding accepted': () =>
				acceptFinding(t.author, 'size_class-beyond-the-bands-0', 'No firm has fewer.'),
			'a field of the model': async () => {
				const [after] = withNewField(demoModel, 'lead', {
					label: 'Met at',
					group: 'Who',
					type: 'text'
				});
				const { pieces } = modelEditBetween('', demoModel, after);
				await transaction((c) => editModel(c, t.admin, pieces, 0));
			},
			'another release in force': () =>
				transaction((c) => putInForce(c, t.workspace, 2, t.admin.id)),
			'an author called otherwise': () => changePerson(t.admin, t.author.id, { name: 'Jonas W.' })
		};
		const hashes = [];
		for (const [step, take] of Object.entries(steps)) {
			await take();
			const [is, work] = [await stands(), await told()];
			expect(work, step).toEqual(is);
			// once more, of what is kept
			expect(await told(), step).toEqual(is);
			hashes.push(work.draftHash);
		}
		const [nothing, edit, back, aTrial, accepted, aField] = hashes;
		expect(new Set([nothing, edit, aField]).size).toBe(3);
		expect([back, aTrial, accepted]).toEqual([nothing, nothing, nothing]);
	}, 60_000);

	it('is read anew only where something was stored', async () => {
		const { model, draft, inForce } = await told();
		const query = vi.spyOn(db(), 'query');
		const again = await told();
		const asked = query.mock.calls.length;
		query.mockRestore();
		// where it stands, what is accepted, who stored it
		expect(asked).toBe(3);
		expect(again.model).toBe(model);
		expect(again.draft.rules).toBe(draft.rules);
		expect(again.inForce).toBe(inForce);
		await renamed(nameOf(draft), 'Called a third time');
		expect(nameOf((await told()).draft)).toBe('Called a third time');
	});

	it('is what stands where the database was put back to an earlier day', async () => {
		const before = await told();
		const name = nameOf(before.draft);
		await renamed(name, 'Of the day that is gone');
		expect(nameOf((await told()).draft)).toBe('Of the day that is gone');
		await db().query(
			'update workspace set draft_revision = draft_revision - 1; ' +
				`update rule set doc = jsonb_set(doc, '{name}', to_jsonb('${name}'::text)) where id = 'size_class'`
		);
		await renamed(name, 'Of today');
		expect(nameOf((await told()).draft)).toBe('Of today');
		expect(await told()).toEqual(await stands());
	});

	it('of a workspace that is not there is refused', async () => {
		await expect(readWork(db(), 'nowhere')).rejects.toThrow('There is no workspace');
	});
});

describe('a release beside the draft', () => {
	it('says what it says, shares all that is alike, and differs in the same parts as before', () => {
		const sets = [...demoReleases.map((r) => r.set), demoDraft];
		fc.assert(
			fc.property(
				fc.constantFrom(...sets),
				fc.constantFrom(...sets),
				fc.subarray(demoDraft.rules.map((r) => r.id)),
				(a, b, gone) => {
					// none of them is the same object from the start
					const set = structuredClone(a);
					const other = structuredClone({
						...b,
						rules: b.rules.filter((r) => !gone.includes(r.id))
					});
					const shared = sharing(set, other);
					expect(canonicalJson(shared)).toBe(
						canonicalJson({ ...set, definitions: set.definitions ?? [], tables: set.tables ?? [] })
					);
					expect(changedRules(shared, other)).toEqual(changedRules(set, other));
					for (const part of ['rules', 'definitions', 'tables'] as const)
						for (const x of shared[part] ?? []) {
							const y = (other[part] ?? []).find((o) => o.id === x.id);
							expect(x === y).toBe(!!y && canonicalJson(x) === canonicalJson(y));
						}
				}
			),
			{ numRuns: 60 }
		);
	});
});
