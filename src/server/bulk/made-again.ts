/** A record that somebody deleted is made again, as it was and under its number. */
import type { Schema } from '../../core';
import type { BulkRow } from '../db/bulk';
import { cutBy, deletedRecord } from '../db/deleted';
import { db } from '../db/pool';
import { readRecords } from '../db/records';
import { RefusedChange, inForce, saveInOrder, type Sender } from '../records';
import { backwards } from './asked';
import { asHeldNow } from '../records/former';
import { leftBlank, restoredRow, submissionOf } from './look';
import { giveBack, linedAgain } from './piece';

/** What putting a record back came to. */
export interface MadeAgain {
	/** Links that point to it again. */
	linked: number;
	/** Links that had become blank and do not: they point elsewhere now, or a check is against it. */
	left: number;
	/** What is said of fields that cannot hold what they held. */
	blank: string[];
}

/**
 * Makes a record again that was deleted: all that it held in fields that are still there, and who had set it; links that
 * had become blank by that point to it again, unless somebody gave them another since. Locked values are settled; rules
 * that fill, events and messages do not run. Whoever is told of changes hears that it was made.
 * @throws {RefusedChange} where it is there, nothing is known of it, or a check, a key or a link stands against it
 */
export async function makeAgain(sender: Sender, type: string, id: string): Promise<MadeAgain> {
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
	const { rows: links, left } = await linksTo(workspace, schema, type, id, gone.change);
	const [held] = await asHeldNow(db(), workspace, schema, [gone]);
	const rows = [restoredRow(schema, held, 1), ...links];
	const [made, ...linked] = await saveInOrder(
		{
			...backwards(sender),
			around: {
				before: () => Promise.resolve(),
				async after(client, outcomes) {
					await giveBack(client, { workspace, asked: null }, rows, outcomes);
					await linedAgain(client, workspace, rows);
				}
			}
		},
		rows.map((r) => [r.restores ? submissionOf(r) : { ...submissionOf(r), version: r.version }])
	);
	if (made instanceof RefusedChange) throw made;
	const refused = linked.filter((o) => o instanceof RefusedChange).length;
	return {
		linked: linked.length - refused,
		left: left + refused,
		blank: leftBlank(schema, held)
	};
}

/** What makes the links point to a record again that became blank with it, and how many of them are another's now. */
async function linksTo(
	workspace: string,
	schema: Schema,
	target: string,
	id: string,
	change: string
): Promise<{ rows: BulkRow[]; left: number }> {
	const cut = (await cutBy(db(), change, id)).filter(({ type, field }) => {
		const f = schema.types.has(type) ? schema.field(type, field) : undefined;
		return f?.type === 'link' && f.target === target;
	});
	const rows: BulkRow[] = [];
	for (const type of new Set(cut.map((c) => c.type))) {
		const own = cut.filter((c) => c.type === type);
		const ids = [...new Set(own.map((c) => c.record))];
		const { at } = schema.type(type);
		for (const r of await readRecords(db(), schema, workspace, type, ids)) {
			const blank = own.filter((c) => c.record === r.id && r.values[at.get(c.field)!] === null);
			if (!blank.length) continue;
			rows.push({
				n: rows.length + 2,
				type,
				record: r.id,
				title: '',
				version: r.version,
				sent: blank.map((c) => [c.field, id]),
				keep: blank.map((c) => c.field),
				had: Object.fromEntries(blank.map((c) => [c.field, c.had])),
				removes: false,
				restores: false
			});
		}
	}
	return { rows, left: cut.length - rows.reduce((n, r) => n + r.sent.length, 0) };
}
