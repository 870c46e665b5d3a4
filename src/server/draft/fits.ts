/** Whether releases still run on the model as it stands today. */
import { Schema, compilePlan, type Model } from '../../core';
import type { Db } from '../db/pool';
import { lastEdit } from '../db/living';
import { readRelease, rulesOf, withLiving } from '../db/rules';

const known = new Map<string, string | null>();
const MOST_KNOWN = 500;

/**
 * What keeps a release from running on a model, in words; null when nothing does. Answers are kept as long as the rows of
 * living tables stay: releases never change.
 * @param revision the number of the model's revision
 */
export async function unfitFor(
	db: Db,
	workspace: string,
	release: number,
	model: Model,
	revision: number
): Promise<string | null> {
	const key = `${workspace} ${release} ${revision} ${(await lastEdit(db, workspace)).mark}`;
	const had = known.get(key);
	if (had !== undefined) return had;
	const doc = await readRelease(db, workspace, release);
	const [problem] = doc
		? compilePlan(new Schema(model), await withLiving(db, workspace, rulesOf(doc))).problems
		: [];
	const name = problem && doc!.rules.find((r) => r.id === problem.rule)?.name;
	const said = problem ? `“${name ?? problem.rule}”: ${problem.message}` : null;
	if (known.size > MOST_KNOWN) known.clear();
	known.set(key, said);
	return said;
}
