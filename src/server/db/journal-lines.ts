/** The journal line by line: what rules did and did not do, and what people entered; and how much of it on which day. */
import type { JsonValue, Road } from '../../core';
import { ALL_LINES, type JournalAsked, type JournalWhat } from '../../door/journal';
import { TOLD_SQL, marksOf } from './history';
import { isoExact } from './iso';
import type { Db } from './pool';

/** One thing that a rule did, or did not do, at one record; or that somebody entered. */
export interface JournalLine {
	/** Null for one that was refused: nothing was changed. */
	change: string | null;
	at: string;
	who: string | null;
	entryPoint: Road;
	release: number | null;
	type: string;
	/** Null for a record that was not made. */
	record: string | null;
	field: string | null;
	was: JsonValue;
	now: JsonValue;
	/** Null for what somebody entered. */
	claim: string | null;
	ruleName: string | null;
	outcome: string;
	because: string | null;
}

/** What a line comes under, as SQL on `l` and on the change `c` that it belongs to. */
const whatSql = (
	l: string,
	c: string
): Readonly<Record<Exclude<JournalWhat, 'refused'>, string>> => ({
	wrote: `(${l}.claim is not null and ${l}.outcome in ('set', 'sent'))`,
	entered: `(${l}.claim is null and ${l}.outcome = 'set' and ${c}.entry_point <> 'model')`,
	model: `(${l}.claim is null and ${l}.outcome = 'set' and ${c}.entry_point = 'model')`,
	nothing: `(${l}.outcome not in (${TOLD_SQL}, 'refused'))`,
	aside: `(${l}.outcome = 'set aside')`,
	failed: `(${l}.outcome = 'failed')`,
	deleted: `(${l}.outcome = 'deleted')`
});

/** The order of what a change did, as SQL on `l`. */
const WITHIN = `l.type, l.record, l.outcome not in (${TOLD_SQL}), l.claim nulls first, l.field`;

/** Instants between which changes count, ISO 8601; null where it is open. */
export interface Between {
	from: string | null;
	before: string | null;
}

/**
 * Everything that is asked, lines of changes and refusals together, as SQL with its values; the workspace is `$1`.
 * @param most newest lines of each kind that are needed; all for null
 */
function asked(workspace: string, a: JournalAsked, between: Between, most: number | null) {
	const values: unknown[] = [workspace];
	const value = (v: unknown, sql: string) => `$${values.push(v)}::${sql}`;
	const ofRule = (l: string): string[] =>
		a.rule === null
			? []
			: [`${l}.claim like ${value(`${a.rule.replace(/[\\%_]/g, '\\$&')}:%`, 'text')}`];
	const head = (c: string): string[] => [
		`${c}.workspace = $1`,
		...(between.from ? [`${c}.at >= ${value(between.from, 'timestamptz')}`] : []),
		...(between.before ? [`${c}.at < ${value(between.before, 'timestamptz')}`] : []),
		...(a.by ? [`${c}.account = ${value(a.by, 'bigint')}`] : []),
		...(a.road ? [`${c}.entry_point = ${value(a.road, 'text')}`] : [])
	];
	const ofField = (l: string): string[] =>
		a.field
			? [
					`${l}.type = ${value(a.field.type, 'text')}`,
					`${l}.field = ${value(a.field.field, 'text')}`
				]
			: [];
	const lines = () => [
		...head('c'),
		...ofField('l'),
		...ofRule('l'),
		...(a.change ? [`c.id = ${value(a.change, 'bigint')}`] : []),
		...(a.what && a.what !== 'refused' ? [whatSql('l', 'c')[a.what]] : [])
	];
	// rows are found by rule before their lines are looked at
	const marks = () =>
		a.rule === null
			? ''
			: `and h.marks && ${value(marksOf(a.rule, !a.what || a.what === 'nothing'), 'text[]')}`;
	const columns = (
		release = 'c.release'
	) => `c.id as change, c.at, c.account, c.entry_point, ${release} as release, l.type, l.record, l.field, l.was, l.now, l.claim,
		l.rule_name, l.outcome, l.because`;
	const parts: string[] = [];
	const newest = (by: string) => (most === null ? '' : `order by ${by} limit ${most}`);
	if (a.what !== 'refused') {
		parts.push(`select ${columns('coalesce(h.release, c.release)')} from change c join record_change h on h.change = c.id ${marks()}
			cross join lateral (select h.type, h.record, q->>1 as field, q->2 as was, q->3 as now, q->>4 as claim, q->>5 as rule_name,
			  q->>0 as outcome, q->>6 as because from jsonb_array_elements(h.lines) q) l
			where ${lines().join(' and ')} ${newest(`c.at desc, c.id desc, ${WITHIN}`)}`);
		parts.push(
			`select ${columns()} from earlier_line l join change c on c.id = l.change where ${lines().join(' and ')} ${newest(`c.at desc, c.id desc, ${WITHIN}`)}`
		);
	}
	if ((!a.what || a.what === 'refused') && !a.change)
		parts.push(`select null::bigint, f.at, f.account, f.entry_point, f.release, f.type, f.record, f.field, null, null, f.claim,
			f.rule_name, 'refused', f.message from refusal f
			where ${[...head('f'), ...ofField('f'), ...ofRule('f')].join(' and ')} ${newest('f.at desc, f.type, f.record, f.claim, f.field')}`);
	const none = `select null::bigint as change, now() as at, null::bigint as account, '' as entry_point, 0 as release, '' as type,
		null::bigint as record, '' as field, null::jsonb as was, null::jsonb as now, '' as claim, '' as rule_name, '' as outcome, '' as because where $1::text is null`;
	return { sql: [none, ...parts.map((p) => `(${p})`)].join('\nunion all\n'), values, value };
}

/** What is told of lines `y`, and in which order: the newest first. */
const TOLD = `select y.change::text, ${isoExact('y.at')} as at, a.name as who, y.entry_point as "entryPoint", y.release, y.type, y.record::text,
	y.field, y.was, y.now, y.claim, y.rule_name as "ruleName", y.outcome, y.because`;
const ORDERED = `left join account a on a.id = y.account
	order by y.at desc, y.change desc nulls last, ${WITHIN.replaceAll('l.', 'y.')}`;

/** Lines of the journal, the newest first. */
export async function journalOf(
	db: Db,
	workspace: string,
	what: Partial<JournalAsked>,
	{ page = 0, size = 50, between = { from: null, before: null } as Between } = {}
): Promise<JournalLine[]> {
	const { sql, values, value } = asked(
		workspace,
		{ ...ALL_LINES, ...what },
		between,
		(page + 1) * size
	);
	const r = await db.query<JournalLine>(
		`${TOLD} from (${sql}) y ${ORDERED}
		 limit ${value(size, 'int')} offset ${value(page * size, 'int')}`,
		values
	);
	return r.rows;
}

/**
 * The next stretch of the journal for a file, the newest first: all that is asked of some changes and of what was
 * refused between them.
 * @param before where the stretch before ended, ISO 8601; null at first
 * @param changes of how many, at least
 * @returns where this one ended; null at the end of the journal
 */
export async function journalStretch(
	db: Db,
	workspace: string,
	what: JournalAsked,
	between: Between,
	before: string | null,
	changes: number
): Promise<{ lines: JournalLine[]; next: string | null }> {
	const until = before ?? between.before;
	// to the microsecond: nothing of an instant is told twice, or not at all
	const r = await db.query<{ at: string }>(
		`select to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') as at from change
		 where workspace = $1 and ($2::timestamptz is null or at < $2) and ($3::timestamptz is null or at >= $3)
		   and ($4::bigint is null or id = $4)
		 order by at desc offset $5 limit 1`,
		[workspace, until, between.from, what.change, changes - 1]
	);
	const next = r.rows[0]?.at ?? null;
	const { sql, values } = asked(
		workspace,
		what,
		{ from: next ?? between.from, before: until },
		null
	);
	const { rows } = await db.query<JournalLine>(`${TOLD} from (${sql}) y ${ORDERED}`, values);
	return { lines: rows, next };
}

/** How much of each there was on a day. */
export type JournalDay = { day: string } & Record<JournalWhat, number>;

/** The same, counted by the day. @param zone in which days begin */
export async function journalDays(
	db: Db,
	workspace: string,
	what: Partial<JournalAsked>,
	between: Between,
	zone: string
): Promise<JournalDay[]> {
	const { sql, values, value } = asked(
		workspace,
		{ ...ALL_LINES, ...what, what: null },
		between,
		null
	);
	const counts = Object.entries(whatSql('l', 'l')).map(
		([w, where]) => `count(*) filter (where ${where})::int as "${w}"`
	);
	const r = await db.query<JournalDay>(
		`select (l.at at time zone ${value(zone, 'text')})::date::text as day, ${counts.join(', ')},
		   count(*) filter (where l.outcome = 'refused')::int as refused
		 from (${sql}) l group by 1 order by 1`,
		values
	);
	return r.rows;
}
