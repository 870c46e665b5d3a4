/**
 * History as an earlier version stored it, a row for each line and all words of it on each record again, is
 * moved in pieces while the server runs, the newest first: what a line followed on is then still where it was.
 */
import type { PoolClient } from 'pg';
import { TOLD_SQL } from './history';
import { tableOf } from './model';
import type { Db } from './pool';
import { transaction } from './pool';

/** Changes moved in one transaction. */
const PIECE = 200;
/** By which only one at a time moves. */
const LOCK = 72617002;

/** The mark of who wrote a line, as `set-by.ts` reads it. @param l the line @param c its change */
const mark = (l: string, c: string) =>
	`case when ${l}.claim is not null then 'r ' || ${l}.change || ' ' || ${l}.claim
	 else case ${c}.entry_point when 'import' then 'i ' when 'api' then 'a ' else 'p ' end
	      || ${l}.change || ' ' || coalesce(${c}.account::text, '') end`;

const LINES = `insert into record_change (change, type, record, marks, lines)
	select change, type, record, coalesce(array_agg(distinct mark) filter (where mark is not null), '{}'),
	       jsonb_agg(line order by told desc, claim nulls first, field)
	from (
		select l.change, l.type, l.record, l.claim, l.field, l.outcome in (${TOLD_SQL}) as told,
		       case when l.outcome in (${TOLD_SQL}) then '' else '~' end || split_part(l.claim, ':', 1) as mark,
		       jsonb_build_array(l.outcome, l.field, l.was, l.now, l.claim, l.rule_name, l.because, had.mark) as line
		from earlier_line l left join lateral (
			select ${mark('b', 'c')} as mark from change_line b join change c on c.id = b.change
			where b.type = l.type and b.record = l.record and b.field = l.field and b.outcome = 'set' and b.change < l.change
			order by b.change desc limit 1
		) had on l.outcome = 'set'
		where l.change = any($1::bigint[])
	) x group by change, type, record`;

/** Puts marks in the place of words where a change that was moved set the value that stands. */
async function shorten(client: PoolClient, type: string, changes: readonly string[]) {
	const table = tableOf(type);
	// a record that somebody is saving keeps its words: nothing waits for this
	const held = await client.query<{ id: string }>(
		`select id from ${table} where id in (select record from record_change where type = $1 and change = any($2::bigint[]))
		 order by id for no key update skip locked`,
		[type, changes]
	);
	await client.query(
		`update ${table} r set set_by = r.set_by || x.marks from (
			select id, jsonb_object_agg(field, mark) as marks from (
				select distinct on (r.id, l.field) r.id, l.field,
				       case when r.set_by->l.field ? 'added'
				            then jsonb_build_array(${mark('l', 'c')}, r.set_by->l.field->'added')
				            else to_jsonb(${mark('l', 'c')}) end as mark
				from ${table} r join history_line l on l.type = $1 and l.record = r.id join change c on c.id = l.change
				where r.id = any($3::bigint[]) and l.change = any($2::bigint[]) and l.outcome = 'set'
				  and jsonb_typeof(r.set_by->l.field) = 'object'
				  and r.set_by->l.field->>'claim' is not distinct from l.claim
				  and (r.set_by->l.field->>'at')::timestamptz = c.at
				order by r.id, l.field, l.change desc
			) one group by id
		 ) x where r.id = x.id`,
		[type, changes, held.rows.map((r) => r.id)]
	);
}

/** Whether some history is still stored as an earlier version stored it. */
export async function isHistoryMoving(db: Db): Promise<boolean> {
	const { rows } = await db.query<{ more: boolean }>(
		`select exists (select from change_line) or exists (select from change where quiet is not null) as more`
	);
	return rows[0].more;
}

/** @returns how many changes were moved, and whether there may be more; none and more when another is at it */
export async function moveHistory(
	db: Db,
	piece = PIECE
): Promise<{ changes: number; more: boolean }> {
	if (!(await isHistoryMoving(db))) return { changes: 0, more: false };
	const changes = await transaction(async (client) => {
		const alone = await client.query<{ alone: boolean }>(
			'select pg_try_advisory_xact_lock($1) as alone',
			[LOCK]
		);
		if (!alone.rows[0].alone) return 0;
		const some = await client.query<{ id: string }>(
			`select id from (
				(select distinct change as id from change_line order by change desc limit $1)
				union (select id from change where quiet is not null order by id desc limit $1)
			 ) x order by id desc limit $1`,
			[piece]
		);
		const ids = some.rows.map((r) => r.id);
		await client.query(LINES, [ids]);
		const types = await client.query<{ type: string }>(
			'select distinct type from record_change where change = any($1::bigint[])',
			[ids]
		);
		for (const { type } of types.rows) {
			// history outlives a record type
			const there = await client.query<{ there: boolean }>(
				'select to_regclass($1) is not null as there',
				[tableOf(type)]
			);
			if (there.rows[0].there) await shorten(client, type, ids);
		}
		await client.query('delete from change_line where change = any($1::bigint[])', [ids]);
		await client.query('update change set quiet = null where id = any($1::bigint[])', [ids]);
		return ids.length;
	});
	return { changes, more: true };
}
