/**
 * A rehearsal of the draft as a job: the records are cut by their keys into ranges, which any number of workers
 * share; what each came to is kept, so that one that was broken off goes on with those that are left.
 */
import { compilePlan, differing, type RuleSet } from '../../core';
import { BadInput } from '../../door';
import { note } from '../audit/audit';
import {
	cutJob,
	freeze,
	frozenOf,
	insertJob,
	keepRange,
	noteEnded,
	openJob,
	openRange,
	rangeResults,
	type Range
} from '../db/jobs';
import type { Account } from '../db/people';
import { db, transaction, type Db } from '../db/pool';
import { cutByKey } from '../db/records';
import { hashOfDraft, lockDraft, readDraft, saveRehearsal } from '../db/rules';
import {
	rehearseRange,
	rehearsedTypes,
	together,
	type Compared,
	type Rehearsal
} from '../look/rehearse';
import { inForce } from '../records';
import { Stopped, type JobRun } from './run';

/** Records of a range: some seconds of work, which is the most that a killed worker loses. */
const RECORDS = 2_000;

/** What is rehearsed, as it was when the job began; and the release that it is held against. */
interface Frozen {
	set: RuleSet;
	release: number;
	hash: string;
	instant: number;
}

/** Queues a rehearsal of the draft; one that is under way is that one. @returns the job */
export async function queueRehearsal(by: Account): Promise<string> {
	return transaction(async (c) => {
		await lockDraft(c, by.workspace);
		const open = await openJob(c, by.workspace, 'rehearsal');
		if (open) return open.id;
		await note(c, by, 'rehearsed the draft');
		const { workspace } = by;
		return insertJob(c, {
			workspace,
			kind: 'rehearsal',
			title: 'The draft on the existing records',
			account: by.id,
			input: {}
		});
	});
}

/** Cuts it at first, then rehearses one range after the other. */
export async function rehearsal(run: JobRun): Promise<void> {
	if (run.range === null) await cut(run);
	else await oneRange(run, run.range);
}

/** The draft as it stands when the job begins, and the ranges of the records that there are. */
async function cut({ job }: JobRun): Promise<void> {
	const { workspace, id } = job;
	const [force, draft] = await Promise.all([inForce(db(), workspace), readDraft(db(), workspace)]);
	const { schema } = force;
	const { set } = draft;
	const ranges: Range[] = [];
	let of = 0;
	for (const type of rehearsedTypes({
		schema,
		force: force.plan,
		plan: compilePlan(schema, set)
	}))
		for (const { records, ...keys } of await cutByKey(db(), workspace, type, RECORDS)) {
			ranges.push({ n: ranges.length, type, ...keys });
			of += records;
		}
	const frozen: Frozen = {
		set,
		release: force.release,
		hash: hashOfDraft(set, schema.model),
		instant: Date.now()
	};
	await transaction(async (c) => {
		// whoever was killed after this was stored has cut it already
		if (await frozenOf(c, id)) return;
		await freeze(c, id, frozen, of);
		await cutJob(c, id, ranges);
		if (!ranges.length) await end(c, job, frozen);
	});
}

async function oneRange({ job }: JobRun, n: number): Promise<void> {
	const at = await openRange(db(), job.id, n);
	if (!at) return;
	const { frozen, compared } = await comparedBy(job.id, job.workspace);
	const result = await rehearseRange(db(), job.workspace, compared, at);
	await transaction(async (c) => {
		if (await keepRange(c, job.id, n, result, result.looked)) await end(c, job, frozen);
	});
}

/** The rule sets of the job whose ranges are worked on, compiled once for all of them. */
let compiled: { job: string; frozen: Frozen; plans: Omit<Compared, 'instant'> } | null = null;

/** @throws {BadInput} when what it is held against is no longer in force */
async function comparedBy(job: string, workspace: string) {
	const force = await inForce(db(), workspace);
	if (compiled?.job !== job || compiled.plans.force !== force.plan) {
		const frozen = await frozenOf<Frozen>(db(), job);
		// it was ended meanwhile
		if (!frozen) throw new Stopped();
		const { schema } = force;
		if (
			force.release !== frozen.release ||
			hashOfDraft(frozen.set, force.schema.model) !== frozen.hash
		)
			throw new BadInput(
				'Another release came in force, or the model changed, while it ran. Rehearse again.'
			);
		const plan = compilePlan(schema, frozen.set);
		compiled = {
			job,
			frozen,
			plans: { schema, force: force.plan, plan, differing: differing(force.plan, plan) }
		};
	}
	const { frozen, plans } = compiled;
	return { frozen, compared: { ...plans, instant: frozen.instant } };
}

async function end(c: Db, job: JobRun['job'], frozen: Frozen): Promise<void> {
	const result = together(await rangeResults<Rehearsal>(c, job.id));
	await saveRehearsal(c, job.workspace, frozen.hash, result);
	await noteEnded(c, job.id, {
		state: 'done',
		result: { records: result.records, looked: result.looked }
	});
}
