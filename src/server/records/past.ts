/** A record as it was: what is stored now, with what changed since taken back by history. */
import type { JsonValue, Schema } from '../../core';
import { toJson } from '../../core';
import { changedSince } from '../db/past';
import type { Db } from '../db/pool';
import type { StoredRecord } from '../db/records';

export interface RecordThen {
	/** The record was not there, and was made after that. */
	notYet: boolean;
	/** It had been there before, and was deleted. */
	again: boolean;
	/** By field; fields of which history since has been forgotten may hold what they hold now. */
	values: Record<string, JsonValue>;
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
	const { fields } = schema.type(r.type).type;
	const now = Object.fromEntries(fields.map((f, i) => [f.id, toJson(r.values[i])]));
	const { made, again, deleted, was, knownFrom } = await changedSince(
		db,
		workspace,
		r.type,
		r.id,
		before
	);
	const values = deleted
		? Object.fromEntries(fields.map((f) => [f.id, deleted[f.id] ?? null]))
		: { ...now };
	for (const [field, value] of Object.entries(was)) if (field in values) values[field] = value;
	return {
		notYet: made,
		again,
		values,
		otherwise: fields
			.map((f) => f.id)
			.filter((f) => JSON.stringify(values[f]) !== JSON.stringify(now[f])),
		knownFrom
	};
}
