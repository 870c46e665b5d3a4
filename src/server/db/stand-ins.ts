/** The stand-ins for systems outside: how they answer, and what they got. */
import { iso } from './iso';
import type { Db } from './pool';

/** How the stand-ins answer. */
export interface StandIns {
	mailbox: 'takes' | 'away';
	receiver: 'takes' | 'away' | 'refuses' | 'slow';
}

export async function readStandIns(db: Db, workspace: string): Promise<StandIns> {
	const r = await db.query<StandIns>(
		'select mailbox, receiver from stand_in where workspace = $1',
		[workspace]
	);
	return r.rows[0] ?? { mailbox: 'takes', receiver: 'takes' };
}

export async function storeStandIns(db: Db, workspace: string, s: StandIns): Promise<void> {
	await db.query(
		`insert into stand_in (workspace, mailbox, receiver) values ($1, $2, $3)
		 on conflict (workspace) do update set mailbox = $2, receiver = $3`,
		[workspace, s.mailbox, s.receiver]
	);
}

/** Keeps a message in the mailbox. @returns its number there, and whether it was there before */
export async function keepMail(
	db: Db,
	m: { id: string; to: string; subject: string; text: string }
): Promise<{ number: string; before: boolean }> {
	const r = await db.query<{ number: string; times: number }>(
		`insert into mailbox (message, recipient, subject, body) values ($1, $2, $3, $4)
		 on conflict (message) do update set times = mailbox.times + 1 returning number::text, times`,
		[m.id, m.to, m.subject, m.text]
	);
	return { number: r.rows[0].number, before: r.rows[0].times > 1 };
}

/** What the mailbox holds: messages, and how many came a second time and were dropped. */
export async function countMailbox(db: Db): Promise<{ taken: number; doubles: number }> {
	const r = await db.query<{ taken: number; doubles: number }>(
		'select count(*)::int as taken, coalesce(sum(times - 1), 0)::int as doubles from mailbox'
	);
	return r.rows[0];
}

/** What the stand-in receiver got of an event. */
export interface Received {
	event: string;
	type: string;
	record: string;
	version: number;
	/** The version of the record that it knew before; null for none. */
	known: number | null;
	/** ISO 8601. */
	at: string;
	/** How often it came; all but the first were dropped. */
	times: number;
}

/** Keeps what the receiver got, each event once. @returns whether it came for the first time */
export async function keepReceived(
	db: Db,
	hook: string,
	e: Pick<Received, 'event' | 'type' | 'record' | 'version'>
): Promise<boolean> {
	const r = await db.query<{ times: number }>(
		`insert into received (hook, event, type, record, version, known)
		 select $1, $2, $3, $4, $5, (select version from received
		   where hook = $1 and type = $3 and record = $4 order by id desc limit 1)
		 on conflict (hook, event) do update set times = received.times + 1 returning times`,
		[hook, e.event, e.type, e.record, e.version]
	);
	return r.rows[0].times === 1;
}

/** What the receiver got by a hook: how many, doubles dropped, and how many came after a later version. */
export async function countReceived(
	db: Db,
	hook: string
): Promise<{ got: number; doubles: number; outOfOrder: number }> {
	const r = await db.query<{ got: number; doubles: number; outOfOrder: number }>(
		`select count(*)::int as got, coalesce(sum(times - 1), 0)::int as doubles,
		        count(*) filter (where known >= version)::int as "outOfOrder"
		 from received where hook = $1`,
		[hook]
	);
	return r.rows[0];
}

/** What the receiver got of some events. */
export async function receivedOf(
	db: Db,
	hook: string,
	events: readonly string[]
): Promise<Received[]> {
	const r = await db.query<Received>(
		`select event, type, record::text, version, known, ${iso('at')} as at, times
		 from received where hook = $1 and event = any($2)`,
		[hook, events]
	);
	return r.rows;
}
