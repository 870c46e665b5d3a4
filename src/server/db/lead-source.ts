/** The stand-in for a source of leads: what it is to post, and what it posted. */
import type { JsonValue } from '../../core';
import { iso } from './iso';
import type { Db } from './pool';

/** How it works. */
export interface LeadSource {
	/** The service for which it acts. */
	account: string | null;
	/** Record type that it posts. */
	type: string | null;
	/** Milliseconds between one and the next. */
	every: number;
	/** ISO 8601; null where it is not at work. */
	until: string | null;
	/** How many it posted so far. */
	posted: number;
}

export async function readSource(db: Db, workspace: string): Promise<LeadSource> {
	const r = await db.query<LeadSource>(
		`select account::text, type, every_ms as every, case when until > now() then ${iso('until')} end as until, posted::int
		 from lead_source where workspace = $1`,
		[workspace]
	);
	return r.rows[0] ?? { account: null, type: null, every: 5000, until: null, posted: 0 };
}

/** Has it work for so many minutes from now. */
export async function startSource(
	db: Db,
	workspace: string,
	s: { account: string; type: string; token: string; every: number; minutes: number }
): Promise<void> {
	await db.query(
		`insert into lead_source (workspace, account, type, token, every_ms, until) values ($1, $2, $3, $4, $5, now() + make_interval(mins => $6))
		 on conflict (workspace) do update set account = $2, type = $3, token = $4, every_ms = $5,
		   until = now() + make_interval(mins => $6), next_at = now()`,
		[workspace, s.account, s.type, s.token, s.every, s.minutes]
	);
}

/** Ends its work. @returns the token that it had, if any; whoever ends it revokes that */
export async function endSource(db: Db, workspace: string): Promise<string | null> {
	const r = await db.query<{ token: string | null }>(
		`update lead_source s set until = null, token = null from (select workspace, token from lead_source where workspace = $1 for update) old
		 where s.workspace = old.workspace returning old.token`,
		[workspace]
	);
	return r.rows[0]?.token ?? null;
}

/** Workspaces in which its time is over, with the token that it still has. */
export async function sourcesOver(db: Db): Promise<string[]> {
	const r = await db.query<{ workspace: string }>(
		'select workspace from lead_source where token is not null and until <= now()'
	);
	return r.rows.map((x) => x.workspace);
}

/** What is to be posted now. */
export interface ToPost {
	workspace: string;
	account: string;
	type: string;
	token: string;
	/** Number of the first of them. */
	first: number;
	count: number;
}

/** Takes what is due, so that no other server posts it. After a pause it does not catch up. */
export async function takePosts(db: Db, most: number): Promise<ToPost[]> {
	const r = await db.query<ToPost>(
		`update lead_source s set posted = s.posted + n.count, next_at = now() + make_interval(secs => s.every_ms / 1000.0)
		 from (select workspace, least($1, 1 + floor(extract(epoch from least(now() - next_at, interval '1 second')) * 1000 / every_ms))::int as count
		       from lead_source where token is not null and until > now() and next_at <= now() for update skip locked) n
		 where s.workspace = n.workspace
		 returning s.workspace, s.account::text, s.type, s.token, (s.posted - n.count)::int as first, n.count`,
		[most]
	);
	return r.rows;
}

/** One that was posted. */
export interface Posted {
	id: string;
	/** ISO 8601. */
	at: string;
	key: string;
	type: string;
	sent: Record<string, JsonValue>;
	/** Null where nothing was answered. */
	status: number | null;
	answer: Record<string, JsonValue>;
	/** Milliseconds. */
	took: number;
	/** Answered as the one before under the same key. */
	replayed: boolean;
}

/** Posts that are kept. */
const KEPT = 200;

/** Keeps what was posted and answered, and forgets the oldest. */
export async function notePosted(
	db: Db,
	workspace: string,
	p: Omit<Posted, 'id' | 'at'>
): Promise<void> {
	await db.query(
		`insert into lead_posted (workspace, key, type, sent, status, answer, took_ms, replayed) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		[
			workspace,
			p.key,
			p.type,
			JSON.stringify(p.sent),
			p.status,
			JSON.stringify(p.answer),
			p.took,
			p.replayed
		]
	);
	await db.query(
		`delete from lead_posted where workspace = $1 and id <= (select id from lead_posted where workspace = $1 order by id desc offset $2 limit 1)`,
		[workspace, KEPT]
	);
}

/** What was posted last, newest first. */
export async function listPosted(db: Db, workspace: string, size: number): Promise<Posted[]> {
	const r = await db.query<Posted>(
		`select id::text, ${iso('at')} as at, key, type, sent, status, answer, took_ms as took, replayed
		 from lead_posted p where workspace = $1 order by p.id desc limit $2`,
		[workspace, size]
	);
	return r.rows;
}
