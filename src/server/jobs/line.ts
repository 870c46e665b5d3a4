/**
 * What is out of line, looked for by a job: after a release came in force, after an edit of a
 * living table, once a day, and when somebody asks. The records are cut by their keys into ranges, which any number of workers share; what a
 * range came to is kept with it, so one that was broken off goes on with those that are left.
 */
import {
	compilePlan,
	differing,
	joinPlans,
	standingFields,
	withRows,
	type Plan,
	type RuleSet,
	type Schema
} from '../../core';
import { dayIn } from '../../runtime/format';
import {
	cutJob,
	freeze,
	frozenOf,
	insertJob,
	keepRange,
	noteEnded,
	openJob,
	openRange
} from '../db/jobs';
import {
	forgetLine,
	keepLine,
	lastDay,
	linedTypes,
	openOfEdit,
	takeDay,
	type LineRow
} from '../db/line';
import { readEdit, rowsAt } from '../db/living';
import { db, transaction, type Db } from '../db/pool';
import { cutByKey } from '../db/records';
import { holdInForce, lockDraft, readRelease, rulesOf } from '../db/rules';
import { eachOutOfLine, lineAmong } from '../line/lined';
import { followEdit } from '../bulk/bulk';
import { inForce, type InForce } from '../records';
import type { JobRun } from './run';

/** Records of a range: some seconds of work, which is the most that a killed worker loses. */
const RECORDS = 2_000;

/** The fields that are asked, by record type. */
type Fields = Record<string, string[]>;

/** Queues a look at some fields. @param account who asked; null for nobody */
async function queue(
	c: Db,
	workspace: string,
	schema: Schema,
	fields: Fields,
	account: string | null,
	edit?: { number: number; label: string }
): Promise<string | null> {
	const types = Object.keys(fields);
	if (!types.length) return null;
	const named = types.map((t) => schema.type(t).type.plural).join(', ');
	return insertJob(c, {
		workspace,
		kind: 'out-of-line look',
		title: edit ? `${named}, for “${edit.label}”` : named,
		account,
		input: { fields: JSON.stringify(fields), ...(edit ? { edit: String(edit.number) } : {}) }
	});
}

/** Fields by type, without the types that have none. */
const fieldsOf = (schema: Schema, of: (type: string) => string[]): Fields =>
	Object.fromEntries(
		schema.model.types.flatMap(({ id }) => {
			const fields = of(id);
			return fields.length ? [[id, fields]] : [];
		})
	);

const everything = (plan: Plan): Fields =>
	fieldsOf(plan.schema, (type) => standingFields(plan, type));

/** Looks for everything that is out of line; a look that is under way already is that one. @returns the job */
export async function queueLine(workspace: string, account: string | null): Promise<string | null> {
	return transaction(async (c) => {
		// two who ask at once get one look
		await lockDraft(c, workspace);
		const { plan, schema } = await inForce(c, workspace);
		const fields = everything(plan);
		const input = { fields: JSON.stringify(fields) };
		const open = await openJob(c, workspace, 'out-of-line look', input);
		return open ? open.id : queue(c, workspace, schema, fields, account);
	});
}

/**
 * Looks at what another release in force gives otherwise; in the transaction that puts it in force.
 * @param force all that is in force then, where a pilot is on too
 */
export async function queueLineOfRelease(
	c: Db,
	workspace: string,
	before: Plan,
	after: Plan,
	account: string,
	force: Plan = after
): Promise<void> {
	const fields = fieldsApart(before, after, force);
	// what no rule holds at a value any more has nothing out of line
	for (const type of await linedTypes(c, workspace))
		await forgetLine(c, workspace, type, standingFields(force, type));
	await queue(c, workspace, after.schema, fields, account);
}

/** The fields that stand by rules and may come out otherwise. */
function fieldsApart(before: Plan, after: Plan, force = after): Fields {
	const apart = differing(before, after).fields;
	return fieldsOf(after.schema, (type) =>
		standingFields(force, type).filter((f) => apart.has(`${type}.${f}`))
	);
}

/**
 * Looks which records an edit of a living table concerns; in the transaction of the edit.
 * @param sets what is in force, and the pilot beside it, without the rows of living tables
 * @returns the job; null where no rule in force looks anything up in the table
 */
export function queueLineOfEdit(
	c: Db,
	workspace: string,
	schema: Schema,
	sets: readonly RuleSet[],
	account: string,
	edit: { number: number; table: string; label: string }
): Promise<string | null> {
	// which fields these are has nothing to do with the rows: the table by itself is another
	const apart = sets.map((set) => {
		const other = set.tables?.map((t) => (t.id === edit.table ? { ...t, why: `${t.why}.` } : t));
		const [before, after] = [set, { ...set, tables: other ?? [] }].map((s) =>
			compilePlan(schema, s)
		);
		return fieldsApart(before, after);
	});
	const fields = fieldsOf(schema, (type) => [...new Set(apart.flatMap((f) => f[type] ?? []))]);
	return queue(c, workspace, schema, fields, account, edit);
}

/** Once a day everything: what depends on the day, and what people set against rules meanwhile. */
export async function queueLineOfDay(workspace: string, now: number): Promise<void> {
	const { schema } = await inForce(db(), workspace);
	const day = dayIn(new Date(now).toISOString(), schema.model.zone)!;
	if ((await lastDay(db(), workspace)) === day) return;
	await transaction(async (c) => {
		if (!(await takeDay(c, workspace, day))) return;
		const { plan } = await inForce(c, workspace);
		await queue(c, workspace, plan.schema, everything(plan), null);
	});
}

/** Cuts it at first, then looks at one range after the other. */
export async function lining(run: JobRun): Promise<void> {
	if (run.range === null) await cut(run);
	else await oneRange(run, run.range);
}

async function cut({ job }: JobRun): Promise<void> {
	const { workspace, id } = job;
	const fields = JSON.parse(job.input.fields) as Fields;
	const ranges: { n: number; type: string; low: string; high: string }[] = [];
	let of = 0;
	for (const type of Object.keys(fields))
		for (const { records, ...keys } of await cutByKey(db(), workspace, type, RECORDS)) {
			ranges.push({ n: ranges.length, type, ...keys });
			of += records;
		}
	await transaction(async (c) => {
		// whoever was killed after this was stored has cut it already
		if (await frozenOf(c, id)) return;
		await freeze(c, id, {}, of);
		await cutJob(c, id, ranges);
		if (!ranges.length) await noteEnded(c, id, { state: 'done' });
	});
}

/**
 * How often a range is looked at anew because what is in force became another meanwhile. Then what was found of what is
 * still held is kept: what made it another has a look of its own.
 */
const ANEW = 3;

async function oneRange(run: JobRun, n: number): Promise<void> {
	const at = await openRange(db(), run.job.id, n);
	if (!at) return;
	for (let again = ANEW; !(await lookedAt(run, n, at, again > 0)); again--);
}

const sameForce = (a: InForce, b: InForce) =>
	a.release === b.release &&
	a.living === b.living &&
	a.modelRevision === b.modelRevision &&
	a.pilot?.id === b.pilot?.id &&
	a.pilot?.version === b.pilot?.version;

/** Looks at a range and keeps what was found. @returns whether it did: not where it may look anew, and has to */
async function lookedAt(
	{ job, signal }: JobRun,
	n: number,
	at: { type: string; low: string; high: string },
	mayAnew: boolean
): Promise<boolean> {
	const { workspace } = job;
	const force = await inForce(db(), workspace);
	const asked = (JSON.parse(job.input.fields) as Fields)[at.type];
	// another release may have come in force since: it holds other fields
	const held = new Set(force.schema.types.has(at.type) ? standingFields(force.plan, at.type) : []);
	const fields = asked.filter((f) => held.has(f));
	const found: LineRow[] = [];
	const before = job.input.edit ? await beforeEdit(workspace, force, Number(job.input.edit)) : null;
	let looked = 0;
	if (fields.length)
		await eachOutOfLine(
			db(),
			workspace,
			force,
			at,
			new Set(fields),
			async (records, out, among) => {
				signal.throwIfAborted();
				looked += records;
				if (before && out.length) {
					const o = { fields: new Set(fields) };
					const had = await lineAmong(db(), workspace, before, at.type, among, Date.now(), o);
					const key = (x: LineRow) => JSON.stringify([x.record, x.field, x.result, x.failed]);
					const old = new Set(had.map(key));
					for (const x of out) x.edit = old.has(key(x)) ? null : Number(job.input.edit);
				}
				found.push(...out);
			}
		);
	return transaction(async (c) => {
		await holdInForce(c, workspace);
		const now = await inForce(c, workspace);
		if (mayAnew && !sameForce(force, now)) return false;
		const heldNow = (type: string) =>
			now.schema.types.has(type) ? standingFields(now.plan, type) : [];
		const of = new Set(heldNow(at.type));
		const rows = found.filter((x) => of.has(x.field));
		const last = await keepRange(c, job.id, n, { found: rows.length }, looked, () =>
			keepLine(c, workspace, at.type, at, fields, force.release, rows)
		);
		if (!last) return true;
		// of a change that was settled while a release came in force something may stand that nothing holds any more
		for (const type of await linedTypes(c, workspace))
			await forgetLine(c, workspace, type, heldNow(type));
		await noteEnded(c, job.id, { state: 'done' });
		if (job.input.edit) await follow(c, workspace, Number(job.input.edit));
		return true;
	});
}

/** What is in force with the rows of living tables as they were before an edit. */
async function beforeEdit(workspace: string, force: InForce, edit: number): Promise<InForce> {
	const { release, schema } = force;
	const doc = release ? await readRelease(db(), workspace, release) : null;
	const { rows } = await rowsAt(db(), workspace, edit - 1);
	const plan = compilePlan(schema, doc ? withRows(rulesOf(doc), rows) : NO_RULES);
	const { pilot } = force;
	if (!pilot) return { ...force, plan };
	const tried = (await readRelease(db(), workspace, pilot.release))!;
	const other = compilePlan(schema, withRows(rulesOf(tried), rows));
	return { ...force, plan: joinPlans(plan, other, force.plan.pilot!.joins).plan ?? plan };
}

const NO_RULES = { rules: [], order: {} };

/** Records that an edit concerns are brought into line, where whoever made it asked for that. */
async function follow(c: Db, workspace: string, number: number): Promise<void> {
	const edit = await readEdit(c, workspace, number);
	if (!edit?.brings || !edit.account) return;
	const by = { id: edit.account, workspace };
	const { plan } = await inForce(c, workspace);
	const place = (o: { type: string; field: string }) =>
		plan.nodes.findIndex((n) => n.type === o.type && n.field.id === o.field);
	// what others are made of first: they follow it
	const open = (await openOfEdit(c, workspace, number)).sort((a, b) => place(a) - place(b));
	for (const o of open) await followEdit(c, by, number, o);
}
