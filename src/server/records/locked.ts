/**
 * What a switch of the release in force leaves out of line: records whose Locked values were settled
 * by other rules. They are noted in the transaction of the switch, shown as waiting, and settled in
 * the background; values that people may set are left as they stand.
 */
import type { Plan, Schema } from '../../core';
import { canonicalJson } from '../../core';
import { putLocked } from '../db/carried';
import type { Db } from '../db/pool';

/** Record types in which a plan gives Locked fields by other rules, definitions or tables than another does. */
function typesLockedOtherwise(before: Plan, after: Plan): string[] {
	return after.schema.model.types.flatMap(({ id }) => {
		const now = lockedBy(after, id);
		return now && now !== lockedBy(before, id) ? [id] : [];
	});
}

/** All that decides the Locked fields of a type, as one text; null where it has none. */
function lockedBy(plan: Plan, type: string): string | null {
	const nodes = plan.nodes.filter(
		(n) => n.type === type && n.claims.some((c) => c.output.hold === 'locked')
	);
	if (!nodes.length) return null;
	const { schema } = plan;
	return canonicalJson({
		fields: nodes.map((n) => [
			n.field.id,
			[...n.claims, ...n.limits].map((c) => [c.id, { ...c.rule, name: '', why: '' }])
		]),
		...around(schema)
	});
}

const around = (schema: Schema) => ({
	definitions: [...schema.definitions.values()],
	tables: [...schema.tables.values()]
});

/**
 * Notes, in the transaction that puts a release in force, every record that it may leave out of line.
 * @param before the plan that was in force
 * @returns how many
 */
export async function noteLocked(
	db: Db,
	by: { workspace: string; id: string; person: string | null },
	release: number,
	{ before, after }: { before: Plan; after: Plan },
	instant: number
): Promise<number> {
	const types = typesLockedOtherwise(before, after);
	return types.length ? putLocked(db, by, release, types, instant) : 0;
}
