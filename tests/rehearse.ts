/** A rehearsal at once, cut into ranges as its job cuts it: for tests. */
import {
	compilePlan,
	differing,
	rehearsing,
	together,
	type Plan,
	type RuleSet,
	type Schema,
	type Selector
} from '../src/core';
import type { Db } from '../src/server/db/pool';
import { cutByKey } from '../src/server/db/records';
import {
	rehearseRange,
	rehearsedTypes,
	type Compared,
	type RangeRehearsed
} from '../src/server/look/rehearse';

/** A rule set against a plan, on all records or those that a condition selects. */
export function comparedWith(
	schema: Schema,
	before: Plan,
	draft: RuleSet,
	instant: number,
	selector: Selector | null = null
): Compared {
	const after = compilePlan(schema, draft);
	return {
		schema,
		before,
		after,
		rehearsing: rehearsing(differing(before, after), after, selector, instant)
	};
}

export async function rehearse(
	db: Db,
	workspace: string,
	compared: Compared,
	size = 500
): Promise<RangeRehearsed> {
	const ranges: RangeRehearsed[] = [];
	for (const type of rehearsedTypes(compared))
		for (const keys of await cutByKey(db, workspace, type, size))
			ranges.push(await rehearseRange(db, workspace, compared, { type, ...keys }));
	return {
		result: together(ranges.map((r) => r.result)),
		behind: ranges.flatMap((r) => r.behind)
	};
}
