/** A record that somebody deleted is made again, as it was and under its number. */
import { deletedRecord } from '../db/deleted';
import { db } from '../db/pool';
import { RefusedChange, inForce, save, type SaveOutcome, type Sender } from '../records';
import { backwards } from './asked';
import { restoredRow, submissionOf } from './look';
import { giveBack, linedAgain } from './piece';

/**
 * Makes a record again that was deleted: all that it held in fields that are still there, and who had set it. Locked
 * values are settled; rules that fill, events and messages do not run. Whoever is told of changes hears that it was made.
 * @throws {RefusedChange} where it is there, nothing is known of it, or a check, a key or a link stands against it
 */
export async function makeAgain(sender: Sender, type: string, id: string): Promise<SaveOutcome> {
	const { workspace } = sender;
	const { schema } = await inForce(db(), workspace);
	const known = schema.types.has(type) && /^\d{1,18}$/.test(id);
	const gone = known ? await deletedRecord(db(), workspace, type, id) : null;
	if (!gone)
		throw new RefusedChange(
			[
				{
					field: null,
					message: 'It is there, or nothing is known of what it held: it cannot be made again.'
				}
			],
			0,
			404
		);
	const row = restoredRow(schema, gone, 1);
	const [outcome] = await save(
		{
			...backwards(sender),
			around: {
				before: () => Promise.resolve(),
				async after(client, outcomes) {
					await giveBack(client, { workspace, asked: null }, [row], outcomes);
					await linedAgain(client, workspace, [row]);
				}
			}
		},
		[submissionOf(row)]
	);
	return outcome;
}
