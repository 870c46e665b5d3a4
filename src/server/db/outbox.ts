/**
 * The outbox in the database: what message rules send is written in the transaction of its change, so it leaves only
 * if the change is kept, and is handed to the mail system afterwards.
 */
import type { Plan, SettledRecord } from '../../core';
import { ruleOf } from '../../core';
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
	status: 'waiting' | 'sent' | 'failed';
	settledAt: string | null;
	trouble: string | null;
}

/**
 * Puts what the records of changes send into the outbox; one that left in its period already is
 * left out. Returns how many were put there, by change.
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
	const column = <T>(get: (x: (typeof all)[number]) => T) => all.map(get);
	const r = await db.query<{ change: string }>(
		`insert into outbox (workspace, at, change, claim, rule_name, type, record, target_type, target, recipient, subject, body, once_key)
		 select $1, $2, * from unnest($3::bigint[], $4::text[], $5::text[], $6::text[], $7::bigint[], $8::text[], $9::bigint[], $10::text[], $11::text[], $12::text[], $13::text[])
		 on conflict (workspace, once_key) do nothing returning change`,
		[
			workspace,
			at,
			column(({ change }) => change),
			column(({ m }) => m.claim),
			column(({ m }) => ruleOf(plan, m.claim)!.name),
			column(({ rec }) => rec.type),
			column(({ rec }) => rec.id),
			column(({ m }) => m.target?.type ?? null),
			column(({ m }) => m.target?.id ?? null),
			column(({ m }) => m.to),
			column(({ m }) => m.subject),
			column(({ m }) => m.text),
			column(({ m }) => m.once)
		]
	);
	return changes.map(({ change }) => r.rows.filter((x) => String(x.change) === change).length);
}

/** A message that waits. */
export interface Waiting {
	id: string;
	recipient: string;
	subject: string;
	body: string;
	attempts: number;
}

/** The oldest message that waits and nobody else has in hand, kept for this transaction; null for none. */
export async function nextWaiting(db: Db): Promise<Waiting | null> {
	const r = await db.query<Waiting>(
		`select id::text, recipient, subject, body, attempts from outbox where status = 'waiting'
		 order by id limit 1 for update skip locked`
	);
	return r.rows[0] ?? null;
}

/** What came of handing a message over. */
export async function noteHandedOver(
	db: Db,
	id: string,
	status: OutboxEntry['status'],
	trouble: string | null
): Promise<void> {
	await db.query(
		'update outbox set status = $2, attempts = attempts + 1, settled_at = now(), trouble = $3 where id = $1',
		[id, status, trouble]
	);
}

/** The outbox, newest first. */
export async function readOutbox(
	db: Db,
	workspace: string,
	options: { status?: OutboxEntry['status']; page?: number; size?: number } = {}
): Promise<{ entries: OutboxEntry[]; counts: Record<OutboxEntry['status'], number> }> {
	const { status, page = 0, size = 50 } = options;
	const text = (c: string) => `to_char(${c} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
	const r = await db.query<OutboxEntry>(
		`select id, ${text('at')} as at, split_part(claim, ':', 1) as rule, rule_name as "ruleName", type, record,
		        target_type as "targetType", target, recipient, subject, body, status, ${text('settled_at')} as "settledAt", trouble
		 from outbox where workspace = $1 and ($2::text is null or status = $2) order by id desc limit $3 offset $4`,
		[workspace, status ?? null, size, page * size]
	);
	const n = await db.query<{ status: OutboxEntry['status']; n: number }>(
		'select status, count(*)::int as n from outbox where workspace = $1 group by 1',
		[workspace]
	);
	const counts = { waiting: 0, sent: 0, failed: 0 };
	for (const x of n.rows) counts[x.status] = x.n;
	return { entries: r.rows.map((x) => ({ ...x, id: String(x.id) })), counts };
}

/** How many messages wait to be handed over. */
export async function countMessages(db: Db): Promise<number> {
	const r = await db.query<{ n: number }>(
		"select count(*)::int as n from outbox where status = 'waiting'"
	);
	return r.rows[0].n;
}
