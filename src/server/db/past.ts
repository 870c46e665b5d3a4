/** What history tells of a record since an instant, and what points to a record. */
import type { JsonValue } from '../../core';
import { isoExact } from './iso';
import { columnOf, tableOf } from './model';
import type { Db } from './pool';
import { historyFrom } from './retention';

/** What history tells of a record since an instant. */
export interface ChangedSince {
	/** It was not there at that instant, and was made later. */
	made: boolean;
	/** It had been there before that, and was deleted. */
	again: boolean;
	/** What it held when it was deleted, where that was since then, and when: it has been made again. */
	deleted: { was: Record<string, JsonValue>; at: string } | null;
	/** What its fields were before their first change from then on, and when that was; of a deleted record until that. */
	was: Record<string, { was: JsonValue; at: string }>;
	/** History goes back no further than that instant, ISO 8601; null where it reaches. */
	knownFrom: string | null;
}

/** What the fields of a record were before their first change from an instant on, ISO 8601. */
export async function changedSince(
	db: Db,
	workspace: string,
	type: string,
	record: string,
	instant: string
): Promise<ChangedSince> {
	const since = 'c.workspace = $1 and c.at >= $4::timestamptz';
	// a record that was deleted may have been made again: what comes first tells whether it was there
	const { rows: turns } = await db.query<{
		made: boolean;
		change: string;
		at: string;
		was: Record<string, JsonValue>;
		again: boolean;
	}>(
		`(select true as made, h.change::text, ${isoExact('c.at')} as at, null::jsonb as was, exists (select from history_line l
		    where l.type = $2 and l.record = $3 and l.outcome = 'deleted' and l.change < h.change) as again
		  from record_change h join change c on c.id = h.change
		  where h.type = $2 and h.record = $3 and h.made and ${since} order by h.change limit 1)
		 union all
		 (select false, l.change::text, ${isoExact('c.at')}, l.was, false from history_line l join change c on c.id = l.change
		  where l.type = $2 and l.record = $3 and l.outcome = 'deleted' and ${since} order by l.change limit 1)`,
		[workspace, type, record, instant]
	);
	const made = turns.find((t) => t.made);
	const gone = turns.find((t) => !t.made);
	const first = gone && (!made || BigInt(gone.change) < BigInt(made.change)) ? gone : null;
	const r = await db.query<{ field: string; was: JsonValue; at: string }>(
		`select distinct on (l.field) l.field, l.was, ${isoExact('c.at')} as at from history_line l join change c on c.id = l.change
		 where l.type = $2 and l.record = $3 and l.outcome = 'set' and ${since} and l.change < coalesce($5::bigint, l.change + 1)
		 order by l.field, l.change`,
		[workspace, type, record, instant, first?.change ?? null]
	);
	// one that was there before history began has no line that it was made, but the day is kept
	const { rows: stamps } = await db.query<{ later: boolean }>(
		`select created_at >= $3::timestamptz as later from ${tableOf(type)} where workspace = $1 and id = $2`,
		[workspace, record, instant]
	);
	const again = !!made?.again && !first;
	// what was forgotten is gone for all records alike
	const from = await historyFrom(db, workspace);
	return {
		made: (!!made && !first) || (!again && !!stamps[0]?.later),
		again,
		deleted: first && { was: first.was, at: first.at },
		was: Object.fromEntries(r.rows.map(({ field, ...x }) => [field, x])),
		knownFrom: from && Date.parse(from) > Date.parse(instant) ? from : null
	};
}

/** Records that point to one by a link: how many, up to a limit, and the newest of them. */
export async function pointingTo(
	db: Db,
	workspace: string,
	a: { type: string; field: string; title: string; id: string; most: number; shown: number }
): Promise<{ n: number; newest: { id: string; title: string }[] }> {
	const from = `from ${tableOf(a.type)} r where r.workspace = $1 and r.${columnOf(a.field)} = $2`;
	const [count, some] = await Promise.all([
		db.query<{ n: number }>(
			`select count(*)::int as n from (select 1 ${from} limit ${a.most + 1}) x`,
			[workspace, a.id]
		),
		db.query<{ id: string; title: string }>(
			`select r.id::text, coalesce(r.${columnOf(a.title)}::text, 'No. ' || r.id) as title ${from} order by r.id desc limit ${a.shown}`,
			[workspace, a.id]
		)
	]);
	return { n: count.rows[0].n, newest: some.rows };
}
