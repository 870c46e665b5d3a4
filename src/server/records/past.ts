/** A record as it was: what is stored now, with what changed since taken back by history. */
import type { JsonValue, Schema } from '../../core';
import { toJson } from '../../core';
import { changedSince } from '../db/past';
import type { Db } from '../db/pool';
import type { StoredRecord } from '../db/records';
import { asHeldNow } from './former';

export interface RecordThen {
	/** The record was not there, and was made after that. */
	notYet: boolean;
	/** It had been there before, and was deleted. */
	again: boolean;
	/**
	 * By field, also such as are removed since and held something; fields of which history since has been forgotten may hold
	 * what they hold now.
	 */
	values: Record<string, JsonValue>;
	/** Where history tells a value: when it was last so, ISO 8601. It is to be read as the field was then. */
	told: Record<string, string>;
	/** Fields that are otherwise now. */
	otherwise: string[];
	/** History goes back no further than that instant, ISO 8601; null where it reaches. */
	knownFrom: string | null;
}

/** @param before the instant at which it is asked, ISO 8601: what was changed then or later is taken back */
export async function recordThen(
	db: Db,
	workspace: string,
	schema: Schema,
	r: StoredRecord,
	before: string
): Promise<RecordThen> {
	const { fields, id: type } = schema.type(r.type).type;
	const now = new Map<string, JsonValue>(fields.map((f, i) => [f.id, toJson(r.values[i])]));
	const { made, again, deleted, was, knownFrom } = await changedSince(
		db,
		workspace,
		type,
		r.id,
		before
	);
	const values = new Map(now);
	const told = new Map<string, string>();
	const tell = (field: string, value: JsonValue, at: string) => {
		// of a field that is removed only what it held
		if (!now.has(field) && value === null) return;
		values.set(field, value);
		told.set(field, at);
	};
	if (deleted)
		for (const f of new Set([...now.keys(), ...Object.keys(deleted.was)]))
			tell(f, deleted.was[f] ?? null, deleted.at);
	for (const [f, x] of Object.entries(was)) tell(f, x.was, x.at);
	const fromHistory = [...values].filter(([f]) => told.has(f));
	const held = await asHeldNow(
		db,
		workspace,
		schema,
		fromHistory.map(([f, value]) => ({ type, at: told.get(f)!, was: { [f]: value } }))
	);
	const otherwise = fromHistory.flatMap(([f], i) => {
		const { was, lost } = held[i];
		return lost.length || JSON.stringify(was[f]) !== JSON.stringify(now.get(f)) ? [f] : [];
	});
	return {
		notYet: made,
		again,
		values: Object.fromEntries(values),
		told: Object.fromEntries(told),
		otherwise,
		knownFrom
	};
}
