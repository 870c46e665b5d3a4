/**
 * Locks. Every record that is written, or read through a link, is locked in one order before a change begins; which these
 * are is known only after settling it. What was missing is locked then where nobody has it; otherwise the change begins
 * again until none is missing.
 */
import type pg from 'pg';
import type { Schema, Settled } from '../../core';
import { refKey, same } from '../../core';
import type { Db } from '../db/pool';
import { transaction } from '../db/pool';
import type { StoredRecord } from '../db/records';
import { readRecords } from '../db/records';
import type { PilotOn } from '../db/pilot';
import { markPilot } from './force';
import type { AtHand } from './near';
import { RefusedChange } from './types';

/** Record numbers by type. */
export type Locks = Map<string, Set<string>>;

/** Most times a change is settled again because it ran on to records that were not locked yet. */
const MOST_ROUNDS = 8;

/** Thrown inside a transaction that must begin again with more records locked. */
class MoreLocks extends Error {}

/**
 * Whether something that is linked to was deleted by somebody else at the same moment. What is only pointed to is not
 * locked: many may point to the same record, and would wait for each other.
 */
const isDangling = (e: unknown): boolean =>
	e instanceof Error && (e as { code?: unknown }).code === '23503';

/**
 * Runs work in a transaction; begins again with more records locked until none was missing, and where what a link points
 * to went away meanwhile: it is found missing then, and said at its field.
 * @param locks what to lock from the start; what was missing is added
 */
export async function locking<T>(
	work: (client: pg.PoolClient, locks: Locks) => Promise<T>,
	locks: Locks = new Map()
): Promise<T> {
	for (let round = 1; ; round++) {
		try {
			return await transaction((client) => work(client, locks));
		} catch (e) {
			if (!(e instanceof MoreLocks) && !(isDangling(e) && round < MOST_ROUNDS)) throw e;
			if (round === MOST_ROUNDS)
				throw new RefusedChange(
					[{ field: null, message: 'Others keep changing the same records. Try again.' }],
					0,
					409
				);
		}
	}
}

/**
 * Locks and reads records, in (type, number) order, so that two changes never wait for each other in a circle.
 * @param pilot of whose records it is noted that they belong to it
 * @param keys a record type whose records are locked so that no link can come to point to them
 */
export async function lockRecords(
	client: Db,
	workspace: string,
	schema: Schema,
	wanted: readonly { type: string; id: string | null }[],
	locks: Locks,
	pilot: PilotOn | null,
	keys?: string
): Promise<Map<string, StoredRecord>> {
	const byType: Locks = new Map([...locks].map(([type, ids]) => [type, new Set(ids)]));
	for (const { type, id } of wanted)
		if (id !== null && schema.types.has(type) && /^\d{1,18}$/.test(id))
			byType.set(type, (byType.get(type) ?? new Set<string>()).add(id));
	const stored = new Map<string, StoredRecord>();
	for (const type of [...byType.keys()].sort()) {
		const how = type === keys ? 'for update' : 'for no key update';
		const ids = [...byType.get(type)!];
		for (const r of await readRecords(client, schema, workspace, type, ids, how))
			stored.set(refKey(type, r.id), r);
	}
	await markPilot(client, pilot, stored.values());
	return stored;
}

/**
 * What a settled change must have locked: what it ran on to, and what it read through a link. What
 * was read as one of the many that point to a locked record needs no lock of its own: whoever changes
 * it reaches that record, and waits for it.
 */
export function toLock(
	settled: Settled,
	children: ReadonlySet<string>
): { type: string; id: string }[] {
	const parents = settled.read.filter((r) => !children.has(refKey(r.type, r.id)));
	return [...settled.records.filter((r) => r.reached), ...parents];
}

/**
 * Locks what a change turned out to need besides, where nobody has it at this moment: nobody is waited for, so no two wait
 * for each other in a circle, and the change need not begin again. What was read before must stand as it was read; of a
 * record behind whose links something was read that is not known, since those change without it.
 * @param held records that are locked, or were only now made
 * @param locks what is missing is added, for whoever has to begin again
 * @returns the records as they are
 * @throws {MoreLocks} where somebody has one of them, or it is otherwise by now
 */
export async function lockLate(
	client: Db,
	workspace: string,
	schema: Schema,
	wanted: readonly { type: string; id: string }[],
	held: ReadonlyMap<string, unknown>,
	locks: Locks,
	pilot: PilotOn | null,
	{ loader, parents }: Pick<AtHand, 'loader' | 'parents'>
): Promise<StoredRecord[]> {
	const missing: Locks = new Map();
	for (const { type, id } of wanted) {
		if (held.has(refKey(type, id))) continue;
		for (const of of [missing, locks]) of.set(type, (of.get(type) ?? new Set<string>()).add(id));
	}
	const late: StoredRecord[] = [];
	for (const [type, ids] of missing) {
		if ([...ids].some((id) => parents.has(refKey(type, id)))) throw new MoreLocks();
		const how = 'for no key update skip locked';
		const free = await readRecords(client, schema, workspace, type, [...ids], how);
		if (free.length < ids.size) throw new MoreLocks();
		late.push(...free);
	}
	await markPilot(client, pilot, late);
	const asRead = ({ type, id, values, pilot: piloted = false }: StoredRecord) => {
		const read = loader.record(type, id);
		const is = (loader.pilot?.(type, id) ?? false) === piloted;
		return is && !!read && values.every((v, i) => same(v, read[i]));
	};
	if (!late.every(asRead)) throw new MoreLocks();
	return late;
}

/** @throws {MoreLocks} when some records are not locked yet */
export function needLocks(
	wanted: readonly { type: string; id: string }[],
	stored: ReadonlyMap<string, unknown>,
	locks: Locks
): void {
	const missing = wanted.filter((r) => !stored.has(refKey(r.type, r.id)));
	if (!missing.length) return;
	for (const { type, id } of missing)
		locks.set(type, (locks.get(type) ?? new Set<string>()).add(id));
	throw new MoreLocks();
}
