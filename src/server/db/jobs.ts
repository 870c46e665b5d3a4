/** Jobs and who works on them, in the database. */

import type { Db } from './pool';

export type JobKind = 'import' | 'dry run' | 'rehearsal';
export type JobState = 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';

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
	/** ISO 8601. */
	queued: string;
	began: string | null;
	ended: string | null;
}

const iso = (c: string) => `to_char(${c} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
const JOB = `j.id::text, j.workspace, j.kind, j.title, j.account::text, a.name as by, j.input, j.state, j.done, j.of,
	j.result, j.message, j.stopping, ${iso('j.queued_at')} as queued, ${iso('j.began_at')} as began, ${iso('j.ended_at')} as ended`;
const FROM = 'from job j left join account a on a.id = j.account';

/** How often a piece is tried that failed: the queue waits longer each time. */
const ATTEMPTS = 5;

/** Puts the next piece of a job into the queue, in the transaction of its cause. */
export async function queuePiece(db: Db, job: string): Promise<void> {
	await db.query(
		`select graphile_worker.add_job('piece', json_build_object('job', $1::text), job_key := $1, job_key_mode := 'replace', max_attempts := $2)`,
		[job, ATTEMPTS]
	);
}

/** Queues a job in the transaction of its cause. @returns its identity */
export async function insertJob(
	db: Db,
	j: Pick<Job, 'workspace' | 'kind' | 'title' | 'account' | 'input'> & { of?: number }
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into job (workspace, kind, title, account, input, of) values ($1, $2, $3, $4, $5, $6) returning id::text`,
		[j.workspace, j.kind, j.title.slice(0, 200), j.account, j.input, j.of ?? null]
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

/** The newest jobs. */
export async function listJobs(db: Db, workspace: string, most: number): Promise<Job[]> {
	const r = await db.query<Job>(
		`select ${JOB} ${FROM} where j.workspace = $1 order by j.queued_at desc limit $2`,
		[workspace, most]
	);
	// what it came to is read where it is looked at
	return r.rows.map((j) => ({ ...j, result: null }));
}

/** The job of a kind that waits or runs; null for none. */
export async function openJob(db: Db, workspace: string, kind: JobKind): Promise<Job | null> {
	const r = await db.query<Job>(
		`select ${JOB} ${FROM} where j.workspace = $1 and j.kind = $2 and j.state in ('waiting', 'running')
		 order by j.queued_at desc limit 1`,
		[workspace, kind]
	);
	return r.rows[0] ?? null;
}

/** It is worked on. */
export async function noteBegun(db: Db, id: string): Promise<void> {
	await db.query(
		`update job set state = 'running', began_at = coalesce(began_at, now()), heard_at = now() where id = $1`,
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

/** It has come to an end. One that ended before stays as it was. */
export async function noteEnded(
	db: Db,
	id: string,
	e: { state: 'done' | 'failed' | 'cancelled'; result?: unknown; message?: string | null }
): Promise<void> {
	await db.query(
		`update job set state = $2, result = coalesce($3, result), message = $4, ended_at = now(), heard_at = now()
		 where id = $1 and ended_at is null`,
		[id, e.state, e.result === undefined ? null : JSON.stringify(e.result), e.message ?? null]
	);
}

/** Asks a job to stop. One that nobody has begun is cancelled at once. @returns whether there was one to stop */
export async function stopJob(db: Db, workspace: string, id: string): Promise<Job | null> {
	const r = await db.query(
		`update job set stopping = true,
		   state = case when state = 'waiting' then 'cancelled' else state end,
		   ended_at = case when state = 'waiting' then now() end
		 where id = $1 and workspace = $2 and state in ('waiting', 'running') returning 1`,
		[id, workspace]
	);
	return r.rowCount ? readJob(db, id, workspace) : null;
}

/** Waits for whoever works on the same job in another transaction. */
export async function lockJob(db: Db, id: string): Promise<void> {
	await db.query('select 1 from job where id = $1 for no key update', [id]);
}

/** Whether it was asked to stop. */
export async function isStopping(db: Db, id: string): Promise<boolean> {
	const r = await db.query<{ stopping: boolean }>('select stopping from job where id = $1', [id]);
	return r.rows[0]?.stopping ?? true;
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
	const dead = r.rows.map((w) => w.id);
	if (dead.length) await db.query('select graphile_worker.force_unlock_workers($1)', [dead]);
	return dead.length;
}

/** Jobs whose piece the queue gave up, with why: nobody will work on them any more. */
export async function givenUp(db: Db): Promise<{ id: string; message: string }[]> {
	const r = await db.query<{ id: string; message: string }>(
		`select j.id::text, coalesce(q.last_error, 'It is no longer in the queue.') as message
		 from job j left join graphile_worker.jobs q on q.key = j.id::text
		 where j.state in ('waiting', 'running') and j.queued_at < now() - interval '5 seconds'
		   and coalesce(j.heard_at, j.queued_at) < now() - interval '30 seconds'
		   and (q.id is null or (q.attempts >= q.max_attempts and q.locked_at is null))`
	);
	return r.rows;
}
