/** The journal: for a rule how often and where it wrote, did nothing and failed. */
import type { EntryPoint, JsonValue, Overruled } from '../../core';
import { TOLD_SQL, iso, marksOf, type Sent } from './history';
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

/** What every rule did since an instant, those that did something first. @param since ISO 8601 */
export async function tallies(db: Db, workspace: string, since: string): Promise<RuleTally[]> {
	const done = await db.query<{
		rule: string;
		/** Absent where nobody was told. */
		name: string | null;
		outcome: string;
		n: number;
		last: string;
	}>(
		`select split_part(l.claim, ':', 1) as rule, l.outcome,
		        (array_agg(l.rule_name order by c.id desc) filter (where l.rule_name is not null))[1] as name,
		        sum(case l.outcome when 'sent' then (l.now #>> '{}')::int else 1 end)::int as n,
		        ${iso('max(c.at)')} as last
		 from change c join history_line l on l.change = c.id
		 where c.workspace = $1 and c.at >= $2 and l.claim is not null group by 1, 2`,
		[workspace, since]
	);
	const refused = await db.query<{ rule: string; name: string; n: number; last: string }>(
		`select split_part(claim, ':', 1) as rule, (array_agg(rule_name order by id desc))[1] as name,
		        count(*)::int as n, ${iso('max(at)')} as last
		 from refusal where workspace = $1 and at >= $2 group by 1`,
		[workspace, since]
	);
	const out = new Map<string, RuleTally>();
	const of = (rule: string, name: string | null) => {
		let t = out.get(rule);
		if (!t) {
			const nothing = { wrote: 0, sent: 0, setAside: 0, failed: 0, refused: 0, last: null };
			t = { rule, name: rule, ...nothing, quiet: {} };
			out.set(rule, t);
		}
		if (name) t.name = name;
		return t;
	};
	const told = { set: 'wrote', sent: 'sent', 'set aside': 'setAside', failed: 'failed' } as const;
	for (const { rule, name, outcome, n, last } of done.rows) {
		const t = of(rule, name);
		if (!(outcome in told)) {
			t.quiet[outcome] = n;
			continue;
		}
		t[told[outcome as keyof typeof told]] = n;
		if (!t.last || last > t.last) t.last = last;
	}
	for (const { rule, name, n, last } of refused.rows) {
		const t = of(rule, name);
		t.refused = n;
		if (!t.last || last > t.last) t.last = last;
	}
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
		`with found as materialized (
			select change, type, record, lines from record_change
			where marks && $2 and ($6::bigint is null or change = $6) order by change desc, type, record limit $7
		 ), line as (
			select change, type, record, q->>1 as field, q->2 as was, q->3 as now, q->>0 as outcome, q->>6 as because
			from found, jsonb_array_elements(lines) q where q->>4 like $3
			union all
			select change, type, record, field, was, now, outcome, because from earlier_line where claim like $3
		 )
		 select y.* from (
		 select l.change, ${iso('c.at')} as at, a.name as who, c.entry_point as "entryPoint", c.release,
		        l.type, l.record::text, l.field, l.was, l.now, l.outcome, l.because
		 from line l join change c on c.id = l.change left join account a on a.id = c.account
		 where c.workspace = $1 and ($8 or l.outcome in (${TOLD_SQL}))
		 union all
		 (select null, ${iso('f.at')}, a.name, f.entry_point, f.release, f.type, f.record::text, f.field, null, null,
		        'refused', f.message
		 from refusal f left join account a on a.id = f.account where f.workspace = $1 and f.claim like $3
		 order by f.id desc limit $7)
		 ) y where $6::bigint is null or y.change = $6::bigint order by y.at desc, y.change desc nulls last, y.type, y.record limit $4 offset $5`,
		[
			workspace,
			marksOf(rule, quiet),
			`${rule.replace(/[\\%_]/g, '\\$&')}:%`,
			size,
			page * size,
			change,
			(page + 1) * size,
			quiet
		]
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
		`select change, type, record::text, count(*) filter (where outcome = 'set')::int as fields from history_line
		 where change = any($1::bigint[]) and not (type = $2 and record = $3) and outcome in (${TOLD_SQL}) group by 1, 2, 3
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
			select l.change, l.type, l.record, l.claim, l.outcome, c.entry_point in ('full', 'short') as by_hand,
			       -- the claim that had set the value, as far as history knows it
			       substring(l.had from '^r [1-9][0-9]* (.*)$') as before
			from change c join history_line l on l.change = c.id
			where c.workspace = $1 and c.at >= $2 and l.outcome in ('set', 'kept')
		 ), overruled as (
			select before as claim, change, type, record from line
			where outcome = 'set' and claim is null and before is not null and by_hand
			union
			select claim, change, type, record from line where outcome = 'kept' and by_hand
		 )
		 select o.claim, count(*)::int as overruled,
		        (select count(*)::int from line where line.outcome = 'set' and line.claim = o.claim) as wrote
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
	by: {
		at: string;
		account: string;
		entryPoint: EntryPoint;
		release: number;
		sent: Sent | null;
	},
	all: readonly Refusal[]
): Promise<void> {
	if (!all.length) return;
	await db.query(
		`insert into refusal (workspace, at, account, entry_point, release, submission, type, record, field, claim, rule_name, message)
		 select $1, $2, $3, $4, $5, $6, * from unnest($7::text[], $8::bigint[], $9::text[], $10::text[], $11::text[], $12::text[])`,
		[
			workspace,
			by.at,
			by.account,
			by.entryPoint,
			by.release,
			by.sent && JSON.stringify(by.sent),
			all.map((x) => x.type),
			all.map((x) => x.record),
			all.map((x) => x.field),
			all.map((x) => x.claim),
			all.map((x) => x.ruleName),
			all.map((x) => x.message)
		]
	);
}
