/** Deletes records. */
import type pg from 'pg';
import type { Schema, SubmittedRecord } from '../../core';
import { refKey, toJson } from '../../core';
import { note } from '../audit/audit';
import { holdStill } from '../db/between';
import { relatedIds } from '../db/records';
import { AtHand } from './near';
import { inForce } from './force';
import { foresee } from './foresee';
import { keepChanges } from './keep';
import { lockRecords, locking, needLocks, toLock } from './locks';
import { changeOf, noteRefused, refuseBlocked } from './save';
import { readSubmission, sentOf, storedOf } from './submitted';
import type { Sender, Submission } from './types';
import { RefusedChange } from './types';

/** Most records whose link may become blank because what it points to is deleted. */
const MOST_BLANKED = 2_000;

/** A record that is to be deleted. */
export interface Removal {
	type: string;
	id: string;
	/** The version that was seen. */
	version?: number;
	/** Only if nothing links to it, whatever becomes of such links otherwise. */
	unlinked?: boolean;
}

/**
 * Deletes a record. One that others link to is kept, unless those links say that they become blank;
 * roll-ups follow. @throws {RefusedChange}
 */
export async function remove(sender: Sender, target: Removal): Promise<void> {
	try {
		await removeIn(sender, target);
	} catch (e) {
		if (e instanceof RefusedChange) await noteRefused(sender, e);
		throw e;
	}
}

async function removeIn(sender: Sender, target: Removal): Promise<void> {
	const { workspace, around } = sender;
	await locking(async (client, locks) => {
		await around?.before(client);
		await holdStill(client, workspace);
		const force = await (sender.force ?? inForce)(client, workspace);
		const { schema, plan } = force;
		const foreseen = [{ type: target.type, id: target.id, sent: [], removed: true as const }];
		if (!locks.size) await foresee(client, workspace, plan, foreseen, locks);
		// nobody can link to it from here on: whoever tries waits for its key
		const stored = await lockRecords(
			client,
			workspace,
			schema,
			[target],
			locks,
			force.pilot,
			target.type
		);
		const gone = storedOf(schema, { ...target, sent: [], keep: [] }, stored, 0)!;
		const rest = await blanked(client, workspace, schema, target);
		needLocks(
			rest.map((x) => ({ type: x.type, id: x.id! })),
			stored,
			locks
		);
		const atHand = new AtHand(client, workspace, schema, { pilot: force.pilot });
		atHand.put(stored.values());
		const records: SubmittedRecord[] = [
			{
				type: gone.type,
				id: gone.id,
				created: false,
				was: gone.values,
				sent: new Map(),
				keep: new Set(),
				inLine: true,
				removed: true
			},
			...rest.map((s, i) => {
				const had = stored.get(refKey(s.type, s.id!))!;
				return readSubmission(schema, force, atHand.loader, s, had, s.id!, i + 1);
			})
		];
		const change = changeOf(sender, records);
		const settled = await atHand.settle(plan, change, sender.most);
		needLocks(toLock(settled, atHand.children), stored, locks);
		refuseBlocked(force, settled.records, () => sentOf(sender, records));
		const outcomes = await keepChanges(client, sender, force, [{ records, settled }], stored);
		await around?.after(client, outcomes);
		// what a job deletes is noted with the job
		if (sender.job) return;
		const { type } = schema.type(target.type);
		const title = toJson(gone.values[schema.type(target.type).at.get(type.title)!] ?? null);
		const by = { ...sender.account, workspace };
		const object = `${type.label} ${title === null ? '' : `“${String(title)}”, `}No. ${target.id}`;
		await note(client, by, 'deleted a record', object, { type: target.type, id: target.id });
	});
}

/** The records whose links to one become blank. @throws {RefusedChange} when a link does not say so */
async function blanked(
	client: pg.PoolClient,
	workspace: string,
	schema: Schema,
	target: Removal
): Promise<Submission[]> {
	const out = new Map<string, Submission>();
	for (const t of schema.model.types)
		for (const f of t.fields) {
			if (f.type !== 'link' || f.target !== target.type) continue;
			const ids = (await relatedIds(client, workspace, t.id, f.id, [target.id])).get(target.id);
			const others = ids?.filter((id) => t.id !== target.type || id !== target.id) ?? [];
			if (!others.length) continue;
			const one = others.length === 1;
			if (target.unlinked || f.whenDeleted !== 'blank' || others.length > MOST_BLANKED) {
				const many = one
					? `A ${t.label.toLowerCase()}`
					: `${others.length} ${t.plural.toLowerCase()}`;
				const message = `${many} ${one ? 'links' : 'link'} to it by ${f.label}, so it is kept. Link ${one ? 'it' : 'them'} elsewhere first.`;
				throw new RefusedChange([{ field: null, message }], 0, 409);
			}
			for (const id of others) {
				const had = out.get(refKey(t.id, id)) ?? { type: t.id, id, sent: [], keep: [] };
				out.set(refKey(t.id, id), {
					...had,
					sent: [...had.sent, [f.id, null]],
					keep: [...had.keep, f.id]
				});
			}
		}
	return [...out.values()];
}
