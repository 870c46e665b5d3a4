/** Which release is in force, compiled. */
import type { Plan } from '../../core';
import { Schema, compilePlan } from '../../core';
import { modelRevisionOf, readModel } from '../db/model';
import type { Db } from '../db/pool';
import { readRelease, releaseInForce } from '../db/rules';

/** The plan in force, and what it was compiled from. */
export interface InForce {
	plan: Plan;
	schema: Schema;
	release: number;
	modelRevision: number;
}

const cache = new Map<string, InForce>();

/** The plan in force now, by what this transaction sees. Compiled plans are kept. */
export async function inForce(db: Db, workspace: string): Promise<InForce> {
	const release = await releaseInForce(db, workspace);
	const modelRevision = await modelRevisionOf(db, workspace);
	const key = `${workspace} ${release} ${modelRevision}`;
	const had = cache.get(key);
	if (had) return had;
	const { model } = await readModel(db, workspace);
	const doc = release ? await readRelease(db, workspace, release) : null;
	const schema = new Schema(model);
	const plan = compilePlan(schema, doc ?? { rules: [], order: {} });
	const made = { plan, schema, release, modelRevision };
	if (cache.size > 20) cache.clear();
	cache.set(key, made);
	return made;
}
