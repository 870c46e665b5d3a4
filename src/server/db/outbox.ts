/**
 * The outbox in the database: what message rules send is written in the transaction of its change, so it leaves only
 * if the change is kept, and is handed to the mail system afterwards.
 */
import type { Plan, SettledRecord } from '../../core';
import { ruleOf, rulesOfRecord } from '../../core';
import { iso } from './iso';
import type { Db } from './pool';

/** A message as it lies in the outbox. */
export interface OutboxEntry {
	id: string;
	at: string;
	rule: string;
	ruleName: string;
	type: string;
	record: string;
	targetType: string | null;
	target: string | null;
	recipient: string;
	subject: string;
	body: string;
	status: MessageStatus;
	settledAt: string | null;
	trouble: string | null;
	/** Attempts to hand it over so far. */
	attempts: number;
	/** When the next is due, of one that waits after an attempt failed. */
	next: string | null;
	/** The number under which the mail system has it. */
	takenAs: string | null;
	/** The mail system had it already when it was handed over last. */
	takenBefore: boolean;
	/** The message whose double it is; null where that one is forgotten. */
	doubleOf: string | null;
}

/** What became of a message: the mail system refused it, or it is the double of one that left in the same period. */
export const MESSAGE_STATUS = ['waiting', 'sent', 'refused', 'dropped'] as const;
export type MessageStatus = (typeof MESSAGE_STATUS)[number];

/**
 * Puts what the records of changes send into the outbox. One that left in its period already is kept there as its
 * double, and never leaves. Returns how many are to leave, by change.
 */
export async function putOut(
	db: Db,
	workspace: string,
	plan: Plan,
	changes: readonly { change: string; records: readonly SettledRecord[] }[],
	at: string
): Promise<number[]> {
	const all = changes.flatMap(({ change, records }) =>
		records.flatMap((rec) => rec.sends.map((m) => ({ change, rec, m })))
	);
	if (!all.length) return changes.map(() => 0);
	const columns = (some: typeof all) => {
		const column = <T>(get: (x: (typeof all)[number]) => T) => some.map(get);
		return [
			workspace,
			at,
			column(({ change }) => change),
			column(({ m }) => m.claim),
			column(({ m, rec }) => ruleOf(rulesOfRecord(plan, rec), m.claim)!.name),
			column(({ rec }) => rec.type),
			column(({ rec }) => rec.id),
			column(({ m }) => m.target?.type ?? null),
			column(({ m }) => m.target?.id ?? null),
			column(({ m }) => m.to),
			column(({ m }) => m.subject),
			column(({ m }) => m.text),
			column(({ m }) => m.once)
		];
	};
	const given = `unnest($3::bigint[], $4::text[], $5::text[], $6::text[], $7::bigint[], $8::text[], $9::bigint[], $10::text[], $11::text[], $12::text[], $13::text[])`;
	const r = await db.query<{ change: string; once: string | null }>(
		`insert into outbox (workspace, at, change, claim, rule_name, type, record, target_type, target, recipient, subject, body, once_key)
		 select $1, $2, * from ${given}
		 on conflict (workspace, once_key) do nothing returning change::text, once_key as once`,
		columns(all)
	);
	const put = r.rows;
	if (put.length < all.length) {
		// of two with one key the first is to leave, and it is the first here as well
		const leaves = new Set(put.flatMap((x) => (x.once === null ? [] : [`${x.change} ${x.once}`])));
		const doubles = all.filter(
			({ change, m }) => m.once !== null && !leaves.delete(`${change} ${m.once}`)
		);
		await db.query(
			`insert into outbox (workspace, at, change, claim, rule_name, type, record, target_type, target, recipient, subject, body, status, settled_at, double_of)
			 select $1, $2, g.change, g.claim, g.rule_name, g.type, g.record, g.target_type, g.target, g.recipient, g.subject, g.body, 'dropped', $2,
			        (select o.id from outbox o where o.workspace = $1 and o.once_key = g.once)
			 from ${given} as g (change, claim, rule_name, type, record, target_type, target, recipient, subject, body, once)`,
			columns(doubles)
		);
	}
	const by = new Map<string, number>();
	for (const { change } of put) by.set(change, (by.get(change) ?? 0) + 1);
	return changes.map(({ change }) => by.get(change) ?? 0);
}

/** A message that waits. */
export interface Waiting {
	id: string;
	workspace: string;
	recipient: string;
	subject: string;
	body: string;
	attempts: number;
	/** Since it waits, milliseconds. */
	age: number;
}

/** The oldest message that is due and nobody else has in hand, kept for this transaction; null for none. */
export async function nextWaiting(db: Db): Promise<Waiting | null> {
	const r = await db.query<Waiting>(
		`select id::text, workspace, recipient, subject, body, attempts,
		        extract(epoch from now() - waits_since)::float8 * 1000 as age
		 from outbox o where status = 'waiting' and next_at <= now() order by o.id limit 1 for update skip locked`
	);
	return r.rows[0] ?? null;
}

/** What came of handing a message over. */
export interface HandedOver {
	status: MessageStatus;
	trouble: string | null;
	/** The number under which the mail system has it. */
	takenAs?: string;
	takenBefore?: boolean;
	/** Milliseconds until the next attempt, of one that still waits. */
	again?: number;
}

export async function noteHandedOver(db: Db, id: string, h: HandedOver): Promise<void> {
	await db.query(
		`update outbox set status = $2, attempts = attempts + 1, trouble = $3, taken_as = $4, taken_before = $5,
		        next_at = now() + make_interval(secs => $6), settled_at = case when $2 <> 'waiting' then now() end
		 where id = $1`,
		[id, h.status, h.trouble, h.takenAs ?? null, h.takenBefore ?? false, (h.again ?? 0) / 1000]
	);
}

/**
 * A message that waits, was sent or was refused is handed over once more, at once.
 * @returns its subject; null where there is none, or it is a double, or its text is forgotten
 */
export async function handOverAgain(db: Db, workspace: string, id: string): Promise<string | null> {
	const r = await db.query<{ subject: string }>(
		`update outbox set status = 'waiting', next_at = now(), waits_since = now(), settled_at = null
		 where workspace = $1 and id = $2 and status <> 'dropped' and recipient <> '' returning subject`,
		[workspace, id]
	);
	return r.rows[0]?.subject ?? null;
}

/** The outbox, newest first. */
export async function readOutbox(
	db: Db,
	workspace: string,
	options: { status?: MessageStatus; page?: number; size?: number } = {}
): Promise<{ entries: OutboxEntry[]; counts: Record<MessageStatus, number> }> {
	const { status, page = 0, size = 50 } = options;
	const r = await db.query<OutboxEntry>(
		`select id::text, ${iso('at')} as at, split_part(claim, ':', 1) as rule, rule_name as "ruleName", type, record,
		        target_type as "targetType", target, recipient, subject, body, status, ${iso('settled_at')} as "settledAt", trouble,
		        attempts, case when status = 'waiting' and attempts > 0 then ${iso('next_at')} end as next,
		        taken_as::text as "takenAs", taken_before as "takenBefore", double_of::text as "doubleOf"
		 from outbox o where workspace = $1 and ($2::text is null or status = $2) order by o.id desc limit $3 offset $4`,
		[workspace, status ?? null, size, page * size]
	);
	const n = await db.query<{ status: MessageStatus; n: number }>(
		'select status, count(*)::int as n from outbox where workspace = $1 group by 1',
		[workspace]
	);
	const counts = { waiting: 0, sent: 0, refused: 0, dropped: 0 };
	for (const x of n.rows) counts[x.status] = x.n;
	return { entries: r.rows, counts };
}

/** How many messages wait to be handed over. */
export async function countMessages(db: Db): Promise<number> {
	const r = await db.query<{ n: number }>(
		"select count(*)::int as n from outbox where status = 'waiting'"
	);
	return r.rows[0].n;
}
