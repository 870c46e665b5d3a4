/** Releases: made of the draft, put in force, taken as the draft, and drafts that were put aside for one. */
import type { Finding, Model, Plan, RuleSet } from '../../core';
import { Schema, compilePlan, standsIn, stopsRelease } from '../../core';
import { BadInput } from '../../door';
import {
	held,
	heldReturn,
	keepsOut,
	needsReason,
	rehearsedAs,
	unlooked,
	type Passing,
	type Reasons,
	type ReturnRehearsed
} from '../../door/gate';
import type { AnalysisAnswer } from '../../workers/analysis.thread';
import { note } from '../audit/audit';
import { knownOverruled } from '../db/journal';
import { indexMatched, readModel } from '../db/model';
import { betweenChanges } from '../db/between';
import { needsSecond } from '../db/people';
import { newestOfDraft, rehearsedReturns } from '../db/rehearsals';
import { listRemarks } from '../db/remarks';
import { readGate } from '../db/workspace';
import type { Account } from '../db/people';
import type { Db } from '../db/pool';
import { db, transaction } from '../db/pool';
import {
	createRelease,
	hashOf,
	hashOfDraft,
	keepDraft,
	listTrials,
	lockDraft,
	putInForce,
	readDraft,
	readKeptDraft,
	readRelease,
	releaseInForce,
	replaceDraft,
	rulesOf,
	withLiving,
	wroteSinceRelease
} from '../db/rules';
import { lookedThrough } from '../jobs/analysis';
import { queueLineOfRelease } from '../jobs/line';
import { inForce } from '../records';
import { noteLocked } from '../records/locked';
import { unfitFor } from './fits';
import { refuseWhilePiloting } from './pilot';
import { DraftMoved, counted, needsRevision, type Step } from './revision';

/** There is no such release, or no such draft put aside. */
export class NoSuchRelease extends Error {}

/** Somebody else has to do this. */
export class NeedsSecond extends Error {}

async function readAll(c: Db, workspace: string) {
	const { model } = await readModel(c, workspace);
	return { model, draft: await readDraft(c, workspace), trials: await listTrials(c, workspace) };
}

/** @throws {NeedsSecond} when whoever releases wrote in the draft, and a second person is asked for */
export async function mayRelease(c: Db, account: Account): Promise<void> {
	if (!(await needsSecond(c, account.workspace))) return;
	if (await wroteSinceRelease(c, account.workspace, account.id))
		throw new NeedsSecond(
			'You wrote in this draft since the last release: somebody else releases it. Settings say so.'
		);
}

/** Holds a draft against the gate of the workspace. @returns what came of it, and the finding that blocks first */
async function heldAgainst(
	c: Db,
	workspace: string,
	{ model, set, trials }: { model: Model; set: RuleSet; trials: readonly unknown[] },
	{ checked, failing, tried, noticed }: AnalysisAnswer
): Promise<{ passing: Passing[]; blocks: Finding | undefined }> {
	const gate = await readGate(c, workspace);
	const force = await releaseInForce(c, workspace);
	const doc = force ? await readRelease(c, workspace, force) : null;
	const earlier = doc && (await withLiving(c, workspace, rulesOf(doc)));
	const whole = await withLiving(c, workspace, set);
	const schema = new Schema(model);
	const blocking = checked.findings.filter(stopsRelease);
	const inherited = earlier
		? blocking.filter((f) =>
				standsIn(
					f,
					{ set: whole, schema: schema.with(whole) },
					{ set: earlier, schema: schema.with(earlier) }
				)
			)
		: [];
	const rehearsal = await newestOfDraft(c, workspace, 'records');
	const replay = await newestOfDraft(c, workspace, 'changes');
	const remarks = (await listRemarks(c, workspace)).filter((m) => m.settledAt === null);
	const passing = held(gate, {
		blocking: blocking.length,
		inherited: inherited.length,
		failing: failing.length,
		trials: trials.length,
		tried,
		noticed,
		remarks,
		...rehearsedAs(rehearsal, replay, hashOfDraft(set, model), force)
	});
	return { passing, blocks: blocking.find((f) => gate.inherited || !inherited.includes(f)) };
}

/**
 * Releases the draft that the sender looked at, and puts it in force, if the gate lets it through. Of two at
 * once one is made.
 * @param reasons why, for what is not met and asks for a reason
 * @param seen revision of the draft that was looked at
 * @param lock what is Locked is brought into line at once, in all records; else they are listed as out of line
 * @param hold it is only made, to be put in force later, or to decide some records first
 * @throws {BadInput | DraftMoved | NeedsSecond}
 */
export async function releaseDraft(
	account: Account,
	asked: { note: string; reasons: Reasons; seen: number; lock?: boolean; hold?: boolean }
): Promise<{ number: number } & Step> {
	const { workspace } = account;
	if (!asked.hold) await refuseWhilePiloting(db(), workspace);
	// what takes long is done on what was read, before anything is locked
	await needsRevision(db(), workspace, asked.seen);
	await mayRelease(db(), account);
	const looked = await readAll(db(), workspace);
	const { set } = looked.draft;
	const whole = await withLiving(db(), workspace, set);
	const plan = compilePlan(new Schema(looked.model), whole);
	const gate = await readGate(db(), workspace);
	const answer = await lookedThrough(account, {
		model: looked.model,
		set: whole,
		trials: looked.trials,
		overruled: await knownOverruled(db(), workspace),
		...(gate.levels.strength === 'shown' ? {} : { strength: true })
	});
	const { failing } = answer;
	const { passing, blocks } = await heldAgainst(db(), workspace, { ...looked, set }, answer);
	const shut = passing.find(keepsOut);
	if (shut?.what === 'findings') throw new BadInput(`${shut.says} ${blocks?.message ?? ''}`);
	const first = looked.trials.find((t) => t.id === failing[0]);
	const which = (p: Passing) =>
		p.what === 'trials' && first ? `${p.says} “${first.name}” first.` : p.says;
	if (shut) throw new BadInput(`${which(shut)} Nothing is released before that is so.`);
	const told = passing.map((p) =>
		needsReason(p) ? { ...p, reason: asked.reasons[p.what] ?? '' } : p
	);
	const unsaid = told.find((p) => p.reason === '');
	if (unsaid)
		throw new BadInput(`${which(unsaid)} Mend it, or say why to release it all the same.`);
	const begins = set.tables?.some((t) => t.living && t.rows.length);
	return transaction(async (c) => {
		if (begins) await betweenChanges(c, workspace);
		await lockDraft(c, workspace);
		if (!asked.hold) await refuseWhilePiloting(c, workspace);
		await needsRevision(c, workspace, asked.seen);
		await mayRelease(c, account);
		const { draft, model, trials } = await readAll(c, workspace);
		// what is accepted of the findings has no revision and may stop or let through a release
		if (hashOf([draft.set, model, trials]) !== hashOf([set, looked.model, looked.trials]))
			throw new DraftMoved('The draft changed since you looked at it. Look again, then go on.');
		await indexMatched(c, plan.matched);
		const before = (await inForce(c, workspace)).plan;
		// the gate may have been set anew, or another release have come in force meanwhile
		const again = await heldAgainst(c, workspace, { ...looked, set }, answer);
		if (hashOf(again.passing) !== hashOf(passing))
			throw new DraftMoved('What has to be so changed meanwhile. Look again, then go on.');
		const number = await createRelease(
			c,
			workspace,
			draft.set,
			model,
			asked.note,
			account.id,
			told,
			!asked.hold
		);
		if (!asked.hold) await existing(c, account, number, before, plan, asked.lock ?? false);
		await note(c, account, 'released', `Release ${number}`, {
			note: asked.note,
			...(asked.hold ? { held: true } : {}),
			failing,
			reasons: asked.reasons
		});
		return { number, ...(await counted(c, account)) };
	});
}

/** What becomes of the records that exist when another release comes in force, in its transaction. */
async function existing(
	c: Db,
	account: Account,
	release: number,
	before: Plan,
	after: Plan,
	lock: boolean
): Promise<void> {
	if (lock) await noteLocked(c, account, release, { before, after }, Date.now());
	await queueLineOfRelease(c, account.workspace, before, after, account.id);
}

/** What is known of the return to each release that was rehearsed, by its number. */
export async function returnsRehearsed(
	db: Db,
	workspace: string,
	force: number
): Promise<Map<number, ReturnRehearsed>> {
	const all = await rehearsedReturns(db, workspace, force);
	return new Map(
		[...all].map(([number, h]) => [
			number,
			{ id: h.id, records: h.records, surprises: unlooked(h) }
		])
	);
}

/**
 * Puts an earlier release in force again.
 * @param asked whether what is Locked is brought into line in all records at once, and why it is put in force although
 *   it is not as the gate has it
 * @throws {NoSuchRelease | BadInput}
 */
export async function putReleaseInForce(
	account: Account,
	number: number,
	{ lock = false, reason = '' }: { lock?: boolean; reason?: string } = {}
): Promise<Step> {
	const { workspace } = account;
	return transaction(async (c) => {
		await lockDraft(c, workspace);
		await refuseWhilePiloting(c, workspace);
		const doc = await readRelease(c, workspace, number);
		if (!doc) throw new NoSuchRelease(`There is no release ${number}.`);
		const force = await releaseInForce(c, workspace);
		const rehearsed = (await returnsRehearsed(c, workspace, force)).get(number) ?? null;
		// to what is in force already, and where nothing is, it is no return
		const passing =
			force && force !== number ? heldReturn(await readGate(c, workspace), rehearsed) : [];
		const open = passing.find(needsReason);
		if (open && !reason)
			throw new BadInput(
				`${open.says} Rehearse it first, or say why to put it in force all the same.`
			);
		const { plan: before, schema, modelRevision, release } = await inForce(c, workspace);
		const why = await unfitFor(c, workspace, number, schema.model, modelRevision);
		if (why)
			throw new BadInput(
				`Release ${number} no longer runs on the model as it is today. ${why} Take it as the draft and mend it there.`
			);
		await putInForce(c, workspace, number, account.id);
		const set = await withLiving(c, workspace, rulesOf(doc));
		const after = compilePlan(new Schema(schema.model), set);
		await existing(c, account, number, before, after, lock);
		await note(c, account, 'put in force', `Release ${number}`, {
			before: release,
			...(passing.length ? { passing: passing.map((p) => p.says) } : {}),
			...(open ? { reason } : {})
		});
		return counted(c, account);
	});
}

/** Puts the draft aside and another in its place, in one step. */
async function replace(
	c: Parameters<Parameters<typeof transaction>[0]>[0],
	account: Account,
	set: RuleSet,
	instead: string
): Promise<Step> {
	const { workspace } = account;
	const { set: had } = await readDraft(c, workspace);
	await keepDraft(c, workspace, had, instead, account.id);
	await replaceDraft(c, workspace, set, account.id);
	return counted(c, account);
}

/**
 * Takes a release as the draft. The draft that it replaces is put aside, to be returned to.
 * @param seen revision of the draft that was looked at
 * @throws {NoSuchRelease | DraftMoved}
 */
export async function takeAsDraft(account: Account, number: number, seen: number): Promise<Step> {
	return transaction(async (c) => {
		await lockDraft(c, account.workspace);
		await needsRevision(c, account.workspace, seen);
		const doc = await readRelease(c, account.workspace, number);
		if (!doc) throw new NoSuchRelease(`There is no release ${number}.`);
		await note(c, account, 'took a release as the draft', `Release ${number}`);
		return replace(c, account, rulesOf(doc), `Release ${number}`);
	});
}

/** Returns to a draft that was put aside; the one that stands is put aside for it. @throws {NoSuchRelease | DraftMoved} */
export async function returnToDraft(account: Account, id: string, seen: number): Promise<Step> {
	return transaction(async (c) => {
		await lockDraft(c, account.workspace);
		await needsRevision(c, account.workspace, seen);
		const kept = await readKeptDraft(c, account.workspace, id);
		if (!kept) throw new NoSuchRelease('There is no such draft put aside.');
		await note(c, account, 'returned to a draft', `Draft of ${kept.at}`);
		return replace(c, account, kept.set, `Draft of ${kept.at}`);
	});
}
