/**
 * A replay as a job: the changes of a period made again by one version and by another. Each change goes on from
 * those before it, so it is one piece; what was broken off is begun anew, and nothing of it is kept before its end.
 */
import {
	LocalDate,
	Schema,
	compilePlan,
	differing,
	unmet,
	withRows,
	type LivingRows,
	type Model,
	type RuleSet
} from '../../core';
import { BadInput } from '../../door';
import { startOfDay } from '../../runtime/format';
import { noteEnded } from '../db/jobs';
import { readModel } from '../db/model';
import { rowsAt } from '../db/living';
import { db, snapshot, transaction, type Db } from '../db/pool';
import {
	beginRehearsal,
	endRehearsal,
	keepBehind,
	type Asked,
	type Period
} from '../db/rehearsals';
import { pastPeriod } from '../db/replayed';
import { hashOf, hashOfDraft } from '../db/rules';
import { replay, type ReplayRehearsed } from '../look/replay';
import type { JobRun } from './run';
import { claimsOf, setsOf, toldOf } from './versions';

/** Changes from the first of a period until now. */
const MOST = 200_000;
/** Changes that are kept behind each thing that is told. */
const BEHIND = 10_000;

/** Its first instant, and that after its last, ISO 8601. @throws {BadInput} when it is none */
export function bounds({ from, to }: Period, { zone }: Model): [string, string] {
	const [first, last] = [LocalDate.parse(from), LocalDate.parse(to)];
	if (!first || !last || last.epochDay < first.epochDay)
		throw new BadInput(`${from} to ${to} is no period: it ends on the day it begins, or later.`);
	const next = LocalDate.fromEpochDay(last.epochDay + 1)!;
	return [startOfDay(first, zone), startOfDay(next, zone)];
}

/** Two versions compiled with the rows of living tables as they stood; neither has any where rows make no difference. */
function plansAt(
	c: Db,
	workspace: string,
	schema: Schema,
	sets: Record<'before' | 'after', RuleSet>
) {
	const living = [sets.before, sets.after].some((s) => s.tables?.some((t) => t.living));
	const compiled = (rows: LivingRows) => ({
		before: compilePlan(schema, withRows(sets.before, rows)),
		after: compilePlan(schema, withRows(sets.after, rows))
	});
	const without = living ? null : compiled({});
	return async (number: number) => without ?? compiled((await rowsAt(c, workspace, number)).rows);
}

/** Replays, and keeps what came of it. */
export async function replaying({ job, progress }: JobRun): Promise<void> {
	const { workspace, id } = job;
	const asked = JSON.parse(job.input.asked) as Asked & { period: Period };
	const { model } = await readModel(db(), workspace);
	const schema = new Schema(model);
	const { rows, number: living } = await rowsAt(db(), workspace);
	const [before, after] = (await setsOf(db(), job, asked)).map((set) => ({
		set,
		plan: compilePlan(schema, withRows(set, rows))
	}));
	const sets = { before: before.set, after: after.set };
	const [from, to] = bounds(asked.period, model);
	const { result, behind } = await snapshot(async (c): Promise<ReplayRehearsed> => {
		const p = await pastPeriod(c, workspace, from, to, MOST);
		if (p.earlier)
			throw new BadInput(
				'History of that time is still being moved from an earlier version. Replay again in some minutes.'
			);
		if (p.until > MOST)
			throw new BadInput(
				`Since ${asked.period.from} more than ${MOST} changes were made, and no more can be taken back. Begin later.`
			);
		await progress(0, p.changes);
		const { first, last } = p;
		const of = {
			before: before.plan,
			after: after.plan,
			plansAt: plansAt(c, workspace, schema, sets),
			from,
			to,
			first,
			last
		};
		return replay(c, workspace, of, BEHIND, (done) => progress(done, p.changes));
	});
	await transaction(async (c) => {
		await beginRehearsal(c, {
			...asked,
			id,
			workspace,
			account: job.account,
			hash: hashOf([before.set, after.set, asked.period, hashOf(model)]),
			draftHash: asked.after === null ? hashOfDraft(after.set, model) : null,
			living
		});
		await keepBehind(c, id, 0, behind);
		const told = await toldOf(
			c,
			result,
			differing(before.plan, after.plan),
			[before, after],
			unmet(before.set, after.set, claimsOf(result))
		);
		await endRehearsal(c, id, told);
		const { records, looked } = result;
		await noteEnded(c, id, { state: 'done', result: { records, looked } });
	});
}
