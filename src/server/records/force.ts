/** Which release is in force, with the rows of living tables as they stand, compiled; and beside it that of a pilot. */
import type { Plan, RuleSet } from '../../core';
import { Schema, compileChoice, compilePlan, joinPlans, withRows } from '../../core';
import { rowsAt } from '../db/living';
import { readModel } from '../db/model';
import { membersAmong, readChoice, type PilotOn } from '../db/pilot';
import type { Db } from '../db/pool';
import type { Settling, StoredRecord } from '../db/records';
import { readRelease } from '../db/rules';
import { standing } from '../db/standing';

/** The plan in force, and what it was compiled from. */
export interface InForce {
	plan: Plan;
	schema: Schema;
	release: number;
	/** The pilot that is on; the plan has its rules too. */
	pilot: PilotOn | null;
	/** The last edit of living tables, whose rows the plan looks up. */
	living: number;
	modelRevision: number;
}

const cache = new Map<string, InForce>();
const NO_RULES: RuleSet = { rules: [], order: {} };

/**
 * What plans were compiled from last, by workspace, without rows: an edit of rows leaves model and releases as they are,
 * and by the same objects all that was compiled and indexed of them is known again.
 */
const sources = new Map<string, Sources>();
interface Sources {
	modelRevision: number;
	schema: Schema;
	releases: ReadonlyMap<number, RuleSet>;
}

/** The plan in force now, by what this transaction sees. Compiled plans are kept. */
export async function inForce(db: Db, workspace: string): Promise<InForce> {
	const { release, modelRevision, living, pilot } = await standing(db, workspace);
	const trial = pilot ? `${pilot.id}.${pilot.version}` : '';
	const key = `${workspace} ${release} ${living.mark} ${modelRevision} ${trial}`;
	const had = cache.get(key);
	if (had) return had;
	const last = sources.get(workspace);
	const before = last?.modelRevision === modelRevision ? last : null;
	const schema = before?.schema ?? new Schema((await readModel(db, workspace)).model);
	const { rows } = await rowsAt(db, workspace, living);
	const releases = new Map<number, RuleSet>();
	const planOf = async (number: number) => {
		const doc = number
			? (before?.releases.get(number) ?? (await readRelease(db, workspace, number)))
			: null;
		if (!doc) return compilePlan(schema, NO_RULES);
		releases.set(number, doc);
		return compilePlan(schema, withRows(doc, rows));
	};
	const made = {
		plan: await withPilot(db, await planOf(release), pilot, schema, planOf),
		schema,
		release,
		pilot,
		living: living.number,
		modelRevision
	};
	if (cache.size > 20) cache.clear();
	cache.set(key, made);
	sources.set(workspace, { modelRevision, schema, releases });
	return made;
}

async function withPilot(
	db: Db,
	plan: Plan,
	pilot: PilotOn | null,
	schema: Schema,
	planOf: (release: number) => Promise<Plan>
): Promise<Plan> {
	if (!pilot) return plan;
	const { joins } = compileChoice(schema, await readChoice(db, pilot.id));
	const both = joinPlans(plan, await planOf(pilot.release), joins);
	// what starts a pilot, and what changes the model or the release beside it, sees to it that this is not so
	if (!both.plan)
		throw new Error(
			`Release ${pilot.release} and the one beside it go in a circle: ${both.circle}.`
		);
	return both.plan;
}

/** By what a record is settled: the pilot's release where it belongs to that. */
export const settlingOf = (
	{ release, living, pilot }: Pick<InForce, 'release' | 'living' | 'pilot'>,
	rec: { pilot?: boolean }
): Settling => ({ release: (rec.pilot && pilot?.release) || release, living });

/** Marks those of some records that belong to the pilot that is on. */
export async function markPilot(
	db: Db,
	pilot: PilotOn | null,
	records: Iterable<StoredRecord>
): Promise<void> {
	if (!pilot) return;
	const byType = new Map<string, StoredRecord[]>();
	for (const r of records) byType.set(r.type, [...(byType.get(r.type) ?? []), r]);
	for (const [type, all] of byType) {
		const ids = all.map((r) => r.id);
		const members = await membersAmong(db, pilot.id, type, ids);
		for (const r of all) r.pilot = members.has(r.id);
	}
}
