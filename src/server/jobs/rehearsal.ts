/** A rehearsal of the draft as a job: read record by record, its result kept with the draft it was made of. */

import { note } from '../audit/audit';
import { insertJob, noteEnded, openJob } from '../db/jobs';
import { countHeld } from '../db/model';
import type { Account } from '../db/people';
import { db, transaction } from '../db/pool';
import { hashOfDraft, lockDraft, readDraft, saveRehearsal } from '../db/rules';
import { rehearse } from '../look/rehearse';
import { inForce } from '../records';
import type { JobRun } from './run';

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

/** Rehearses the draft as it stands when this begins. */
export async function rehearsal({ job, progress }: JobRun): Promise<void> {
	const { workspace } = job;
	const [force, draft] = await Promise.all([inForce(db(), workspace), readDraft(db(), workspace)]);
	let of = 0;
	for (const t of force.schema.model.types) of += (await countHeld(db(), workspace, t)).records;
	const hash = hashOfDraft(draft.set, force.schema.model);
	const result = await rehearse(
		db(),
		workspace,
		force.schema,
		force.plan,
		draft.set,
		Date.now(),
		(looked) => progress(looked, of)
	);
	await transaction(async (c) => {
		await saveRehearsal(c, workspace, hash, result);
		await noteEnded(c, job.id, {
			state: 'done',
			result: { records: result.records, looked: result.looked }
		});
	});
}
