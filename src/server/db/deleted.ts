/** Records that were deleted: what they held is told by history, and some are made again. */
import type { EntryPoint, JsonValue } from '../../core';
import { isoExact } from './iso';
import { tableOf } from './model';
import type { Db } from './pool';
import { MARKED_SQL, type KeptSetBy, type Marked } from './set-by';

/** A record that was deleted. */
export interface DeletedRecord {
	type: string;
	record: string;
	/** When it was deleted, ISO 8601. */
	at: string;
	/** What it held. */
	was: Record<string, JsonValue>;
	/** By field, who had set it. */
	had: Record<string, KeptSetBy>;
	/** The version that was deleted. */
	version: number;
}

/**
 * The version and who had set what, of the line `h` of history that tells of a deletion. Those from before history kept
 * it are told by the lines before: the version is as many as it has, and what rules had added to sets counts as all the
 * rest does.
 */
export const HAD_SQL = `case when h.had is not null then (h.had::jsonb)->'by' else
	coalesce((select jsonb_object_agg(x.field, x.mark) from (
	  select distinct on (s.field) s.field, concat_ws(' ', case when s.claim is not null then 'r'
	    when sc.entry_point = 'import' then 'i' when sc.entry_point = 'api' then 'a' else 'p' end,
	    s.change, coalesce(s.claim, sc.account::text, '')) as mark
	  from history_line s join change sc on sc.id = s.change
	  where s.type = h.type and s.record = h.record and s.outcome = 'set' and s.change < h.change
	  order by s.field, s.change desc) x where h.was ? x.field), '{}') end as had,
	coalesce(((h.had::jsonb)->>'version')::int,
	  (select count(distinct x.change)::int from history_line x where x.type = h.type and x.record = h.record)) as version`;

/** Who deleted a record, and by which road. */
export interface Deletion {
	/** The number of the change. */
	change: string;
	who: string | null;
	entryPoint: EntryPoint;
}

/** A record that is there no more, as it was when it was deleted; null where it is there, or nothing is known of it. */
export async function deletedRecord(
	db: Db,
	workspace: string,
	type: string,
	id: string
): Promise<(DeletedRecord & Deletion) | null> {
	const r = await db.query<DeletedRecord & Deletion>(
		`select h.change::text, h.type, h.record::text, h.was, ${HAD_SQL}, ${isoExact('c.at')} as at, a.name as who,
		   c.entry_point as "entryPoint"
		 from history_line h join change c on c.id = h.change left join account a on a.id = c.account
		 where c.workspace = $1 and h.type = $2 and h.record = $3 and h.outcome = 'deleted'
		   and not exists (select from ${tableOf(type)} r where r.workspace = $1 and r.id = h.record)
		 order by h.change desc limit 1`,
		[workspace, type, id]
	);
	return r.rows[0] ?? null;
}

/** A link that became blank because what it pointed to was deleted. */
export interface CutLink {
	type: string;
	record: string;
	field: string;
	/** Who had set it. */
	had: Marked | null;
}

/** The links that became blank when a record was deleted. @param change the one that deleted it */
export async function cutBy(db: Db, change: string, record: string): Promise<CutLink[]> {
	const r = await db.query<CutLink>(
		`select type, record::text, field, ${MARKED_SQL} as had from history_line h
		 where change = $1 and outcome = 'set' and claim is null and was = to_jsonb($2::text) and coalesce(now, 'null') = 'null'
		 order by type, record`,
		[change, record]
	);
	return r.rows;
}

/** Of records that were made again: they were made when they first were, or, where that was not kept, when history begins. */
export async function restoreMade(
	db: Db,
	workspace: string,
	type: string,
	ids: readonly string[]
): Promise<void> {
	await db.query(
		`update ${tableOf(type)} r set created_at = first.at
		 from (select h.record, coalesce(
		   min(case when h.outcome = 'deleted' then (h.had::jsonb->>'made')::timestamptz end), min(c.at)) as at
		   from history_line h join change c on c.id = h.change
		   where h.type = $2 and h.record = any($3::bigint[]) group by h.record) first
		 where r.workspace = $1 and r.id = first.record and first.at < r.created_at`,
		[workspace, type, ids]
	);
}
