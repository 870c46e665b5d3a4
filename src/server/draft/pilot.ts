/**
 * A pilot: a release in force for some records first, while the one in force decides all others. Its records are
 * stored as its members; who belongs to it changes only by starting, widening and ending it, and by changes.
 */
import type { Plan, PilotChoice, RuleSet } from '../../core';
import { compileChoice, compilePlan, joinPlans, lastingClaims } from '../../core';
import { BadInput } from '../../door';
import { EVERYTHING } from '../../door/lists';
import type { PilotStep } from '../../door/pilot';
import { note } from '../audit/audit';
import {
	addMembers,
	changeChoice,
	endPilot,
	insertPilot,
	lastingOf,
	pilotOn,
	type Lasting
} from '../db/pilot';
import type { Account } from '../db/people';
import { db, transaction, type Db } from '../db/pool';
import { lockDraft, putInForce, readRelease, rulesOf, withLiving } from '../db/rules';
import { queueLineOfRelease } from '../jobs/line';
import { readyList, stretchOf } from '../lists/list';
import { inForce, type InForce } from '../records';
import { besideOf } from '../records/apart';
import { unfitFor } from './fits';
import { counted } from './revision';

/** Records of a list that are read with one statement. */
const PIECE = 1_000;

/** What is kept from being in force while a pilot is on. @throws {BadInput} */
export async function refuseWhilePiloting(c: Db, workspace: string): Promise<void> {
	const on = await pilotOn(c, workspace);
	if (on)
		throw new BadInput(
			`Release ${on.release} is on as a pilot, beside the one in force. Withdraw it, or put it in force for all records, first.`
		);
}

/**
 * What is in force once a release is a pilot for some records.
 * @throws {BadInput} when it cannot be, saying why
 */
async function both(
	c: Db,
	workspace: string,
	force: InForce,
	release: number,
	choice: PilotChoice
): Promise<{ pilot: Plan; plan: Plan; beside: Plan }> {
	if (!force.release)
		throw new BadInput('Nothing is in force yet: a pilot needs a release beside it.');
	if (release === force.release)
		throw new BadInput(`Release ${release} is in force for all records already.`);
	const doc = await readRelease(c, workspace, release);
	if (!doc) throw new BadInput(`There is no release ${release}.`);
	const { schema, modelRevision } = force;
	const why = await unfitFor(c, workspace, release, schema.model, modelRevision);
	if (why)
		throw new BadInput(`Release ${release} no longer runs on the model as it is today. ${why}`);
	const { joins, problems } = compileChoice(schema, choice);
	if (problems.length) {
		const { type, message } = problems[0];
		const of = schema.types.get(type)?.type.plural;
		throw new BadInput(`The condition${of ? ` for ${of}` : ''}: ${message}`);
	}
	const set: RuleSet = await withLiving(c, workspace, rulesOf(doc));
	const pilot = compilePlan(schema, set);
	const beside = besideOf(force.plan);
	const joined = joinPlans(beside, pilot, joins);
	if (!joined.plan)
		throw new BadInput(
			`Release ${release} and release ${force.release} cannot decide side by side: together their rules go in a circle, ${joined.circle}.`
		);
	return { pilot, plan: joined.plan, beside };
}

/** The records that meet the conditions of a choice now, by type. */
async function chosenNow(
	c: Db,
	by: Account,
	force: InForce,
	choice: PilotChoice
): Promise<Map<string, string[]>> {
	const out = new Map<string, string[]>();
	const who = { workspace: by.workspace, person: by.person, instant: Date.now() };
	for (const { type, condition } of choice.chosen) {
		const asked = { ...EVERYTHING, columns: [], sort: null, where: condition };
		const list = await readyList(c, force.schema, who, type, asked);
		const ids: string[] = [];
		let from: Parameters<typeof stretchOf>[2]['from'] = null;
		do {
			const stretch = await stretchOf(c, list, { from, back: false, size: PIECE });
			ids.push(...stretch.rows.map((r) => r.record.id));
			from = stretch.next;
		} while (from);
		out.set(type, ids);
	}
	return out;
}

const counts = (chosen: ReadonlyMap<string, readonly string[]>): Record<string, number> =>
	Object.fromEntries([...chosen].map(([type, ids]) => [type, ids.length]));

/** How many records that exist a choice takes now, by type; nothing is stored. @throws {BadInput} when it cannot be */
export async function lookAtPilot(
	by: Account,
	{ release, choice }: Extract<PilotStep, { step: 'look' }>
): Promise<{ members: Record<string, number> }> {
	const force = await inForce(db(), by.workspace);
	await both(db(), by.workspace, force, release, choice);
	return { members: counts(await chosenNow(db(), by, force, choice)) };
}

/** Starts a pilot with all records that exist and meet its conditions. @throws {BadInput} */
export async function startPilot(
	by: Account,
	{ release, choice, why }: Extract<PilotStep, { step: 'start' }>
): Promise<{ id: string; members: Record<string, number> }> {
	const { workspace } = by;
	return transaction(async (c) => {
		await lockDraft(c, workspace);
		await refuseWhilePiloting(c, workspace);
		const force = await inForce(c, workspace);
		const { pilot, plan, beside } = await both(c, workspace, force, release, choice);
		const named = { release, beside: force.release, choice, why, account: by.id };
		const id = await insertPilot(c, workspace, named);
		const chosen = await chosenNow(c, by, force, choice);
		for (const [type, ids] of chosen) await addMembers(c, id, type, ids, 'chosen');
		await queueLineOfRelease(c, workspace, beside, pilot, by.id, plan);
		const members = counts(chosen);
		await note(c, by, 'started a pilot', `Release ${release}`, {
			beside: force.release,
			choice,
			members,
			...(why ? { why } : {})
		});
		await counted(c, by);
		return { id, members };
	});
}

/** The pilot that was seen, if it is on still. @throws {BadInput} */
async function stillOn(c: Db, workspace: string, id: string) {
	const on = await pilotOn(c, workspace);
	if (on?.id !== id) throw new BadInput('This pilot has ended meanwhile. Look at the page again.');
	return on;
}

/**
 * Lets more records belong to a pilot: those that meet the conditions now, and from now on those that it says. None
 * leaves it by that. @throws {BadInput}
 */
export async function widenPilot(
	by: Account,
	{ pilot: id, version, choice }: Extract<PilotStep, { step: 'widen' }>
): Promise<{ members: Record<string, number> }> {
	const { workspace } = by;
	return transaction(async (c) => {
		await lockDraft(c, workspace);
		const on = await stillOn(c, workspace, id);
		if (on.version !== version)
			throw new BadInput(
				'Somebody widened this pilot since you looked at it. Look again, then go on.'
			);
		const force = await inForce(c, workspace);
		const { pilot, plan, beside } = await both(c, workspace, force, on.release, choice);
		await changeChoice(c, id, choice);
		const members: Record<string, number> = {};
		for (const [type, ids] of await chosenNow(c, by, force, choice))
			members[type] = await addMembers(c, id, type, ids, 'chosen');
		await queueLineOfRelease(c, workspace, beside, pilot, by.id, plan);
		await note(c, by, 'widened a pilot', `Release ${on.release}`, { choice, members });
		await counted(c, by);
		return { members };
	});
}

/**
 * Ends a pilot: its release comes in force for all records, or decides nothing any more. Either way nothing is written
 * in records: those that differ from what is in force then are listed as out of line. @throws {BadInput}
 */
export async function endOfPilot(
	by: Account,
	{ step, pilot: id, why }: Extract<PilotStep, { pilot: string; why: string }>
): Promise<{ release: number }> {
	const { workspace } = by;
	return transaction(async (c) => {
		await lockDraft(c, workspace);
		const on = await stillOn(c, workspace, id);
		const { release } = on;
		const force = await inForce(c, workspace);
		const beside = besideOf(force.plan);
		const pilot = force.plan.pilot!.plan;
		const taken = step === 'take';
		const lasting = await lastingOf(c, on, lastingClaims(pilot));
		await endPilot(c, id, taken ? 'taken' : 'withdrawn', why, by.id, lasting);
		if (taken) await putInForce(c, workspace, release, by.id);
		const [before, after] = taken ? [beside, pilot] : [pilot, beside];
		await queueLineOfRelease(c, workspace, before, after, by.id);
		await note(
			c,
			by,
			taken ? 'put a pilot in force for all' : 'withdrew a pilot',
			`Release ${release}`,
			{ beside: force.release, lasting, ...(why ? { why } : {}) }
		);
		await counted(c, by);
		return { release: taken ? release : force.release };
	});
}

/** What ending a pilot would not undo. @throws {BadInput} when it has ended */
export async function lastingNow(
	by: Account,
	{ pilot: id }: Extract<PilotStep, { step: 'lasting' }>
): Promise<Lasting> {
	const on = await stillOn(db(), by.workspace, id);
	const { plan } = await inForce(db(), by.workspace);
	return lastingOf(db(), on, lastingClaims(plan.pilot!.plan));
}
