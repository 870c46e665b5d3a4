/** Accepting a finding of the draft, and taking that back. The analysis is asked first, so nobody accepts what is not there. */
import type { Acceptance, Finding } from '../../core';
import { Schema, mayBeAccepted, restsOn, timesOf } from '../../core';
import { BadInput } from '../../door';
import { knownOverruled } from '../db/journal';
import { announce } from '../db/notices';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import {
	hashOf,
	listTrials,
	lockDraft,
	putPart,
	readDraft,
	removePart,
	withLiving
} from '../db/rules';
import { lookedThrough } from '../jobs/analysis';
import type { Account } from '../people/accounts';
import { may } from '../../door/rights';
import { note } from '../audit/audit';

/** The sender may not do this; the message says who may. */
export class NotAllowed extends Error {}

/**
 * Accepts a finding with a reason, until what it rests on changes.
 * @param id the identity of the finding
 * @throws {BadInput} when it is not found in the draft as it stands, or cannot be accepted
 * @throws {NotAllowed} when it blocks and the sender is no administrator
 * @throws {NotAnalysedInTime}
 */
export async function acceptFinding(
	account: Account,
	id: string,
	reason: string
): Promise<Acceptance> {
	const { workspace } = account;
	const [{ model }, { set }, trials, overruled] = await Promise.all([
		readModel(db(), workspace),
		readDraft(db(), workspace),
		listTrials(db(), workspace),
		knownOverruled(db(), workspace)
	]);
	const whole = await withLiving(db(), workspace, set);
	const { checked } = await lookedThrough(account, { model, set: whole, trials, overruled });
	const finding = checked.findings.find((f) => f.id === id);
	if (!finding)
		throw new BadInput('This is no longer found in the draft. Look again: it may be mended.');
	mayAccept(account, finding);
	const beside = { trials, overruled };
	const times = timesOf(finding, beside);
	const acceptance: Acceptance = {
		id,
		rests: restsOn(finding, whole, new Schema(model).with(whole), beside),
		...(times === undefined ? {} : { times }),
		reason,
		by: account.name,
		at: new Date().toISOString()
	};
	await transaction(async (c) => {
		await lockDraft(c, workspace);
		const { set: now } = await readDraft(c, workspace);
		if (hashOf(now) !== hashOf(set))
			throw new BadInput('The draft changed meanwhile. Look at the finding again, then accept it.');
		await putPart(c, workspace, 'acceptance', acceptance, account.id);
		await note(c, account, 'accepted a finding', finding.message, { id, reason });
		await announce(c, { kind: 'beside', workspace });
	});
	return acceptance;
}

/** @throws {BadInput | NotAllowed} */
function mayAccept(account: Account, f: Finding) {
	if (!mayBeAccepted(f))
		throw new BadInput('What keeps a rule, definition or table from working cannot be accepted.');
	if (f.severity === 'blocking' && !may(account.role, 'accept'))
		throw new NotAllowed('This finding blocks a release; an administrator may accept it.');
}

/** Takes an acceptance back; the finding is told again. */
export async function takeBackAcceptance(account: Account, id: string): Promise<void> {
	await transaction(async (c) => {
		await lockDraft(c, account.workspace);
		await removePart(c, account.workspace, 'acceptance', id);
		await note(c, account, 'took an acceptance back', '', { id });
		await announce(c, { kind: 'beside', workspace: account.workspace });
	});
}
