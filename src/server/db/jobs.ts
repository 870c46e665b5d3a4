/** Jobs and who works on them, in the database. */

import { PAUSABLE, RESUMABLE, type JobKind, type JobsAsked } from '../../door/job-kinds';
import { iso } from './iso';
import type { Db } from './pool';

export type { JobKind };

export type JobState = 'waiting' | 'running' | 'paused' | 'done' | 'failed' | 'cancelled';

export interface Job {
	id: string;
	workspace: string;
	kind: JobKind;
	title: string;
	account: string | null;
	/** Name of whoever asked for it. */
	by: string | null;
	/** What it was asked with. */
	input: Record<string, string>;
	state: JobState;
	done: number;
	/** Null while it is not known how much there is. */
	of: number | null;
	/** What came of it, by its kind. */
	result: unknown;
	message: string | null;
	stopping: boolean;
	pausing: boolean;
	/** ISO 8601. */
	queued: string;
	began: string | null;
	/** When it last went on after a pause. */
	resumed: string | null;
	ended: string | null;
}

const JOB = `j.id::text, j.workspace, j.kind, j.title, j.account::text, a.name as by, j.input, j.state, j.done, j.of,
	j.result, j.message, j.stopping, j.pausing, ${iso('j.queued_at')} as queued, ${iso('j.began_at')} as began,
	${iso('j.resumed_at')} as resumed, ${iso('j.ended_at')} as ended`;
const FROM = 'from job j left join account a on a.id = j.account';

/** How often a piece is tried that failed: the queue waits longer each time, up to a limit. */
const ATTEMPTS = 12;
const LONGEST_WAIT = "interval '15 seconds'";

/**
 * What a piece is marked with that is one of several lanes of a job: other servers may take the others, and one server has
 * nothing of working on two at once but that whoever waits for a request waits longer.
 */
export const LANE = 'lane';

/**
 * Puts the next piece of a job into the queue, in the transaction of its cause.
 * @param lane in which of its lanes; null for a job that has none
 */
export async function queuePiece(db: Db, job: string, lane: number | null = null): Promise<void> {
	await db.query(
		`select graphile_worker.add_job('piece', json_strip_nulls(json_build_object('job', $1::text, 'range', $3::int)),
		   job_key := concat_ws(':', $1::text, $3::int), job_key_mode := 'replace', max_attempts := $2,
		   flags := case when $3::int is null then null else array[$4::text] end)`,
		[job, ATTEMPTS, lane, LANE]
	);
}

/** What one worker does of a job: often a stretch of keys of a record type, both ends included. */
export interface Range {
	n: number;
	type: string;
	low: string;
	high: string;
}

/**
 * Ranges come after pieces that wait: there are many of them, and an import is not to wait for all. Those of a look for
 * what is out of line come last: it begins by itself, and nobody who asks for something is to wait for all records.
 * Those of a bulk change are few, and each goes on piece by piece like an import.
 */
const AFTER_PIECES = 10;
const AFTER_ALL = 20;
const RANGE_KEY = `j.id::text || ':' || g.n`;

/** Cuts a job into ranges and queues them all. */
export async function cutJob(
	db: Db,
	job: string,
	ranges: readonly (Pick<Range, 'n'> & Partial<Range>)[]
): Promise<void> {
	await db.query(
		`insert into job_range (job, n, type, low, high)
		 select $1, r.n, r.type, r.low, r.high
		 from jsonb_to_recordset($2::jsonb) as r(n int, type text, low bigint, high bigint)`,
		[job, JSON.stringify(ranges)]
	);
	await queueRanges(db, job);
}

/** Puts the ranges of a job that are not done into the queue. @returns how many there are */
export async function queueRanges(db: Db, job: string): Promise<number> {
	const r = await db.query(
		`select graphile_worker.add_job('piece', json_build_object('job', j.id::text, 'range', g.n),
		   job_key := ${RANGE_KEY}, job_key_mode := 'replace', max_attempts := $2,
		   priority := case j.kind when 'out-of-line look' then $4::int when 'bulk change' then 0 else $3::int end,
		   flags := case j.kind when 'bulk change' then array[$5::text] end)
		 from job j join job_range g on g.job = j.id where j.id = $1 and g.result is null order by g.n`,
		[job, ATTEMPTS, AFTER_PIECES, AFTER_ALL, LANE]
	);
	return r.rowCount ?? 0;
}

/** Whether a job was cut into ranges. */
export async function isCut(db: Db, job: string): Promise<boolean> {
	const r = await db.query('select 1 from job_range where job = $1 limit 1', [job]);
	return r.rowCount === 1;
}

/** A range that is not done; null when it is. */
export async function openRange(db: Db, job: string, n: number): Promise<Range | null> {
	const r = await db.query<Range>(
		`select n, type, low::text, high::text from job_range where job = $1 and n = $2 and result is null`,
		[job, n]
	);
	return r.rows[0] ?? null;
}

/**
 * Keeps what a range came to, and counts its records as done. One that was done meanwhile stays as it was.
 * @param besides keeps what else belongs to it, once
 * @returns whether it was the last: of two that end at once, one is told so
 */
export async function keepRange(
	db: Db,
	job: string,
	n: number,
	result: unknown,
	records: number,
	besides?: () => Promise<void>
): Promise<boolean> {
	await lockJob(db, job);
	const kept = await db.query(
		'update job_range set result = $3 where job = $1 and n = $2 and result is null',
		[job, n, JSON.stringify(result)]
	);
	if (!kept.rowCount) return false;
	await besides?.();
	await db.query('update job set done = done + $2, heard_at = now() where id = $1', [job, records]);
	const open = await db.query('select 1 from job_range where job = $1 and result is null limit 1', [
		job
	]);
	return open.rowCount === 0;
}

/** What the ranges came to, in their order. */
export async function rangeResults<T>(db: Db, job: string): Promise<T[]> {
	const r = await db.query<{ result: T }>(
		'select result from job_range where job = $1 order by n',
		[job]
	);
	return r.rows.map((x) => x.result);
}

/** Keeps what a job is carried out on, as it was when it began. */
export async function freeze(db: Db, job: string, frozen: unknown, of: number | null) {
	await db.query('update job set frozen = $2, of = coalesce($3, of) where id = $1', [
		job,
		JSON.stringify(frozen),
		of
	]);
}

/** What was kept of it. */
export async function frozenOf<T>(db: Db, job: string): Promise<T | null> {
	const r = await db.query<{ frozen: T | null }>('select frozen from job where id = $1', [job]);
	return r.rows[0]?.frozen ?? null;
}

/** Queues a job in the transaction of its cause. @returns its identity */
export async function insertJob(
	db: Db,
	j: Pick<Job, 'workspace' | 'kind' | 'title' | 'account' | 'input'> & {
		of?: number;
		frozen?: unknown;
	}
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into job (workspace, kind, title, account, input, of, frozen) values ($1, $2, $3, $4, $5, $6, $7) returning id::text`,
		[
			j.workspace,
			j.kind,
			j.title.slice(0, 200),
			j.account,
			j.input,
			j.of ?? null,
			j.frozen === undefined ? null : JSON.stringify(j.frozen)
		]
	);
	await queuePiece(db, r.rows[0].id);
	return r.rows[0].id;
}

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;
/** Whether a text can be the identity of a job or an import. */
export const isUuid = (text: string) => UUID.test(text);

/** @param workspace whose it has to be; any for the worker */
export async function readJob(db: Db, id: string, workspace?: string): Promise<Job | null> {
	const r = await db.query<Job>(
		`select ${JOB} ${FROM} where j.id = $1 and ($2::text is null or j.workspace = $2)`,
		[id, workspace ?? null]
	);
	return r.rows[0] ?? null;
}

/** Most jobs under way that are shown. */
const MOST_OPEN = 200;

/** The jobs that are not at their end, the newest first. */
export async function openJobs(db: Db, workspace: string): Promise<Job[]> {
	const r = await db.query<Job>(
		`select ${JOB} ${FROM} where j.workspace = $1 and j.ended_at is null
		 order by j.queued_at desc, j.id desc limit ${MOST_OPEN}`,
		[workspace]
	);
	// what it came to is read where it is looked at
	return r.rows.map((j) => ({ ...j, result: null }));
}

/** Jobs that ended, those that were asked for last first. */
export async function endedJobs(
	db: Db,
	workspace: string,
	{ kind, by, before }: JobsAsked,
	most: number
): Promise<Job[]> {
	const r = await db.query<Job>(
		`select ${JOB} ${FROM} where j.workspace = $1 and j.ended_at is not null
		   and ($2::text is null or j.kind = $2)
		   and ($3::text is null or coalesce(j.account::text, 'nobody') = $3)
		   and ($4::uuid is null or (j.queued_at, j.id) < (select b.queued_at, b.id from job b where b.id = $4))
		 order by j.queued_at desc, j.id desc limit $5`,
		[workspace, kind, by, before, most]
	);
	return r.rows.map((j) => ({ ...j, result: null }));
}

/** The job of a kind that is under way, or else the newest; null where there was none, as far as is kept. */
export async function newestJob(db: Db, workspace: string, kind: JobKind): Promise<Job | null> {
	const r = await db.query<Job>(
		`select ${JOB} ${FROM} where j.workspace = $1 and j.kind = $2
		 order by j.ended_at is null desc, j.queued_at desc, j.id desc limit 1`,
		[workspace, kind]
	);
	const [newest] = r.rows;
	return newest ? { ...newest, result: null } : null;
}

/** The job of a kind that is not at its end; null for none. @param input that it was asked with */
export async function openJob(
	db: Db,
	workspace: string,
	kind: JobKind,
	input: Job['input'] = {}
): Promise<Job | null> {
	const r = await db.query<Job>(
		`select ${JOB} ${FROM} where j.workspace = $1 and j.kind = $2 and j.ended_at is null and j.input @> $3
		 order by j.queued_at desc limit 1`,
		[workspace, kind, input]
	);
	return r.rows[0] ?? null;
}

/** It is worked on; where it is to pause, others of its ranges may have done so already, and it stays so. */
export async function noteBegun(db: Db, id: string): Promise<void> {
	await db.query(
		`update job set state = case when pausing then state else 'running' end, began_at = coalesce(began_at, now()), heard_at = now()
		 where id = $1 and ended_at is null`,
		[id]
	);
}

/** How far it is. */
export async function noteProgress(
	db: Db,
	id: string,
	p: { done: number; of: number | null }
): Promise<void> {
	await db.query('update job set done = $2, of = $3, heard_at = now() where id = $1', [
		id,
		p.done,
		p.of
	]);
}

/**
 * So much more of it is done. Counted up with what was done, in one transaction, since counting what is done
 * takes the longer the further it is.
 */
export async function noteFurther(db: Db, id: string, more: number): Promise<void> {
	await db.query('update job set done = done + $2, heard_at = now() where id = $1', [id, more]);
}

/** It has come to an end: what it was carried out on is of no use any more. One that ended before stays as it was. */
export async function noteEnded(
	db: Db,
	id: string,
	e: { state: 'done' | 'failed' | 'cancelled'; result?: unknown; message?: string | null }
): Promise<void> {
	await db.query(
		`with gone as (delete from job_range where job = $1)
		 update job set state = $2, result = coalesce($3, result), message = $4, frozen = null, ended_at = now(), heard_at = now()
		 where id = $1 and ended_at is null`,
		[id, e.state, e.result === undefined ? null : JSON.stringify(e.result), e.message ?? null]
	);
}

/** Asks a job to stop. One that nobody has begun is cancelled at once. @returns whether there was one to stop */
export async function stopJob(db: Db, workspace: string, id: string): Promise<Job | null> {
	const r = await db.query(
		`with gone as (delete from job_range g using job j where g.job = $1 and j.id = g.job and j.state in ('waiting', 'paused'))
		 update job set stopping = true,
		   frozen = case when state in ('waiting', 'paused') then null else frozen end,
		   state = case when state in ('waiting', 'paused') then 'cancelled' else state end,
		   ended_at = case when state in ('waiting', 'paused') then now() end
		 where id = $1 and workspace = $2 and ended_at is null returning 1`,
		[id, workspace]
	);
	return r.rowCount ? readJob(db, id, workspace) : null;
}

/** Asks a job to pause, which it does at its next piece. @returns it, or null when there was none to pause */
export async function pauseJob(db: Db, workspace: string, id: string): Promise<Job | null> {
	const r = await db.query(
		`update job set pausing = true, state = case when state = 'waiting' then 'paused' else state end
		 where id = $1 and workspace = $2 and kind = any($3) and ended_at is null and not stopping returning 1`,
		[id, workspace, [...PAUSABLE]]
	);
	return r.rowCount ? readJob(db, id, workspace) : null;
}

/** It has paused: nothing of it is worked on. */
export async function notePaused(db: Db, id: string): Promise<void> {
	await db.query(`update job set state = 'paused' where id = $1 and pausing and ended_at is null`, [
		id
	]);
}

/**
 * Goes on with a job that pauses, or is about to; and with an import that failed or was stopped, whose rows are
 * in or not, each for itself. @returns it, or null when there is nothing to go on with
 */
export async function resumeJob(db: Db, workspace: string, id: string): Promise<Job | null> {
	const r = await db.query(
		`update job set pausing = false, stopping = false, state = 'waiting', message = null, ended_at = null,
		   resumed_at = now(), heard_at = now()
		 where id = $1 and workspace = $2
		   and ((pausing and not stopping and ended_at is null) or (kind = any($3) and state in ('failed', 'cancelled')))
		 returning 1`,
		[id, workspace, [...RESUMABLE]]
	);
	if (!r.rowCount) return null;
	if (!(await queueRanges(db, id))) await queuePiece(db, id);
	return readJob(db, id, workspace);
}

/**
 * Waits for whoever works on the same job, or on the same of its ranges, in another transaction. The row itself stays free, or
 * nobody could stop a job while a piece of it is worked on.
 */
export async function lockJob(db: Db, id: string, range: number | null = null): Promise<void> {
	await db.query(
		`select pg_advisory_xact_lock(72617005, hashtext(concat_ws(':', $1::text, $2::int)))`,
		[id, range]
	);
}

/** What it was asked meanwhile, and whether it is still to be done. One that is gone is to stop. */
export async function askedOfJob(
	db: Db,
	id: string
): Promise<{ stopping: boolean; pausing: boolean; ended: boolean }> {
	const r = await db.query<{ stopping: boolean; pausing: boolean; ended: boolean }>(
		'select stopping, pausing, ended_at is not null as ended from job where id = $1',
		[id]
	);
	return r.rows[0] ?? { stopping: true, pausing: false, ended: true };
}

// ---- who works ----------------------------------------------------------------------------------

/** A worker that was not heard of for that long is dead. */
const DEAD_AFTER = "interval '12 seconds'";

/** These workers live. */
export async function beat(db: Db, workers: readonly string[]): Promise<void> {
	await db.query(
		`insert into worker (id) select unnest($1::text[])
		 on conflict (id) do update set heard_at = now()`,
		[workers]
	);
}

/** These workers end in good order. */
export async function forgetWorkers(db: Db, workers: readonly string[]): Promise<void> {
	await db.query('delete from worker where id = any($1)', [workers]);
}

/** What dead workers had taken is given to others. @returns how many were found */
export async function takeFromDead(db: Db): Promise<number> {
	const r = await db.query<{ id: string }>(
		`delete from worker where heard_at < now() - ${DEAD_AFTER} or heard_at > now() + ${DEAD_AFTER} returning id`
	);
	// one that died before its first sign of life is in no list
	const unknown = await db.query<{ id: string }>(
		`select distinct locked_by as id from graphile_worker.jobs q
		 where locked_at < now() - ${DEAD_AFTER} and not exists (select from worker w where w.id = q.locked_by)`
	);
	const dead = [...r.rows, ...unknown.rows].map((w) => w.id);
	if (!dead.length) return 0;
	await db.query('select graphile_worker.force_unlock_workers($1)', [dead]);
	// a piece that queued the next one under its key, before its worker died, is done: the queue would keep it for ever
	await db.query(
		`select graphile_worker.complete_jobs(array_agg(id)) from graphile_worker.jobs
		 where task_identifier = 'piece' and key is null and locked_at is null having count(*) > 0`
	);
	return dead.length;
}

/** Pieces that failed are tried again soon: what kept them from it has passed sooner than the queue would think. */
export async function hurry(db: Db): Promise<void> {
	await db.query(
		`select graphile_worker.reschedule_jobs(array_agg(id), run_at => now() + ${LONGEST_WAIT})
		 from graphile_worker.jobs
		 where task_identifier = 'piece' and locked_at is null and attempts < max_attempts
		   and run_at > now() + ${LONGEST_WAIT} having count(*) > 0`
	);
}

/** Jobs whose piece the queue gave up, with why: nobody will work on them any more. */
export async function givenUp(db: Db): Promise<{ id: string; message: string }[]> {
	const r = await db.query<{ id: string; message: string }>(
		`select j.id::text, coalesce(q.last_error, 'It is no longer in the queue.') as message
		 from (select j.*, case when g.n is null then j.id::text else ${RANGE_KEY} end as key
		       from job j left join job_range g on g.job = j.id and g.result is null) j
		 left join graphile_worker.jobs q on q.key = j.key
		 where j.state in ('waiting', 'running') and j.queued_at < now() - interval '5 seconds'
		   and coalesce(j.heard_at, j.queued_at) < now() - interval '30 seconds'
		   and (q.id is null or (q.attempts >= q.max_attempts and q.locked_at is null))`
	);
	return r.rows;
}
