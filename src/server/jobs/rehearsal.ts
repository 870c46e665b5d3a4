/**
 * A rehearsal as a job: of the draft or a release against another, on the records that exist or those that a
 * condition selects. They are cut by their keys into ranges, which any number of workers share; what each came
 * to is kept, so that one that was broken off goes on with those that are left.
 */
import {
	Schema,
	compilePlan,
	compileSelection,
	differing,
	editedRows,
	rehearsing,
	together,
	unrehearsed,
	withRows,
	type LivingRows,
	type Rehearsal,
	type RuleSet,
	type Selection,
	type Selector
} from '../../core';
import { BadInput } from '../../door';
import { capital, formatDate, sayVersionOf } from '../../runtime/format';
import { note } from '../audit/audit';
import {
	cutJob,
	freeze,
	frozenOf,
	insertJob,
	keepRange,
	noteEnded,
	openJob,
	openRange,
	rangeResults,
	type Range
} from '../db/jobs';
import { rowsAt } from '../db/living';
import { readModel } from '../db/model';
import type { Account } from '../db/people';
import { db, transaction, type Db } from '../db/pool';
import { cutByKey } from '../db/records';
import {
	FROM_FILE,
	beginRehearsal,
	endRehearsal,
	keepBehind,
	keepSet,
	type Asked,
	type FileVersion
} from '../db/rehearsals';
import { hashOf, hashOfDraft, lockDraft, releaseInForce, withLiving } from '../db/rules';
import { inForce } from '../records';
import { rehearseRange, rehearsedTypes, type Compared } from '../look/rehearse';
import { bounds } from './replay';
import { Stopped, type JobRun } from './run';
import { rulesOfVersion, setsOf, toldOf } from './versions';

/** Records of a range: some seconds of work, which is the most that a killed worker loses. */
const RECORDS = 2_000;
/** Records that are kept behind each thing that is told, of all ranges together. */
const BEHIND = 200_000;

/** What is rehearsed, as it was when the job began. */
interface Frozen {
	before: RuleSet;
	after: RuleSet;
	selection: Selection | null;
	/** Hash of the model on which both were compiled. */
	model: string;
	instant: number;
	/** Records kept behind each thing of each range. */
	most: number;
}

/**
 * Queues a rehearsal, or a replay where a period is asked; one of the same that is under way is that one.
 * @param asked without a version before, what is in force
 * @param file a version from a file, in the place of the one before or after
 * @returns the job @throws {BadInput} for a release that there is not, a condition that cannot be read, or no period
 */
export async function queueRehearsal(
	by: Account,
	{
		before,
		after = null,
		selection = null,
		period = null,
		rows,
		file
	}: Partial<Omit<Asked, 'file'>> & { file?: Omit<FileVersion, 'hash'> & { set: RuleSet } } = {}
): Promise<string> {
	const { workspace } = by;
	return transaction(async (c) => {
		await lockDraft(c, workspace);
		const against = before === undefined ? await releaseInForce(c, workspace) : before;
		const asked: Asked = {
			before: against,
			after,
			selection,
			period,
			...(rows ? { rows } : {}),
			...(file
				? {
						[file.as]: FROM_FILE,
						file: { name: file.name, as: file.as, hash: hashOf(file.set) }
					}
				: {})
		};
		const { model } = await readModel(c, workspace);
		const [, set] = await Promise.all(
			(['before', 'after'] as const).map(async (side) =>
				withLiving(
					c,
					workspace,
					file?.as === side ? file.set : await rulesOfVersion(c, workspace, asked[side])
				)
			)
		);
		if (period) bounds(period, model);
		if (selection) selectorOf(new Schema(model).with(set), selection);
		const input = { asked: JSON.stringify(asked) };
		const kind = period ? 'replay' : 'rehearsal';
		const open = await openJob(c, workspace, kind, input);
		if (open) return open.id;
		const versions = rows
			? `an edit of “${rows.label}” against its rows as they stand`
			: `${sayVersionOf(asked, 'after')} against ${sayVersionOf(asked, 'before')}`;
		const did = rows
			? 'rehearsed rows of a table'
			: after === null
				? 'rehearsed the draft'
				: 'rehearsed a version';
		await note(c, by, did, versions);
		const records = period
			? `on what was changed from ${formatDate(period.from)} to ${formatDate(period.to)}`
			: selection
				? `on some of ${new Schema(model).type(selection.type).type.plural}`
				: 'on the existing records';
		const job = await insertJob(c, {
			workspace,
			kind,
			title: `${capital(versions)} ${records}`,
			account: by.id,
			input
		});
		if (file) await keepSet(c, job, file.set);
		return job;
	});
}

/** @throws {BadInput} when a condition cannot be read */
function selectorOf(schema: Schema, selection: Selection | null): Selector | null {
	if (!selection) return null;
	if (!schema.types.has(selection.type))
		throw new BadInput(`There is no record type “${selection.type}”.`);
	const { selector, problems } = compileSelection(schema, selection);
	if (problems.length) throw new BadInput(`Which records: ${problems[0].message}`);
	return selector;
}

/** Cuts it at first, then rehearses one range after the other. */
export async function rehearsal(run: JobRun): Promise<void> {
	if (run.range === null) await cut(run);
	else await oneRange(run, run.range);
}

/** The versions as they stand when the job begins, and the ranges of the records that there are. */
async function cut({ job }: JobRun): Promise<void> {
	const { workspace, id } = job;
	const asked = JSON.parse(job.input.asked) as Asked;
	const { model } = await readModel(db(), workspace);
	const [had, drawn] = await setsOf(db(), job, asked);
	const { rows, number: living } = await rowsAt(db(), workspace);
	// the rows too as they stand when it begins
	const [before, after] = [withRows(had, rows), withRows(drawn, putRows(rows, asked.rows))];
	const frozen: Frozen = {
		before,
		after,
		selection: asked.selection,
		model: hashOf(model),
		instant: Date.now(),
		most: 0
	};
	const compared = comparedOf(new Schema(model), frozen);
	const ranges: Range[] = [];
	let of = 0;
	for (const type of rehearsedTypes(compared))
		for (const { records, ...keys } of await cutByKey(db(), workspace, type, RECORDS)) {
			ranges.push({ n: ranges.length, type, ...keys });
			of += records;
		}
	frozen.most = Math.max(20, Math.ceil(BEHIND / Math.max(1, ranges.length)));
	await transaction(async (c) => {
		// whoever was killed after this was stored has cut it already
		if (await frozenOf(c, id)) return;
		await freeze(c, id, frozen, of);
		await beginRehearsal(c, {
			...asked,
			id,
			workspace,
			account: job.account,
			hash: hashOf([before, after, asked.selection, frozen.model]),
			draftHash: asked.after === null && !asked.rows ? hashOfDraft(drawn, model) : null,
			living
		});
		await cutJob(c, id, ranges);
		if (!ranges.length) await end(c, job, frozen, compared);
	});
}

/** Rows with some in the place of those that stand. @throws {BadInput} when others were put there meanwhile */
function putRows(rows: LivingRows, put: Asked['rows']): LivingRows {
	if (!put) return rows;
	const had = Object.hasOwn(rows, put.table) ? rows[put.table] : [];
	const edited = editedRows(had, put.edits);
	if (edited.overtaken.length)
		throw new BadInput(`Somebody edited the same rows of “${put.label}” meanwhile. Look again.`);
	return { ...rows, [put.table]: edited.rows };
}

async function oneRange({ job }: JobRun, n: number): Promise<void> {
	const at = await openRange(db(), job.id, n);
	if (!at) return;
	const { frozen, compared } = await comparedBy(job.id, job.workspace);
	const { result, behind } = await rehearseRange(db(), job.workspace, compared, at, frozen.most);
	await transaction(async (c) => {
		const last = await keepRange(c, job.id, n, result, result.looked, () =>
			keepBehind(c, job.id, n, behind)
		);
		if (last) await end(c, job, frozen, compared);
	});
}

/** Both versions compiled on the model. */
function comparedOf(schema: Schema, frozen: Frozen): Compared {
	const [before, after] = [frozen.before, frozen.after].map((set) => compilePlan(schema, set));
	const selector = selectorOf(after.schema, frozen.selection);
	return {
		schema,
		before,
		after,
		rehearsing: rehearsing(differing(before, after), after, selector, frozen.instant)
	};
}

/** The job whose ranges are worked on, compiled once for all of them. */
let compiled: { job: string; schema: Schema; frozen: Frozen; compared: Compared } | null = null;

/** @throws {BadInput} when the model is another than when it began */
async function comparedBy(job: string, workspace: string) {
	// the same object as long as the model stays
	const { schema } = await inForce(db(), workspace);
	if (compiled?.job !== job || compiled.schema !== schema) {
		const frozen = await frozenOf<Frozen>(db(), job);
		// it was ended meanwhile
		if (!frozen) throw new Stopped();
		if (hashOf(schema.model) !== frozen.model)
			throw new BadInput('The model changed while it ran. Rehearse again.');
		compiled = { job, schema, frozen, compared: comparedOf(schema, frozen) };
	}
	return compiled;
}

async function end(c: Db, job: JobRun['job'], frozen: Frozen, compared: Compared): Promise<void> {
	const result = together(await rangeResults<Rehearsal>(c, job.id));
	const told = await toldOf(
		c,
		result,
		compared.rehearsing.differing,
		[
			{ set: frozen.before, plan: compared.before },
			{ set: frozen.after, plan: compared.after }
		],
		unrehearsed(frozen.before, frozen.after, compared.after)
	);
	await endRehearsal(c, job.id, told);
	await noteEnded(c, job.id, {
		state: 'done',
		result: { records: result.records, looked: result.looked }
	});
}
