/** The journal: for a rule how often and where it wrote, did nothing and failed. */
import type { EntryPoint, JsonValue, Overruled } from '../../core';
import type { Db } from './pool';

/** What a rule did in a stretch of time. */
export interface RuleTally {
	rule: string;
	/** The name it had when it last did something. */
	name: string;
	wrote: number;
	sent: number;
	setAside: number;
	failed: number;
	/** How often it refused a change. */
	refused: number;
	/** How often it ran and wrote nothing, by outcome. */
	quiet: Record<string, number>;
	/** When it last wrote, sent or failed. */
	last: string | null;
}

const iso = (c: string) => `to_char(${c} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')`;

/** What every rule did since an instant, those that did something first. @param since ISO 8601 */
export async function tallies(db: Db, workspace: string, since: string): Promise<RuleTally[]> {
	const lines = await db.query<{
		rule: string;
		name: string;
		wrote: number;
		sent: number;
		aside: number;
		failed: number;
		last: string;
	}>(
		`select split_part(l.claim, ':', 1) as rule, (array_agg(l.rule_name order by c.id desc))[1] as name,
		        count(*) filter (where l.outcome = 'set')::int as wrote,
		        coalesce(sum((l.now #>> '{}')::int) filter (where l.outcome = 'sent'), 0)::int as sent,
		        count(*) filter (where l.outcome = 'set aside')::int as aside,
		        count(*) filter (where l.outcome = 'failed')::int as failed,
		        ${iso('max(c.at)')} as last
		 from change c join change_line l on l.change = c.id
		 where c.workspace = $1 and c.at >= $2 and l.claim is not null group by 1`,
		[workspace, since]
	);
	const quiet = await db.query<{ rule: string; outcome: string; n: number }>(
		`select split_part(q->>2, ':', 1) as rule, q->>3 as outcome, count(*)::int as n
		 from change c, jsonb_array_elements(c.quiet) q where c.workspace = $1 and c.at >= $2 group by 1, 2`,
		[workspace, since]
	);
	const refused = await db.query<{ rule: string; name: string; n: number; last: string }>(
		`select split_part(claim, ':', 1) as rule, (array_agg(rule_name order by id desc))[1] as name,
		        count(*)::int as n, ${iso('max(at)')} as last
		 from refusal where workspace = $1 and at >= $2 group by 1`,
		[workspace, since]
	);
	const out = new Map<string, RuleTally>(
		lines.rows.map(({ aside, ...r }) => [r.rule, { ...r, setAside: aside, refused: 0, quiet: {} }])
	);
	const of = (rule: string, name = rule) => {
		const had = out.get(rule);
		if (had) return had;
		const made: RuleTally = {
			rule,
			name,
			wrote: 0,
			sent: 0,
			setAside: 0,
			failed: 0,
			refused: 0,
			quiet: {},
			last: null
		};
		out.set(rule, made);
		return made;
	};
	for (const { rule, name, n, last } of refused.rows) {
		const t = of(rule, name);
		t.refused = n;
		if (!t.last || last > t.last) t.last = last;
	}
	for (const { rule, outcome, n } of quiet.rows) of(rule).quiet[outcome] = n;
	return [...out.values()].sort(
		(a, b) => b.wrote + b.sent - (a.wrote + a.sent) || (a.name < b.name ? -1 : 1)
	);
}

/** One thing that a rule did, or did not do, at one record. */
export interface JournalLine {
	/** Null for one that was refused: nothing was changed. */
	change: string | null;
	at: string;
	who: string | null;
	entryPoint: EntryPoint;
	release: number | null;
	type: string;
	/** Null for a record that was not made. */
	record: string | null;
	field: string | null;
	was: JsonValue;
	now: JsonValue;
	outcome: string;
	because: string | null;
}

/** What one rule did, newest first, with the changes in which it ran and wrote nothing; all of it, or in one change. */
export async function journalOf(
	db: Db,
	workspace: string,
	rule: string,
	options: { page?: number; size?: number; quiet?: boolean; change?: string } = {}
): Promise<JournalLine[]> {
	const { page = 0, size = 50, quiet = true, change = null } = options;
	const r = await db.query<JournalLine>(
		`select y.* from (
		 select x.change, ${iso('c.at')} as at, a.name as who, c.entry_point as "entryPoint", c.release,
		        x.type, x.record, x.field, x.was, x.now, x.outcome, x.because
		 from (
			select l.change, l.type, l.record::text, l.field, l.was, l.now, l.outcome, l.because
			from change_line l where l.claim like $2
			union all
			select c.id, q->>0, q->>1, q->>5, null, null, q->>3, q->>4
			from change c, jsonb_array_elements(c.quiet) q where $5 and c.workspace = $1 and q->>2 like $2
		 ) x join change c on c.id = x.change left join account a on a.id = c.account
		 where c.workspace = $1
		 union all
		 select null, ${iso('f.at')}, a.name, f.entry_point, f.release, f.type, f.record::text, f.field, null, null,
		        'refused', f.message
		 from refusal f left join account a on a.id = f.account where f.workspace = $1 and f.claim like $2
		 ) y where $6::bigint is null or y.change = $6::bigint order by y.at desc, y.change desc nulls last, y.type, y.record limit $3 offset $4`,
		[workspace, `${rule.replace(/[\\%_]/g, '\\$&')}:%`, size, page * size, quiet, change]
	);
	return r.rows.map((x) => ({ ...x, change: x.change === null ? null : String(x.change) }));
}

/** What else a change did: the records it ran on to, with how many fields of each were set. */
export async function alongLinks(
	db: Db,
	changes: readonly string[],
	except: { type: string; id: string }
): Promise<Record<string, { type: string; record: string; fields: number }[]>> {
	const r = await db.query<{ change: string; type: string; record: string; fields: number }>(
		`select change, type, record::text, count(*) filter (where outcome = 'set')::int as fields from change_line
		 where change = any($1::bigint[]) and not (type = $2 and record = $3) group by 1, 2, 3
		 order by change desc, type, record`,
		[changes, except.type, except.id]
	);
	const out: Record<string, { type: string; record: string; fields: number }[]> = {};
	for (const { change, ...x } of r.rows) (out[String(change)] ??= []).push(x);
	return out;
}

/** Days of history that are asked whether people overrule a rule. */
const HISTORY_DAYS = 90;

/** What history of the last 90 days tells of values that people set otherwise, by claim. */
export const knownOverruled = (db: Db, workspace: string) =>
	overruledSince(db, workspace, new Date(Date.now() - HISTORY_DAYS * 86_400_000).toISOString());

const remembered = new Map<string, { until: number; found: Record<string, Overruled> }>();
/** How long an answer counts as new: it is asked with every page and changes slowly. */
const KEPT_MS = 60_000;

/**
 * How often people, in a form, set a field otherwise than a claim had set it, or kept their own value
 * against it; by claim. An answer that is no longer new is given all the same, and worked out again
 * for the next who asks. @param since ISO 8601
 */
export async function overruledSince(
	db: Db,
	workspace: string,
	since: string
): Promise<Record<string, Overruled>> {
	const day = since.slice(0, 10);
	const key = `${workspace} ${day}`;
	const had = remembered.get(key);
	if (!had) return remember(key, await askOverruled(db, workspace, since));
	if (had.until > Date.now()) return had.found;
	remember(key, had.found);
	void askOverruled(db, workspace, since).then(
		(found) => remember(key, found),
		// the next to ask asks again
		() => remembered.delete(key)
	);
	return had.found;
}

function remember(key: string, found: Record<string, Overruled>) {
	if (remembered.size > 100) remembered.clear();
	remembered.set(key, { until: Date.now() + KEPT_MS, found });
	return found;
}

async function askOverruled(
	db: Db,
	workspace: string,
	since: string
): Promise<Record<string, Overruled>> {
	const r = await db.query<{ claim: string; wrote: number; overruled: number }>(
		`with line as (
			select l.change, l.type, l.record, l.claim, c.entry_point as road,
			       lag(l.claim) over (partition by l.type, l.record, l.field order by l.change) as before
			from change c join change_line l on l.change = c.id
			where c.workspace = $1 and c.at >= $2 and l.outcome = 'set'
		 ), overruled as (
			select before as claim, change, type, record from line
			where claim is null and before is not null and road in ('full', 'short')
			union
			select q->>2, c.id, q->>0, (q->>1)::bigint from change c, jsonb_array_elements(c.quiet) q
			where c.workspace = $1 and c.at >= $2 and c.entry_point in ('full', 'short') and q->>3 = 'kept'
		 )
		 select o.claim, count(*)::int as overruled,
		        (select count(*)::int from line where line.claim = o.claim) as wrote
		 from overruled o group by o.claim`,
		[workspace, since]
	);
	const day = since.slice(0, 10);
	return Object.fromEntries(
		r.rows.map(({ claim, wrote, overruled }) => [claim, { wrote, overruled, since: day }])
	);
}

/** What a rule refused. */
export interface Refusal {
	type: string;
	/** Null for a record that was not made. */
	record: string | null;
	field: string;
	claim: string;
	ruleName: string;
	message: string;
}

/** Notes what rules refused; after the change itself was given up, in a statement of its own. */
export async function noteRefusals(
	db: Db,
	workspace: string,
	by: { at: string; account: string; entryPoint: EntryPoint; release: number },
	all: readonly Refusal[]
): Promise<void> {
	if (!all.length) return;
	await db.query(
		`insert into refusal (workspace, at, account, entry_point, release, type, record, field, claim, rule_name, message)
		 select $1, $2, $3, $4, $5, * from unnest($6::text[], $7::bigint[], $8::text[], $9::text[], $10::text[], $11::text[])`,
		[
			workspace,
			by.at,
			by.account,
			by.entryPoint,
			by.release,
			all.map((x) => x.type),
			all.map((x) => x.record),
			all.map((x) => x.field),
			all.map((x) => x.claim),
			all.map((x) => x.ruleName),
			all.map((x) => x.message)
		]
	);
}
