/**
 * What rules did, counted: kept up beside requests, and what came since it was last counted added when somebody
 * asks. So what a page waits for does not grow with history.
 */
import { isoExact } from './iso';
import type { Db } from './pool';
import { transaction } from './pool';

/** Changes counted in one transaction. */
const PIECE = 5_000;
/** Seconds after which what was seen as the newest is looked at again. */
const LOOK_AGAIN = 60;
/** Days after which counts are kept by the day. */
const BY_HOUR_DAYS = 3;

/**
 * Counts changes and refusals of a workspace `$1` by hour, claim and outcome.
 * @param changes which, as a condition on a column with their numbers
 * @param refusals which, as a condition on `f`
 * @param when those of which time, as a condition on `c`
 */
const counted = (changes: (column: string) => string, refusals: string, when = 'true') => `
	with line as materialized (
		select c.id, c.at, l.type, l.record, l.claim, l.rule_name, l.outcome, l.now,
		       c.entry_point in ('full', 'short') as by_hand,
		       -- the claim that had set the value, as far as history knows it
		       substring(l.had from '^(?:\\["|)r [1-9][0-9]* ([^"]*)') as before
		from change c join history_line l on l.change = c.id
		-- said of both: PostgreSQL carries only what is compared with a value into the view
		where c.workspace = $1 and ${changes('c.id')} and ${changes('l.change')} and ${when}
	), done as (
		select at, claim, outcome, case outcome when 'sent' then (now #>> '{}')::int else 1 end as n, rule_name
		from line where claim is not null
		union all
		select at, claim, 'overruled', 1, null from (
			select id, at, type, record, before as claim from line
			where outcome = 'set' and claim is null and before is not null and by_hand
			union
			select id, at, type, record, claim from line where outcome = 'kept' and by_hand
		) o
		union all
		select at, claim, 'refused', 1, rule_name from refusal f where f.workspace = $1 and ${refusals}
	)
	select date_trunc('hour', at, 'UTC') as at, claim, outcome, sum(n) as n, max(at) as last,
	       (array_agg(rule_name order by at desc) filter (where rule_name is not null))[1] as rule_name
	from done group by 1, 2, 3`;

/** Adds rows of the same shape to what is counted. */
const added = (rows: string) => `
	insert into rule_tally as t (workspace, at, claim, outcome, n, last, rule_name)
	select $1, at, claim, outcome, n, last, rule_name from ${rows} x
	on conflict (workspace, at, claim, outcome) do update set n = t.n + excluded.n,
		last = greatest(t.last, excluded.last), rule_name = coalesce(excluded.rule_name, t.rule_name)`;

/** What a claim came to, how often and when last. */
export interface Tally {
	claim: string;
	outcome: string;
	n: number;
	last: string;
	/** As the rule was called when it last said so; null where nobody was told. */
	name: string | null;
}

/** What is counted already, of those claims that came to something since `$2`. */
const COUNTED = `
	select claim, outcome, n, last, rule_name from rule_tally
	where workspace = $1 and at >= case
		when $2::timestamptz < now() - make_interval(days => ${BY_HOUR_DAYS}) then date_trunc('day', $2::timestamptz, 'UTC')
		else date_trunc('hour', $2::timestamptz, 'UTC') end`;

/** Rows of counts as one for each claim and outcome. */
const summed = (rows: string) => `
	select claim, outcome, sum(n)::int as n, ${isoExact('max(last)')} as last,
	       (array_agg(rule_name order by last desc) filter (where rule_name is not null))[1] as name
	from (${rows}) x group by 1, 2`;

/** What became of each claim since an instant, ISO 8601; of long ago, since the beginning of its day. */
export async function tallied(db: Db, workspace: string, since: string): Promise<Tally[]> {
	// with the numbers themselves PostgreSQL knows how little is left to count
	const state = await db.query<{ changes: string; refusals: string }>(
		'select changes, refusals from tally_state where workspace = $1',
		[workspace]
	);
	const { changes, refusals } = state.rows[0] ?? { changes: '0', refusals: '0' };
	const left = counted(
		(n) => `${n} > $3::bigint`,
		'f.id > $4::bigint and f.at >= $2',
		'c.at >= $2'
	);
	const r = await db.query<Tally>(
		summed(`${COUNTED} union all select claim, outcome, n, last, rule_name from (${left}) x`),
		[workspace, since, changes, refusals]
	);
	return r.rows;
}

/**
 * The same as far as it is counted, up to some minutes ago: for what every page asks, which must not wait
 * for an import that is not counted yet.
 */
export async function talliedSoFar(db: Db, workspace: string, since: string): Promise<Tally[]> {
	return (await db.query<Tally>(summed(COUNTED), [workspace, since])).rows;
}

interface State {
	changes: string;
	seen_changes: string;
	refusals: string;
	seen_refusals: string;
	/** All that was under way when the newest were looked at is over. */
	over: boolean;
	/** They were looked at long enough ago. */
	stale: boolean;
}

/** Counts all there is, where nobody writes beside it. */
export async function countAll(workspace: string): Promise<void> {
	// the first looks which are the newest
	await countUp(workspace, PIECE, 0);
	while (await countUp(workspace, PIECE, 0));
}

/**
 * Counts what came since the last time, a piece of it.
 * @param wait seconds between looking what is the newest and counting up to it
 * @returns whether there is more to count at once
 */
export const countUp = (workspace: string, piece = PIECE, wait = LOOK_AGAIN): Promise<boolean> =>
	transaction(async (client) => {
		await client.query(
			"insert into tally_state (workspace, seen_at) values ($1, '-infinity') on conflict (workspace) do nothing",
			[workspace]
		);
		const { rows } = await client.query<State>(
			`select changes, seen_changes, refusals, seen_refusals,
			        pg_snapshot_xmin(pg_current_snapshot()) >= seen_by as over,
			        seen_at < now() - make_interval(secs => $2) as stale
			 from tally_state where workspace = $1 for update skip locked`,
			[workspace, wait]
		);
		const [state] = rows;
		// another is at it, or whoever has a number and has not stored it yet may still do so
		if (!state?.stale || !state.over) return false;
		const from = { changes: BigInt(state.changes), refusals: BigInt(state.refusals) };
		const seen = { changes: BigInt(state.seen_changes), refusals: BigInt(state.seen_refusals) };
		if (from.changes >= seen.changes && from.refusals >= seen.refusals) {
			await lookAgain(client, workspace);
			return false;
		}
		const least = (a: bigint, b: bigint) => (a < b ? a : b);
		const to = {
			changes: least(seen.changes, from.changes + BigInt(piece)),
			refusals: least(seen.refusals, from.refusals + BigInt(piece))
		};
		const sums = counted(
			(n) => `${n} > $2::bigint and ${n} <= $3::bigint`,
			'f.id > $4::bigint and f.id <= $5::bigint'
		);
		await client.query(added(`(${sums})`), [
			workspace,
			from.changes,
			to.changes,
			from.refusals,
			to.refusals
		]);
		await client.query('update tally_state set changes = $2, refusals = $3 where workspace = $1', [
			workspace,
			to.changes,
			to.refusals
		]);
		return to.changes < seen.changes || to.refusals < seen.refusals;
	});

/** Notes what the newest numbers are, and folds old hours into days. */
async function lookAgain(client: Db, workspace: string): Promise<void> {
	await client.query(
		`update tally_state set seen_at = clock_timestamp(), seen_by = pg_snapshot_xmax(pg_current_snapshot()),
		   seen_changes = coalesce((select max(id) from change), seen_changes),
		   seen_refusals = coalesce((select max(id) from refusal), seen_refusals)
		 where workspace = $1`,
		[workspace]
	);
	await client.query(
		`with old as (
			delete from rule_tally where workspace = $1 and at < date_trunc('day', now(), 'UTC') - make_interval(days => ${BY_HOUR_DAYS})
			  and at <> date_trunc('day', at, 'UTC') returning *
		 ), day as (
			select date_trunc('day', at, 'UTC') as at, claim, outcome, sum(n) as n, max(last) as last,
			       (array_agg(rule_name order by last desc) filter (where rule_name is not null))[1] as rule_name
			from old group by 1, 2, 3
		 ) ${added('day')}`,
		[workspace]
	);
}
