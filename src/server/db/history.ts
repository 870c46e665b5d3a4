/** What changes did: for each change and record one row, with all that happened there as its lines. */
import type { JsonValue, Road } from '../../core';
import { isoExact } from './iso';
import type { Db } from './pool';
import type { KeptSetBy, Marked, SetBy } from './set-by';

/** What a line tells of what was written, asked for or refused by a rule; anything else came to nothing. */
const TOLD = ['set', 'set aside', 'failed', 'sent', 'deleted'] as const;
/** The same for SQL. */
export const TOLD_SQL = TOLD.map((t) => `'${t}'`).join(', ');

/** What a deleted record had beside its values. */
export interface HadWhenDeleted {
	/** The version that was deleted. */
	version: number;
	/** By field. */
	by: Record<string, KeptSetBy>;
	/** When it was made; ISO 8601. */
	made?: string;
}

/** One line of history to write. */
export interface HistoryLine {
	type: string;
	record: string;
	field: string;
	/** Of a deleted record all that it held. */
	was: JsonValue | Record<string, JsonValue>;
	now: JsonValue;
	claim: string | null;
	ruleName: string | null;
	because: string | null;
	outcome: (typeof TOLD)[number];
	/** Who had set the value before, where somebody had; of a deleted record who had set all of it. */
	had?: Marked | null | HadWhenDeleted;
}

/** A rule that ran at a record and wrote nothing, with its outcome. */
export type QuietLine = [
	type: string,
	record: string,
	claim: string,
	outcome: string,
	/** Why; and where somebody may wait for the value, at which field and by the name of which rule. */
	because?: string,
	field?: string,
	ruleName?: string
];

/** What was sent, as it was read, so that the change can be made again. */
export interface Sent {
	/** The record that stood for whoever sent it. */
	person: string | null;
	records: {
		type: string;
		/** Null for one that was not made. */
		record: string | null;
		removed?: true;
		/** In the order touched. */
		sent: [field: string, value: JsonValue][];
		keep: 'touched' | string[];
		/** The release whose results the sender saw. */
		release?: number;
	}[];
}

/** What a change did, and what was asked of it. */
export interface ChangeToWrite {
	/** Reserved with `nextChanges`. */
	number: string;
	lines: readonly HistoryLine[];
	quiet: readonly QuietLine[];
	/** Null for one that nobody sent. */
	submission: Sent | null;
	/** Records that it made, as `type.id`. */
	made: ReadonlySet<string>;
	/** The release that decided records, as `type.id`, where it is another than that of the change. */
	decided?: ReadonlyMap<string, number>;
}

/** Reserves the numbers of changes. */
export async function nextChanges(db: Db, count: number): Promise<string[]> {
	if (!count) return [];
	const r = await db.query<{ id: string }>(
		`select nextval(s.s) as id
		 from (select pg_get_serial_sequence('change', 'id')::regclass as s offset 0) s, generate_series(1, $1::int)`,
		[count]
	);
	return r.rows.map((x) => String(x.id));
}

/** A rule as a row is found by it: what did something by its identity, what came to nothing with ~ before it. */
const markOfRule = (claim: string, told: boolean) =>
	`${told ? '' : '~'}${claim.slice(0, claim.indexOf(':'))}`;

/** The marks by which rows of a rule are found. @param quiet those too where it ran and wrote nothing */
export const marksOf = (rule: string, quiet: boolean): string[] =>
	quiet ? [rule, `~${rule}`] : [rule];

/** Without what is null at its end. */
function trimmed(line: unknown[]): unknown[] {
	let n = line.length;
	while (n && (line[n - 1] ?? null) === null) n--;
	return line.slice(0, n);
}

/** The lines of one record in one change, as they are stored. */
interface Row {
	change: string;
	type: string;
	record: string;
	made: boolean;
	release: number | null;
	marks: Set<string>;
	lines: unknown[][];
}

function rowsOf({ number, lines, quiet, made, decided }: ChangeToWrite): Row[] {
	const rows = new Map<string, Row>();
	const at = (type: string, record: string): Row => {
		const key = `${type}.${record}`;
		let row = rows.get(key);
		if (!row) {
			row = {
				change: number,
				type,
				record,
				made: made.has(key),
				release: decided?.get(key) ?? null,
				marks: new Set(),
				lines: []
			};
			rows.set(key, row);
		}
		return row;
	};
	// one that was made with nothing in it has no line, and was made by somebody all the same
	for (const key of made) {
		const dot = key.indexOf('.');
		at(key.slice(0, dot), key.slice(dot + 1));
	}
	for (const l of lines) {
		const row = at(l.type, l.record);
		if (l.claim) row.marks.add(markOfRule(l.claim, true));
		row.lines.push(
			trimmed([l.outcome, l.field, l.was, l.now, l.claim, l.ruleName, l.because, l.had])
		);
	}
	for (const [type, record, claim, outcome, because, field, ruleName] of quiet) {
		const row = at(type, record);
		row.marks.add(markOfRule(claim, false));
		row.lines.push(trimmed([outcome, field ?? null, null, null, claim, ruleName, because]));
	}
	return [...rows.values()];
}

/** A list as PostgreSQL reads it from a text: lists do not travel in lists. */
const asArray = (texts: Iterable<string>) =>
	`{${[...texts].map((t) => `"${t.replace(/["\\]/g, '\\$&')}"`).join(',')}}`;

/** Stores what changes did, in their order. */
export async function writeHistory(
	db: Db,
	workspace: string,
	by: {
		at: string;
		account: string | null;
		entryPoint: Road;
		release: number;
		/** The last edit of living tables; left out where no rules ran. */
		living?: number;
		job?: string | undefined;
	},
	changes: readonly ChangeToWrite[]
): Promise<void> {
	if (!changes.length) return;
	await db.query(
		`insert into change (id, workspace, at, account, entry_point, release, living, job, submission) overriding system value
		 select v.id, $1, $2, $3, $4, $5, nullif($6::int, 0), $7, nullif(v.sent, 'null')
		 from rows from (unnest($8::bigint[]), jsonb_array_elements($9::jsonb)) as v(id, sent)`,
		[
			workspace,
			by.at,
			by.account,
			by.entryPoint,
			by.release,
			by.living ?? 0,
			by.job ?? null,
			changes.map((c) => c.number),
			// one text: within an array each would be quoted once more
			JSON.stringify(changes.map((c) => c.submission))
		]
	);
	await insertRows(db, changes.flatMap(rowsOf), '');
}

/** Adds lines of people to a change that was written before; those of a record that has some there already follow them. */
export async function addToHistory(
	db: Db,
	number: string,
	lines: readonly HistoryLine[]
): Promise<void> {
	const rows = rowsOf({ number, lines, quiet: [], submission: null, made: new Set() });
	await insertRows(
		db,
		rows,
		'on conflict (type, record, change) do update set lines = record_change.lines || excluded.lines'
	);
}

async function insertRows(db: Db, rows: readonly Row[], there: string) {
	if (!rows.length) return;
	await db.query(
		`insert into record_change (change, type, record, made, marks, release, lines)
		 select v.change, v.type, v.record, v.made, v.marks::text[], v.release, v.lines
		 from rows from (unnest($1::bigint[]), unnest($2::text[]), unnest($3::bigint[]), unnest($4::boolean[]),
		   unnest($5::text[]), unnest($7::int[]), jsonb_array_elements($6::jsonb)) as v(change, type, record, made, marks, release, lines)
		 ${there}`,
		[
			rows.map((r) => r.change),
			rows.map((r) => r.type),
			rows.map((r) => r.record),
			rows.map((r) => r.made),
			rows.map((r) => asArray(r.marks)),
			JSON.stringify(rows.map((r) => r.lines)),
			rows.map((r) => r.release)
		]
	);
}

export interface HistoryEntry {
	change: string;
	at: string;
	who: string | null;
	entryPoint: Road;
	release: number | null;
	/** The change made the record. */
	made: boolean;
	/** The record at which it began, where that is another: of those that were sent the first. */
	began: { type: string; record: string } | null;
	lines: HistoryEntryLine[];
}

/** One field's line; `nothing` where a rule was set off and came to nothing. */
export type HistoryEntryLine = Omit<HistoryLine, 'type' | 'record' | 'outcome' | 'had'> & {
	outcome: HistoryLine['outcome'] | 'nothing';
};

/**
 * The history of a record, newest first.
 * @param before only what came before that change; null for all
 */
export async function readHistory(
	db: Db,
	workspace: string,
	type: string,
	id: string,
	{ most = 100, before = null }: { most?: number; before?: string | null } = {}
): Promise<HistoryEntry[]> {
	const r = await db.query<HistoryEntry>(
		`with of as materialized (
			select change from (
				(select change from record_change
				 where type = $2 and record = $3 and (made or lines->0->>0 in (${TOLD_SQL})) and ($5::bigint is null or change < $5)
				 order by change desc limit $4)
				union
				(select change from change_line where type = $2 and record = $3 and ($5::bigint is null or change < $5)
				 order by change desc limit $4)
			) x order by change desc limit $4
		 )
		 select c.id as change, ${isoExact('c.at')} as at, a.name as who, c.entry_point as "entryPoint", coalesce(r.release, c.release) as release,
		        coalesce(r.made, false) as made,
		        case when not coalesce(c.submission->'records' @> jsonb_build_array(jsonb_build_object('type', $2::text, 'record', ($3::bigint)::text)), true)
		          and c.submission->'records'->0->>'record' is not null
		        then jsonb_build_object('type', c.submission->'records'->0->>'type', 'record', c.submission->'records'->0->>'record') end as began,
		        coalesce(json_agg(json_build_object('field', l.field, 'was', l.was, 'now', l.now, 'claim', l.claim,
		          'ruleName', l.rule_name, 'because', l.because,
		          'outcome', case when l.outcome in (${TOLD_SQL}) then l.outcome else 'nothing' end)
		          order by l.outcome not in (${TOLD_SQL}), l.claim nulls first, l.field) filter (where l.outcome is not null), '[]') as lines
		 from of join change c on c.id = of.change
		 left join history_line l on l.change = of.change and l.type = $2 and l.record = $3
		   and (l.outcome in (${TOLD_SQL}) or l.field is not null)
		 left join record_change r on r.change = of.change and r.type = $2 and r.record = $3
		 left join account a on a.id = c.account
		 where c.workspace = $1 and (l.outcome is not null or r.made)
		 group by c.id, a.name, r.release, r.made order by c.id desc`,
		[workspace, type, id, most, before]
	);
	return r.rows.map((x) => ({ ...x, change: String(x.change) }));
}

/** When a change was, ISO 8601; null where history has none of that number. */
export async function changeAt(db: Db, workspace: string, change: string): Promise<string | null> {
	const r = await db.query<{ at: string }>(
		`select ${isoExact('at')} as at from change where workspace = $1 and id = $2`,
		[workspace, change]
	);
	return r.rows[0]?.at ?? null;
}

/** Who set the fields of a record, with the words that history has for it. */
export async function tellSetBy(
	db: Db,
	{ type, id, setBy }: { type: string; id: string; setBy: Record<string, SetBy> }
): Promise<Record<string, SetBy>> {
	const marks = Object.values(setBy);
	const changes = [...new Set(marks.flatMap((s) => s.change ?? []))];
	if (!changes.length) return setBy;
	const told = await db.query<{
		change: string;
		at: string;
		name: string | null;
		release: number | null;
		lines: [outcome: string, ...rest: (string | null)[]][];
	}>(
		`select c.id::text as change, ${isoExact('c.at')} as at, a.name, coalesce(h.release, c.release) as release, h.lines
		 from change c join record_change h on h.change = c.id and h.type = $2 and h.record = $3
		 left join account a on a.id = c.account where c.id = any($1::bigint[])`,
		[changes, type, id]
	);
	const names = await db.query<{ id: string; name: string }>(
		'select id::text, name from account where id = any($1::bigint[])',
		[[...new Set(marks.flatMap((s) => s.account ?? []))]]
	);
	const nameOf = new Map(names.rows.map((a) => [a.id, a.name]));
	const byChange = new Map(told.rows.map((c) => [c.change, c]));
	const out: Record<string, SetBy> = {};
	for (const [field, s] of Object.entries(setBy)) {
		const c = s.change === undefined ? undefined : byChange.get(s.change);
		const line = c?.lines.find((l) => l[0] === 'set' && l[1] === field);
		const name = c?.name ?? nameOf.get(s.account ?? '');
		out[field] = {
			...s,
			...(name ? { name } : {}),
			...(c ? { at: c.at } : {}),
			...(s.by === 'rule' && c?.release != null ? { release: c.release } : {}),
			...(line?.[5] ? { rule: line[5] } : {}),
			...(line?.[6] ? { because: line[6] } : {})
		};
	}
	return out;
}
