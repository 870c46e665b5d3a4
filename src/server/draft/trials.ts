/** Trials are part of the draft: each is stored and removed whole, in a step of its own. */
import { canonicalJson, type Trial } from '../../core';
import { checkTrial } from '../../door';
import { note } from '../audit/audit';
import type { Account } from '../db/people';
import { transaction } from '../db/pool';
import { listTrials, lockDraft, removeTrial, saveTrial } from '../db/rules';
import { counted, type Step } from './revision';

/** Somebody stored a trial otherwise, or took it away, since it was seen by whoever stores or removes it. */
export class TrialMoved extends Error {}

/** Whether two are the same trial, however each was written down. */
function alike(a: unknown, b: Trial | null): boolean {
	if (a === null || b === null) return a === b;
	try {
		return canonicalJson(checkTrial(a)) === canonicalJson(checkTrial(b));
	} catch {
		return false;
	}
}

/**
 * Stores a trial; a new one comes last.
 * @param had the trial as whoever stores it saw it, null for one that was not there; nothing is said of that where it is left out
 * @throws {TrialMoved} where another stands there now
 */
export async function storeTrial(by: Account, trial: Trial, had?: unknown): Promise<Step> {
	return transaction(async (c) => {
		await lockDraft(c, by.workspace);
		const was = (await listTrials(c, by.workspace)).find((t) => t.id === trial.id) ?? null;
		if (had !== undefined && !alike(had, was))
			throw new TrialMoved(
				was
					? 'Somebody stored this trial otherwise meanwhile. Yours is not stored: keep it once more to put it in the place of that.'
					: 'Somebody took this trial away meanwhile. Keep it once more to have it again.'
			);
		await saveTrial(c, by.workspace, trial);
		await note(c, by, 'stored a trial', trial.name, { was, now: trial });
		return counted(c, by);
	});
}

/** Stores several trials in one step: all of them or none. */
export async function storeTrials(by: Account, trials: readonly Trial[]): Promise<Step> {
	return transaction(async (c) => {
		await lockDraft(c, by.workspace);
		const had = new Map((await listTrials(c, by.workspace)).map((t) => [t.id, t]));
		for (const trial of trials) {
			await saveTrial(c, by.workspace, trial);
			const was = had.get(trial.id) ?? null;
			await note(c, by, 'stored a trial', trial.name, { was, now: trial });
		}
		return counted(c, by);
	});
}

/**
 * Removes a trial; one that is gone is gone.
 * @param had the trial as whoever removes it saw it; nothing is said of that where it is left out
 * @throws {TrialMoved} where it was stored otherwise since
 */
export async function dropTrial(by: Account, id: string, had?: unknown): Promise<Step> {
	return transaction(async (c) => {
		await lockDraft(c, by.workspace);
		const was = (await listTrials(c, by.workspace)).find((t) => t.id === id);
		if (was && had !== undefined && !alike(had, was))
			throw new TrialMoved(
				'Somebody stored this trial otherwise meanwhile, so it is not removed. Look at it, and remove it once more if it is to go all the same.'
			);
		await removeTrial(c, by.workspace, id);
		if (was) await note(c, by, 'removed a trial', was.name, { was });
		return counted(c, by);
	});
}
