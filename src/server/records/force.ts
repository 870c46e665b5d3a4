/** Which release is in force, with the rows of living tables as they stand, compiled. */
import type { Plan } from '../../core';
import { Schema, compilePlan, withRows } from '../../core';
import { lastEdit, rowsAt } from '../db/living';
import { modelRevisionOf, readModel } from '../db/model';
import type { Db } from '../db/pool';
import { readRelease, releaseInForce } from '../db/rules';

/** The plan in force, and what it was compiled from. */
export interface InForce {
	plan: Plan;
	schema: Schema;
	release: number;
	/** The last edit of living tables, whose rows the plan looks up. */
	living: number;
	modelRevision: number;
}

const cache = new Map<string, InForce>();

/** The plan in force now, by what this transaction sees. Compiled plans are kept. */
export async function inForce(db: Db, workspace: string): Promise<InForce> {
	const release = await releaseInForce(db, workspace);
	const modelRevision = await modelRevisionOf(db, workspace);
	const living = await lastEdit(db, workspace);
	const key = `${workspace} ${release} ${living.mark} ${modelRevision}`;
	const had = cache.get(key);
	if (had) return had;
	const { model } = await readModel(db, workspace);
	const doc = release ? await readRelease(db, workspace, release) : null;
	const schema = new Schema(model);
	const { rows } = await rowsAt(db, workspace, living);
	const plan = compilePlan(schema, doc ? withRows(doc, rows) : { rules: [], order: {} });
	const made = { plan, schema, release, living: living.number, modelRevision };
	if (cache.size > 20) cache.clear();
	cache.set(key, made);
	return made;
}
