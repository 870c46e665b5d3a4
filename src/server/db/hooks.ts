/** Addresses that are told of changes of records, and what each is told. */
import { iso } from './iso';
import type { Db } from './pool';
import { opened, sealed } from './seal';

/** `paused`: what happens is kept for it and leaves later; `off`: nothing is kept for it. */
export const HOOK_STATE = ['on', 'paused', 'off'] as const;
export type HookState = (typeof HOOK_STATE)[number];

export interface Hook {
	id: string;
	name: string;
	/** Null for the stand-in that ships with the application. */
	address: string | null;
	/** Record types that are told of; null for all. */
	types: string[] | null;
	state: HookState;
	offBecause: string | null;
	/** ISO 8601. */
	made: string;
	by: string | null;
	/** Attempts that failed since the last that did not. */
	failed: number;
	/** None is begun before. */
	restsUntil: string | null;
	taken: string;
	lastTaken: string | null;
	/** Until then it is signed with the former secret as well. */
	formerUntil: string | null;
}

/** How many events there are in each state but taken. */
export type Untaken = Record<Exclude<EventStatus, 'taken'>, number>;

export const EVENT_STATUS = ['waiting', 'taken', 'refused', 'given up', 'skipped'] as const;
export type EventStatus = (typeof EVENT_STATUS)[number];

/** Most addresses that are told. */
export const MOST_HOOKS = 20;

const HOOK = `h.id::text, h.name, h.address, h.types, h.state, h.off_because as "offBecause", ${iso('h.made_at')} as made,
	a.name as by, h.failed, case when h.rests_until > now() then ${iso('h.rests_until')} end as "restsUntil",
	h.taken::text, ${iso('h.last_taken')} as "lastTaken", case when h.former_until > now() then ${iso('h.former_until')} end as "formerUntil"`;

/** All of them, by name, with what waits or did not arrive. */
export async function listHooks(db: Db, workspace: string): Promise<(Hook & Untaken)[]> {
	const r = await db.query<Hook>(
		`select ${HOOK} from hook h left join account a on a.id = h.made_by where h.workspace = $1 order by lower(h.name), h.id`,
		[workspace]
	);
	const n = await db.query<{ hook: string; status: keyof Untaken; n: number }>(
		`select e.hook::text, e.status, count(*)::int as n from hook_event e
		 where e.hook in (select id from hook where workspace = $1) and e.status <> 'taken' group by 1, 2`,
		[workspace]
	);
	return r.rows.map((h) => {
		const counts: Untaken = { waiting: 0, refused: 0, 'given up': 0, skipped: 0 };
		for (const x of n.rows) if (x.hook === h.id) counts[x.status] = x.n;
		return { ...h, ...counts };
	});
}

/** Locks the hooks of a workspace for whoever makes or changes one. @returns them */
export async function lockHooks(
	db: Db,
	workspace: string
): Promise<Pick<Hook, 'id' | 'name' | 'address' | 'state' | 'types'>[]> {
	await db.query('select from workspace where id = $1 for no key update', [workspace]);
	const r = await db.query(
		`select id::text, name, address, state, types from hook h where workspace = $1 order by h.id for update`,
		[workspace]
	);
	return r.rows;
}

export async function insertHook(
	db: Db,
	workspace: string,
	h: Pick<Hook, 'name' | 'address' | 'types'> & { secret: string; by: string | null }
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into hook (workspace, name, address, types, secret, made_by) values ($1, $2, $3, $4, $5, $6) returning id::text`,
		[workspace, h.name, h.address, h.types, sealed(h.secret), h.by]
	);
	return r.rows[0].id;
}

/** One that is switched on or changed is tried at once, whatever failed before. */
export async function updateHook(
	db: Db,
	id: string,
	h: Pick<Hook, 'name' | 'address' | 'types' | 'state'>
): Promise<void> {
	await db.query(
		`update hook set name = $2, address = $3, types = $4, state = $5, off_because = null, failed = 0, rests_until = null where id = $1`,
		[id, h.name, h.address, h.types, h.state]
	);
}

/** Gives a new secret; the former one signs as well for a day. */
export async function renewSecret(db: Db, id: string, secret: string): Promise<void> {
	await db.query(
		`update hook set former_secret = secret, former_until = now() + interval '1 day', secret = $2 where id = $1`,
		[id, sealed(secret)]
	);
}

export async function deleteHook(db: Db, id: string): Promise<void> {
	await db.query('delete from hook where id = $1', [id]);
}

/** What is told of a record in a change, before it is known to whom. */
export interface HookEvent {
	change: string;
	type: string;
	record: string;
	kind: 'created' | 'changed' | 'deleted';
	body: string;
}

/** Those that are told of changes. */
export async function listening(
	db: Db,
	workspace: string
): Promise<{ id: string; types: string[] | null }[]> {
	const r = await db.query<{ id: string; types: string[] | null }>(
		`select id::text, types from hook where workspace = $1 and state <> 'off'`,
		[workspace]
	);
	return r.rows;
}

/** The record separator of ASCII: JSON writes it as an escape, so it stands in no body. */
const BETWEEN_BODIES = '\x1e';

/** Keeps what hooks are to be told, in the order of the changes. */
export async function putEvents(
	db: Db,
	events: readonly (HookEvent & { hook: string })[],
	at: string
): Promise<void> {
	if (!events.length) return;
	const column = (k: keyof (typeof events)[number]) => events.map((e) => e[k]);
	// a hook that is deleted at this moment wants to hear of nothing
	await db.query(
		`insert into hook_event (hook, change, type, record, kind, body, at)
		 select g.hook, g.change, g.type, g.record, g.kind, g.body, $1
		 from rows from (unnest($2::bigint[]), unnest($3::bigint[]), unnest($4::text[]), unnest($5::bigint[]), unnest($6::text[]),
		   string_to_table($7, $8)) with ordinality as g (hook, change, type, record, kind, body, n)
		 where g.hook in (select id from hook for key share) order by g.n`,
		[
			at,
			column('hook'),
			column('change'),
			column('type'),
			column('record'),
			column('kind'),
			// one text: within an array each quote of each body would be marked
			column('body').join(BETWEEN_BODIES),
			BETWEEN_BODIES
		]
	);
}

/** An event that somebody has in hand. */
export interface Due {
	id: string;
	change: string;
	type: string;
	record: string;
	body: string;
	/** Attempts that failed so far. */
	attempts: number;
	/** Since it waits, milliseconds. */
	age: number;
}

/** A hook for which something is due. */
export interface DueHook {
	id: string;
	workspace: string;
	name: string;
	address: string | null;
	/** Null where it is sealed by a key that this server does not have. */
	secret: string | null;
	formerSecret: string | null;
	failed: number;
}

/** Hooks that do not rest and for which something waits: the first of that is found as in {@link waitingAfter}. */
export async function dueHooks(db: Db): Promise<DueHook[]> {
	const r = await db.query<DueHook & { secret: string }>(
		`select h.id::text, h.workspace, h.name, h.address, h.secret, h.failed,
		        case when h.former_until > now() then h.former_secret end as "formerSecret"
		 from hook h where h.state = 'on' and (h.rests_until is null or h.rests_until <= now())
		   and (select e.id from hook_event e where e.hook between h.id and h.id and e.status = 'waiting'
		        order by e.hook, e.id limit 1) is not null`
	);
	return r.rows.map((h) => ({
		...h,
		secret: opened(h.secret),
		formerSecret: h.formerSecret && opened(h.formerSecret)
	}));
}

/** How long an event is held by whoever has it in hand: longer than an attempt may take. */
const HELD = "interval '60 seconds'";

/** Waiting events that are looked through at once for some that are due; most of those first in line are. */
const FIRST_LOOKED = 64;
const MOST_LOOKED = 10_000;
/** Once so many are looked through at once, what was found is enough. */
const ENOUGH_LOOKED = 1_600;

/**
 * Takes events in hand that are due, oldest first, of each record the first that waits: those after it wait for
 * what becomes of it. Several servers may ask at once.
 * @param most fewer come where a record with many that wait is before the others
 */
export async function takeDue(db: Db, hook: string, most: number): Promise<Due[]> {
	const taken: Due[] = [];
	let after = '0';
	for (let size = FIRST_LOOKED; ; size = Math.min(5 * size, MOST_LOOKED)) {
		const ids = await waitingAfter(db, hook, after, size);
		if (ids.length) taken.push(...(await takeAmong(db, ids, most - taken.length)));
		if (taken.length >= most || ids.length < size) return taken;
		// one that fails holds up all of its record: what is due may stand far behind
		if (taken.length && size >= ENOUGH_LOOKED) return taken;
		after = ids[ids.length - 1];
	}
}

/** The events that wait, oldest first. */
async function waitingAfter(db: Db, hook: string, after: string, size: number): Promise<string[]> {
	const r = await db.query<{ id: string }>(
		// a range, so that it is read in the order of the index of those that wait: in the order of all events, those that
		// were taken before would be gone through each time
		`select id::text from hook_event e where hook between $1 and $1 and status = 'waiting' and id > $2
		 order by hook, e.id limit $3`,
		[hook, after, size]
	);
	return r.rows.map((x) => x.id);
}

async function takeAmong(db: Db, ids: readonly string[], most: number): Promise<Due[]> {
	const r = await db.query<Due>(
		`update hook_event set held_until = now() + ${HELD}
		 where id in (
		   select e.id from hook_event e
		   where e.id = any($1::bigint[]) and e.status = 'waiting' and e.next_at <= now() and (e.held_until is null or e.held_until < now())
		     and not exists (select from hook_event b where b.hook = e.hook and b.type = e.type and b.record = e.record
		                       and b.status = 'waiting' and b.id < e.id)
		   order by e.id limit $2 for update skip locked)
		 returning id::text, change::text, type, record::text, body, attempts, extract(epoch from now() - waits_since)::float8 * 1000 as age`,
		[ids, most]
	);
	return r.rows.sort((a, b) => Number(BigInt(a.id) - BigInt(b.id)));
}

/** What came of an attempt. */
export interface Attempt {
	status: EventStatus;
	/** The status of HTTP that was answered; null for no answer. */
	answered: number | null;
	trouble: string | null;
	/** Milliseconds until the next attempt, of one that still waits. */
	again?: number;
	/** The other side could not be reached, or could not work: the hook rests so long, milliseconds. */
	rest?: number;
	/** The other side wants to hear no more. */
	off?: string;
}

/** Whether the other side was reached and said what it makes of the event. */
export const answeredBy = ({ status }: Attempt): boolean =>
	status === 'taken' || status === 'refused';

/**
 * Notes what came of an attempt, unless somebody else decided about the event meanwhile. Of a hook that was reached
 * nothing is noted yet, see {@link noteReached}: of many under way at once each would wait for the one before.
 */
export async function noteAttempt(db: Db, hook: string, event: string, a: Attempt): Promise<void> {
	await db.query(
		`update hook_event set status = $2, attempts = attempts + 1, answered = $3, trouble = $4, held_until = null,
		        next_at = now() + make_interval(secs => $5), settled_at = case when $2 <> 'waiting' then now() end
		 where id = $1 and status = 'waiting'`,
		[event, a.status, a.answered, a.trouble, (a.again ?? 0) / 1000]
	);
	if (answeredBy(a)) return;
	await db.query(
		`update hook set failed = failed + 1, rests_until = greatest(rests_until, now() + make_interval(secs => $2)),
		        state = case when $3::text is null then state else 'off' end, off_because = coalesce($3, off_because)
		 where id = $1`,
		[hook, (a.rest ?? 0) / 1000, a.off ?? null]
	);
}

/**
 * Notes of a hook that it was reached, once for all events that were under way together.
 * @param taken how many of them it took
 * @param failed attempts that failed since it was reached last
 */
export async function noteReached(
	db: Db,
	hook: string,
	{ taken, failed }: { taken: number; failed: number }
): Promise<void> {
	await db.query(
		`update hook set failed = $3, rests_until = case when $3 = 0 then null else rests_until end,
		        taken = taken + $2, last_taken = case when $2 > 0 then now() else last_taken end
		 where id = $1`,
		[hook, taken, failed]
	);
}

/** An event as it is listed. */
export interface ListedEvent {
	id: string;
	change: string;
	type: string;
	record: string;
	kind: HookEvent['kind'];
	body: string;
	/** ISO 8601. */
	at: string;
	status: EventStatus;
	attempts: number;
	/** When the next attempt is due, of one that waits after one that failed. */
	next: string | null;
	answered: number | null;
	trouble: string | null;
	settled: string | null;
	/** It waits for an earlier one of its record. */
	behind: boolean;
}

/** What a hook was told and is to be told, newest first; of one record oldest first, as it leaves. */
export async function listEvents(
	db: Db,
	hook: string,
	o: { status?: EventStatus; before?: string; size: number }
): Promise<ListedEvent[]> {
	const r = await db.query<ListedEvent>(
		`select e.id::text, e.change::text, e.type, e.record::text, e.kind, e.body, ${iso('e.at')} as at, e.status, e.attempts,
		        case when e.status = 'waiting' and e.attempts > 0 then ${iso('e.next_at')} end as next, e.answered, e.trouble,
		        ${iso('e.settled_at')} as settled,
		        e.status = 'waiting' and exists (select from hook_event b where b.hook = e.hook and b.type = e.type
		          and b.record = e.record and b.status = 'waiting' and b.id < e.id) as behind
		 from hook_event e where e.hook = $1 and ($2::text is null or e.status = $2) and ($3::bigint is null or e.id < $3)
		 order by e.id desc limit $4`,
		[hook, o.status ?? null, o.before ?? null, o.size]
	);
	return r.rows;
}

/**
 * Sends an event again, whatever became of it; one that waits is tried at once.
 * @returns whether there is such an event
 */
export async function sendAgain(db: Db, hook: string, event: string): Promise<boolean> {
	const r = await db.query(
		`update hook_event set status = 'waiting', next_at = now(), waits_since = now(), settled_at = null where id = $2 and hook = $1`,
		[hook, event]
	);
	if (r.rowCount) await db.query('update hook set rests_until = null where id = $1', [hook]);
	return r.rowCount === 1;
}

/** Sends all again that did not arrive. @returns how many */
export async function sendAllAgain(db: Db, hook: string): Promise<number> {
	const r = await db.query(
		`update hook_event set status = 'waiting', next_at = now(), waits_since = now(), settled_at = null, attempts = 0
		 where hook = $1 and status in ('refused', 'given up', 'waiting')`,
		[hook]
	);
	await db.query('update hook set rests_until = null, failed = 0 where id = $1', [hook]);
	return r.rowCount ?? 0;
}

/** An event that waits is not to be sent: those of its record after it go on. @returns whether it waited */
export async function skipEvent(db: Db, hook: string, event: string): Promise<boolean> {
	const r = await db.query(
		`update hook_event set status = 'skipped', settled_at = now() where id = $2 and hook = $1 and status = 'waiting'`,
		[hook, event]
	);
	return r.rowCount === 1;
}

/** What the stand-in receiver knows of a hook: nothing where it tells another address. */
export async function standInHook(
	db: Db,
	id: string
): Promise<{ workspace: string; secret: string | null } | null> {
	const r = await db.query<{ workspace: string; secret: string }>(
		'select workspace, secret from hook where id = $1 and address is null',
		[id]
	);
	const [hook] = r.rows;
	return hook ? { ...hook, secret: opened(hook.secret) } : null;
}

/** How many events wait. */
export async function countEvents(db: Db): Promise<number> {
	const r = await db.query<{ n: number }>(
		`select count(*)::int as n from hook_event where status = 'waiting'`
	);
	return r.rows[0].n;
}
