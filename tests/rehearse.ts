/** A rehearsal at once, cut into ranges as its job cuts it: for tests. */
import { compilePlan, differing, type Plan, type RuleSet, type Schema } from '../src/core';
import type { Db } from '../src/server/db/pool';
import { cutByKey } from '../src/server/db/records';
import {
	rehearseRange,
	rehearsedTypes,
	together,
	type Rehearsal
} from '../src/server/look/rehearse';

export async function rehearse(
	db: Db,
	workspace: string,
	schema: Schema,
	force: Plan,
	draft: RuleSet,
	instant: number,
	size = 500
): Promise<Rehearsal> {
	const plan = compilePlan(schema, draft);
	const compared = { schema, force, plan, differing: differing(force, plan), instant };
	const ranges: Rehearsal[] = [];
	for (const type of rehearsedTypes(compared))
		for (const keys of await cutByKey(db, workspace, type, size))
			ranges.push(await rehearseRange(db, workspace, compared, { type, ...keys }));
	return together(ranges);
}
