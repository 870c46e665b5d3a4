/** Carries on changes that ran on to more records than one transaction takes. */
import type { SubmittedRecord } from '../../core';
import { refKey } from '../../core';
import { holdStill } from '../db/between';
import { donePending, takePending, type BeforeThen } from '../db/carried';
import { beforeNow } from './former';
import { AtHand } from './near';
import { inForce } from './force';
import { keepChanges } from './keep';
import type { Locks } from './locks';
import { lockRecords, locking, needLocks, toLock } from './locks';
import { changeOf } from './save';
import { addedOf } from './submitted';
import type { Sender } from './types';

/**
 * Settles one piece of what a change was put off at, in a transaction of its own.
 * @param locks what the pieces before it had to lock besides, most likely the same; what this one must is added
 * @returns how many records were done; 0 when somebody else has them
 */
export async function carryOnPiece(
	piece: {
		sender: Sender;
		carried: string;
		before: readonly BeforeThen[];
		records: readonly { type: string; id: string }[];
	},
	locks: Locks
): Promise<number> {
	const { sender, carried } = piece;
	return locking(async (client) => {
		const pending = await takePending(client, carried, piece.records);
		if (!pending.length) return 0;
		await holdStill(client, sender.workspace);
		const force = await inForce(client, sender.workspace);
		const { schema, plan } = force;
		const stored = await lockRecords(client, sender.workspace, schema, pending, locks, force.pilot);
		const records = pending.flatMap(({ type, id, touched }): SubmittedRecord[] => {
			const r = stored.get(refKey(type, id));
			// one that was deleted meanwhile needs nothing any more
			if (!r) return [];
			return [
				{
					type,
					id,
					created: false,
					was: r.values,
					sent: new Map(),
					keep: new Set(),
					// one that nothing ran on to is here because another release settled it
					inLine: touched.length > 0,
					added: addedOf(r.setBy),
					pilot: r.pilot ?? false,
					touched
				}
			];
		});
		if (records.length) {
			const before = await beforeNow(client, sender.workspace, schema, piece.before);
			const atHand = new AtHand(client, sender.workspace, schema, { pilot: force.pilot, before });
			atHand.put(stored.values());
			const change = changeOf(sender, records);
			const settled = await atHand.settle(plan, change, sender.most);
			needLocks(toLock(settled, atHand.children), stored, locks);
			await keepChanges(client, sender, force, [{ records, settled, before }], stored);
		}
		await donePending(client, carried, pending);
		return pending.length;
	}, locks);
}
