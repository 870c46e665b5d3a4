/** The journal: for a rule how often and where it wrote, did nothing and failed. */
import type { EntryPoint, Overruled } from '../../core';
import { TOLD_SQL, type Sent } from './history';
import type { Db } from './pool';
import { tallied, talliedSoFar, type Tally } from './tally';

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
	const out = new Map<string, RuleTally & { named: string }>();
	const told = {
		set: 'wrote',
		sent: 'sent',
		'set aside': 'setAside',
		failed: 'failed',
		refused: 'refused'
	} as const;
	for (const { claim, outcome, n, last, name } of await tallied(db, workspace, since)) {
		// counted beside what the rule wrote or did not
		if (outcome === 'overruled') continue;
		const rule = claim.slice(0, claim.indexOf(':'));
		let t = out.get(rule);
		if (!t) {
			const none = { wrote: 0, sent: 0, setAside: 0, failed: 0, refused: 0, last: null };
			t = { rule, name: rule, named: '', ...none, quiet: {} };
			out.set(rule, t);
		}
		if (name && last > t.named) Object.assign(t, { name, named: last });
		if (!(outcome in told)) {
			t.quiet[outcome] = (t.quiet[outcome] ?? 0) + n;
			continue;
		}
		t[told[outcome as keyof typeof told]] += n;
		if (!t.last || last > t.last) t.last = last;
	}
	const all = [...out.values()].map(({ named: _, ...t }): RuleTally => t);
	return all.sort((a, b) => b.wrote + b.sent - (a.wrote + a.sent) || (a.name < b.name ? -1 : 1));
}

/** What else a change did: the records it ran on to, with how many fields of each were set. */
export async function alongLinks(
	db: Db,
	changes: readonly string[],
	except: { type: string; id: string }
): Promise<Record<string, { type: string; record: string; fields: number }[]>> {
	const r = await db.query<{ change: string; type: string; record: string; fields: number }>(
		`select change, type, record::text, count(*) filter (where outcome = 'set')::int as fields from history_line h
		 where change = any($1::bigint[]) and not (type = $2 and record = $3) and outcome in (${TOLD_SQL}) group by h.change, h.type, h.record
		 order by h.change desc, h.type, h.record`,
		[changes, except.type, except.id]
	);
	const out: Record<string, { type: string; record: string; fields: number }[]> = {};
	for (const { change, ...x } of r.rows) (out[String(change)] ??= []).push(x);
	return out;
}

/** Days of history that are asked whether people overrule a rule. */
const HISTORY_DAYS = 90;

/**
 * What history of the last 90 days tells of values that people set otherwise, by claim, as far as it is counted.
 * @param now milliseconds since 1970
 */
export async function knownOverruled(
	db: Db,
	workspace: string,
	now = Date.now()
): Promise<Record<string, Overruled>> {
	const since = new Date(now - HISTORY_DAYS * 86_400_000).toISOString();
	return overruledIn(await talliedSoFar(db, workspace, since), since);
}

/**
 * How often people, in a form, set a field otherwise than a claim had set it, or kept their own value
 * against it; by claim. @param since ISO 8601, from which on the counts are
 */
export function overruledIn(all: readonly Tally[], since: string): Record<string, Overruled> {
	const wrote = new Map(all.filter((t) => t.outcome === 'set').map((t) => [t.claim, t.n]));
	const day = since.slice(0, 10);
	return Object.fromEntries(
		all
			.filter((t) => t.outcome === 'overruled')
			.map((t) => [t.claim, { wrote: wrote.get(t.claim) ?? 0, overruled: t.n, since: day }])
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
