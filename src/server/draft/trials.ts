/** Trials are part of the draft: each is stored and removed whole, in a step of its own. */
import type { Trial } from '../../core';
import { note } from '../audit/audit';
import type { Account } from '../db/people';
import { transaction } from '../db/pool';
import { listTrials, lockDraft, removeTrial, saveTrial } from '../db/rules';
import { counted, type Step } from './revision';

/** Stores a trial; a new one comes last. */
export async function storeTrial(by: Account, trial: Trial): Promise<Step> {
	return transaction(async (c) => {
		await lockDraft(c, by.workspace);
		const was = (await listTrials(c, by.workspace)).find((t) => t.id === trial.id) ?? null;
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

/** Removes a trial; one that is gone is gone. */
export async function dropTrial(by: Account, id: string): Promise<Step> {
	return transaction(async (c) => {
		await lockDraft(c, by.workspace);
		const was = (await listTrials(c, by.workspace)).find((t) => t.id === id);
		await removeTrial(c, by.workspace, id);
		if (was) await note(c, by, 'removed a trial', was.name, { was });
		return counted(c, by);
	});
}
