/** What is left of changes that ran on to more records than one transaction takes. */
import type { Deferred, EntryPoint, JsonValue, Schema } from '../../core';
import { valuesToJson } from '../../core';
import type { Before } from '../records/near';
import { isoExact } from './iso';
import { tableOf } from './model';
import type { Db } from './pool';

/** Stores what a change is put off at; in the transaction of the change. */
export async function putOff(
	db: Db,
	by: {
		workspace: string;
		account: { id: string; person: string | null };
		entryPoint: EntryPoint;
		instant: number;
	},
	change: string,
	schema: Schema,
	before: readonly Before[],
	records: readonly Deferred[]
): Promise<void> {
	// by the model as this transaction has it, whenever the change was sent
	const at = new Date().toISOString();
	const doc = before.map((b) => ({ ...b, at, was: valuesToJson(schema, b.type, b.was) }));
	const r = await db.query<{ id: string }>(
		`insert into carried_change (workspace, change, account, entry_point, at, person, before)
		 values ($1, $2, $3, $4, $5, $6, $7) returning id`,
		[
			by.workspace,
			change,
			by.account.id,
			by.entryPoint,
			new Date(by.instant).toISOString(),
			by.account.person,
			JSON.stringify(doc)
		]
	);
	await db.query(
		`insert into pending_record (carried, type, record, touched)
		 select $1, t, r, string_to_array(k, E'\\n') from unnest($2::text[], $3::bigint[], $4::text[]) as x(t, r, k)`,
		[
			r.rows[0].id,
			records.map((d) => d.type),
			records.map((d) => d.id),
			records.map((d) => d.touched.join('\n'))
		]
	);
}

/**
 * Notes every record of some types that another release settled last, to be brought into line.
 * @returns how many
 */
export async function putLocked(
	db: Db,
	by: { workspace: string; id: string; person: string | null },
	release: number,
	types: readonly string[],
	instant: number
): Promise<number> {
	const made = await db.query<{ id: string }>(
		`insert into carried_change (workspace, change, account, entry_point, at, person, before, release)
		 values ($1, null, $2, 'bulk', $3, $4, '[]', $5) returning id`,
		[by.workspace, by.id, new Date(instant).toISOString(), by.person, release]
	);
	const { id } = made.rows[0];
	let n = 0;
	for (const type of types) {
		const r = await db.query(
			`insert into pending_record (carried, type, record, touched)
			 select $1, $2, id, '{}' from ${tableOf(type)} where workspace = $3 and settled_by is distinct from $4`,
			[id, type, by.workspace, release]
		);
		n += r.rowCount ?? 0;
	}
	if (!n) await db.query('delete from carried_change where id = $1', [id]);
	return n;
}

/** What a record was before a change that is carried on, by the model of then. */
export interface BeforeThen {
	type: string;
	id: string;
	/** When it was kept, ISO 8601. */
	at: string;
	was: Record<string, JsonValue>;
}

/** A change with something left, and the next records to settle. */
export interface CarriedPiece {
	carried: string;
	workspace: string;
	account: { id: string; name: string; person: string | null };
	entryPoint: EntryPoint;
	instant: number;
	before: readonly BeforeThen[];
	records: { type: string; id: string }[];
}

/** How often a record is tried before it is left as it is and shown. */
const MOST_ATTEMPTS = 5;

/**
 * Some record that the change `c` has left; null for none. As a value and not as a condition (`exists`), which PostgreSQL
 * may answer by going through all that is left of all changes, for each piece anew.
 */
const stillLeft = (condition: string) =>
	`(select p.record from pending_record p where p.carried = c.id and ${condition} order by p.attempts limit 1)`;

/**
 * The oldest change with something left, or null.
 * @param last the piece before it: what records were before its change is not read again
 */
export async function nextPiece(
	db: Db,
	size: number,
	last: CarriedPiece | null = null
): Promise<CarriedPiece | null> {
	const r = await db.query(
		`select c.id, c.workspace, c.account, a.name, c.person, c.entry_point, c.at, ${isoExact('c.at')} as made,
		        case when c.id is distinct from $2 then c.before end as before from carried_change c
		 left join account a on a.id = c.account
		 where ${stillLeft('p.attempts < $1')} is not null order by c.id limit 1`,
		[MOST_ATTEMPTS, last?.carried ?? null]
	);
	const c = r.rows[0];
	if (!c) return null;
	const p = await db.query<{ type: string; record: string }>(
		'select type, record from pending_record where carried = $1 and attempts < $2 order by attempts, type, record limit $3',
		[c.id, MOST_ATTEMPTS, size]
	);
	const before = c.before as (Omit<BeforeThen, 'at'> & Partial<BeforeThen>)[] | null;
	return {
		carried: String(c.id),
		workspace: c.workspace,
		account: { id: String(c.account), name: c.name ?? '', person: c.person },
		entryPoint: c.entry_point,
		instant: (c.at as Date).getTime(),
		// an earlier version did not keep when
		before: before ? before.map((b) => ({ at: c.made as string, ...b })) : last!.before,
		records: p.rows.map((x) => ({ type: x.type, id: String(x.record) }))
	};
}

/** Takes some of what is left, that nobody else is at, for this transaction. */
export async function takePending(
	db: Db,
	carried: string,
	records: readonly { type: string; id: string }[]
): Promise<Deferred[]> {
	const r = await db.query<{ type: string; record: string; touched: string[] }>(
		`select type, record, touched from pending_record
		 where carried = $1 and (type, record) in (select * from unnest($2::text[], $3::bigint[]))
		 order by type, record for update skip locked`,
		[carried, records.map((x) => x.type), records.map((x) => x.id)]
	);
	return r.rows.map((x) => ({ type: x.type, id: String(x.record), touched: x.touched }));
}

/** Strikes out what was settled; the change with nothing left goes too. */
export async function donePending(
	db: Db,
	carried: string,
	records: readonly { type: string; id: string }[]
): Promise<void> {
	await db.query(
		`delete from pending_record where carried = $1 and (type, record) in (select * from unnest($2::text[], $3::bigint[]))`,
		[carried, records.map((x) => x.type), records.map((x) => x.id)]
	);
	await db.query(`delete from carried_change c where id = $1 and ${stillLeft('true')} is null`, [
		carried
	]);
}

/** Notes that records could not be settled, with the reason. */
export async function notePendingTrouble(
	db: Db,
	carried: string,
	records: readonly { type: string; id: string }[],
	trouble: string
): Promise<void> {
	await db.query(
		`update pending_record set attempts = attempts + 1, trouble = $4
		 where carried = $1 and (type, record) in (select * from unnest($2::text[], $3::bigint[]))`,
		[carried, records.map((x) => x.type), records.map((x) => x.id), trouble]
	);
}

/** How many records wait to be settled, by record type, and how many of them could not be. */
export async function pendingOf(
	db: Db,
	workspace: string
): Promise<{ counts: { type: string; n: number }[]; stuck: number }> {
	const r = await db.query<{ type: string; n: number; stuck: number }>(
		`select p.type, count(*)::int as n, count(*) filter (where p.attempts >= $2)::int as stuck
		 from pending_record p join carried_change c on c.id = p.carried where c.workspace = $1 group by 1 order by 1`,
		[workspace, MOST_ATTEMPTS]
	);
	return {
		counts: r.rows.map(({ type, n }) => ({ type, n })),
		stuck: r.rows.reduce((sum, x) => sum + x.stuck, 0)
	};
}

/** A change of which something is left: whose, since when, and how many records wait. */
export interface CarriedChange {
	id: string;
	/** Name of whoever made it; null where nobody did. */
	by: string | null;
	/** ISO 8601. */
	at: string;
	left: number;
	/** Of these, given up after several attempts; and what stood against the first of them. */
	stuck: number;
	trouble: string | null;
}

/** Changes that are carried on beside requests, oldest first. */
export async function carriedChanges(
	db: Db,
	workspace: string,
	most: number
): Promise<CarriedChange[]> {
	const r = await db.query<CarriedChange>(
		`select c.id::text, a.name as by, to_char(c.at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at,
		        count(*)::int as left, count(*) filter (where p.attempts >= $2)::int as stuck, min(p.trouble) as trouble
		 from carried_change c join pending_record p on p.carried = c.id left join account a on a.id = c.account
		 where c.workspace = $1 group by c.id, a.name order by c.id limit $3`,
		[workspace, MOST_ATTEMPTS, most]
	);
	return r.rows;
}

/** Which of some records wait to be settled. */
export async function waitingAmong(
	db: Db,
	workspace: string,
	type: string,
	ids: readonly string[]
): Promise<Set<string>> {
	const r = await db.query<{ record: string }>(
		`select distinct p.record from pending_record p join carried_change c on c.id = p.carried
		 where c.workspace = $1 and p.type = $2 and p.record = any($3::bigint[])`,
		[workspace, type, ids]
	);
	return new Set(r.rows.map((x) => String(x.record)));
}

/** How many records wait for changes that are carried on. */
export async function countPending(db: Db): Promise<number> {
	const r = await db.query<{ n: number }>('select count(*)::int as n from pending_record');
	return r.rows[0].n;
}
