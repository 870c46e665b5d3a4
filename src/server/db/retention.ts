/** How long what is kept that nobody decides by any more, and forgetting what is older. */
import type { KEPT } from '../../door/forms';
import { isoExact } from './iso';
import type { Db } from './pool';

/** For how many days; absent is for good. */
export type Keep = Partial<Record<(typeof KEPT)[number], number>>;

export async function readKeep(db: Db, workspace: string): Promise<Keep> {
	const r = await db.query<{ keep: Keep }>('select keep from workspace where id = $1', [workspace]);
	return r.rows[0]?.keep ?? {};
}

export async function storeKeep(db: Db, workspace: string, keep: Keep): Promise<void> {
	await db.query('update workspace set keep = $2 where id = $1', [workspace, JSON.stringify(keep)]);
}

/** Rows that one statement forgets: others wait for no more than that. */
const AT_ONCE = 1_000;

/** In this order, statements that forget some of each; `$2` is the instant before which they do, `$3` how many rows. */
const FORGET: Readonly<Record<keyof Keep, readonly string[]>> = {
	// messages first: what a message came of is kept as long as the message
	messages: [
		// a message that leaves at most once is not to leave again: that it left is kept, its text is not
		`update outbox set recipient = '', subject = '', body = '' where id in (
		   select id from outbox where workspace = $1 and status <> 'waiting' and once_key is not null and body <> ''
		     and at < $2::timestamptz order by id limit $3)`,
		`delete from outbox where id in (
		   select id from outbox where workspace = $1 and status <> 'waiting' and once_key is null
		     and at < $2::timestamptz order by id limit $3)`,
		`delete from mailbox where number in (
		   select number from mailbox where $1 <> '' and at < $2::timestamptz order by number limit $3)`,
		`delete from hook_event where id in (
		   select e.id from hook_event e join hook h on h.id = e.hook where h.workspace = $1 and e.status <> 'waiting'
		     and e.settled_at < $2::timestamptz order by e.settled_at limit $3)`,
		`delete from received where id in (
		   select r.id from received r join hook h on h.id = r.hook where h.workspace = $1
		     and r.at < $2::timestamptz order by r.id limit $3)`
	],
	history: [
		`with old as materialized (
		   select id from change c where workspace = $1 and at < $2::timestamptz
		     and not exists (select from outbox o where o.change = c.id)
		     and not exists (select from carried_change k where k.change = c.id)
		   order by at limit $3),
		 rows as (delete from record_change where change in (select id from old)),
		 lines as (delete from change_line where change in (select id from old))
		 delete from change where id in (select id from old)`,
		`delete from rule_tally where ctid in (
		   select ctid from rule_tally where workspace = $1 and last < $2::timestamptz limit $3)`,
		`delete from refusal where id in (
		   select id from refusal where workspace = $1 and at < $2::timestamptz order by id limit $3)`
	],
	imports: [
		`delete from import where id in (
		   select i.id from import i where workspace = $1 and at < $2::timestamptz
		     and not exists (select from job j where j.id in (i.job, i.dry_run) and j.ended_at is null)
		   order by at limit 5)`,
		`delete from bulk where id in (
		   select b.id from bulk b where workspace = $1 and at < $2::timestamptz
		     and not exists (select from bulk u, job j where (u.id = b.id or u.undoes = b.id) and j.id in (u.job, u.look) and j.ended_at is null)
		   order by at limit 5)`
	],
	jobs: [
		`delete from job where id in (
		   select j.id from job j where workspace = $1 and ended_at < $2::timestamptz
		     and not exists (select from import i where j.id in (i.job, i.dry_run))
		     and not exists (select from bulk b where j.id in (b.job, b.look))
		   order by queued_at limit $3)`
	]
};

/** The most statements of one round: what is left waits for the next. */
const ROUNDS = 50;

/**
 * From when on history is whole, ISO 8601: what happened before is forgotten, but for what a kept message came of. Null
 * where nothing was ever forgotten.
 */
export async function historyFrom(db: Db, workspace: string): Promise<string | null> {
	const r = await db.query<{ at: string | null }>(
		`select ${isoExact('history_from')} as at from workspace where id = $1`,
		[workspace]
	);
	return r.rows[0]?.at ?? null;
}

/** Notes that of what happened before an instant some will be forgotten, where there is any. */
async function noteForgotten(db: Db, workspace: string, before: string): Promise<void> {
	await db.query(
		`update workspace set history_from = $2::timestamptz where id = $1
		   and (history_from is null or history_from < $2::timestamptz)
		   and exists (select from change where workspace = $1 and at < $2::timestamptz)`,
		[workspace, before]
	);
}

/** Forgets what is older than is to be kept. @returns how many rows went, by what they were */
export async function forgetBeyond(db: Db, workspace: string, keep: Keep): Promise<Keep> {
	const gone: Keep = {};
	for (const what of Object.keys(FORGET) as (keyof Keep)[]) {
		const days = keep[what];
		if (days === undefined) continue;
		const now = await db.query<{ before: string }>(
			`select ${isoExact('(now() - make_interval(days => $1))')} as before`,
			[days]
		);
		const [{ before }] = now.rows;
		// first: a server that is killed in the midst of it leaves no gap that nobody knows of
		if (what === 'history') await noteForgotten(db, workspace, before);
		let rows = 0;
		for (const sql of FORGET[what])
			for (let i = 0; i < ROUNDS; i++) {
				const values = sql.includes('$3') ? [workspace, before, AT_ONCE] : [workspace, before];
				const { rowCount } = await db.query(sql, values);
				if (!rowCount) break;
				rows += rowCount;
			}
		if (rows) gone[what] = rows;
	}
	return gone;
}
