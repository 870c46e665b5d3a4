/** Accounts, sessions, attempts to sign in and tokens in the database. */
import { iso } from './iso';
import { covers, type Role } from '../../door/rights';
import { setting, type Db } from './pool';
import { dbTrouble } from './trouble';

export type { Role };

export interface Account {
	id: string;
	workspace: string;
	email: string;
	name: string;
	role: Role;
	/** The record that stands for this person, where people are records. */
	person: string | null;
	/** No person but a program: it has tokens and no password, and signs in nowhere. */
	service: boolean;
	/** Of a token: the record types that it reaches. Absent where all are. */
	types?: readonly string[];
	/** The password is one that somebody else knows: nothing is open before it is changed. */
	mustChange: boolean;
	/** Signs in nowhere any more; ISO 8601 since when. */
	retired: string | null;
}

const ACCOUNT = `a.id::text, a.workspace, a.email, a.name, a.role, a.person::text, a.service, a.must_change as "mustChange",
	to_char(a.retired_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as retired`;

/** @param a with the password as it is stored; null for a service */
export async function insertAccount(
	db: Db,
	a: Omit<Account, 'id' | 'retired' | 'service'> & { password: string | null }
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into account (workspace, email, name, role, person, password, must_change, service)
		 values ($1, $2, $3, $4, $5, $6, $7, $6::text is null) returning id::text`,
		[a.workspace, a.email, a.name, a.role, a.person, a.password, a.mustChange]
	);
	return r.rows[0].id;
}

/** Whether an address has an account, in whatever workspace, other than one. */
export async function isTaken(db: Db, email: string, except: string | null): Promise<boolean> {
	const r = await db.query(
		'select 1 from account where email = $1 and ($2::bigint is null or id <> $2::bigint)',
		[email, except]
	);
	return r.rowCount !== 0;
}

/** Stores what a person is called and may do. */
export async function updateAccount(db: Db, a: Account): Promise<void> {
	await db.query(
		`update account set name = $3, email = $4, role = $5, person = $6,
		   retired_at = case when $7 then coalesce(retired_at, now()) end
		 where workspace = $1 and id = $2`,
		[a.workspace, a.id, a.name, a.email, a.role, a.person, a.retired !== null]
	);
}

/** Stores a password. @param password as it is stored */
export async function storePassword(
	db: Db,
	id: string,
	password: string,
	mustChange: boolean
): Promise<void> {
	await db.query('update account set password = $2, must_change = $3 where id = $1', [
		id,
		password,
		mustChange
	]);
}

/** The accounts of a workspace, locked: whoever counts administrators counts them alone. */
export async function lockAccounts(db: Db, workspace: string): Promise<Account[]> {
	const r = await db.query<Account>(
		`select ${ACCOUNT} from account a where workspace = $1 order by id for update`,
		[workspace]
	);
	return r.rows;
}
export async function listAccounts(db: Db, workspace: string): Promise<Account[]> {
	const r = await db.query(
		`select ${ACCOUNT} from account a where workspace = $1 order by a.retired_at is not null, name`,
		[workspace]
	);
	return r.rows;
}

/** The names of some accounts. */
export async function namesOf(db: Db, ids: readonly string[]): Promise<Record<string, string>> {
	const r = await db.query<{ id: string; name: string }>(
		'select id::text, name from account where id = any($1::bigint[])',
		[ids]
	);
	return Object.fromEntries(r.rows.map((a) => [a.id, a.name]));
}

/** The stored password of an account with who it is, or null when there is none by this e-mail. */
export async function passwordOf(
	db: Db,
	email: string
): Promise<{ id: string; workspace: string; name: string; password: string } | null> {
	const r = await db.query<{ id: string; workspace: string; name: string; password: string }>(
		`select id::text, workspace, name, password from account
		 where email = $1 and retired_at is null and not service`,
		[email]
	);
	return r.rows[0] ?? null;
}

/** The workspace of this database; null before there is one. */
export async function anyWorkspace(db: Db): Promise<{ workspace: string } | null> {
	const r = await db.query<{ workspace: string }>(
		'select id as workspace from workspace order by id limit 1'
	);
	return r.rows[0] ?? null;
}

/** How long an attempt to sign in counts. */
const COUNTS = "interval '30 minutes'";

/**
 * Attempts to sign in that count: from an address at an account, from an address at any, and seconds since
 * the last of the first. Whoever counts for one address waits for another that does.
 */
export async function countAttempts(
	db: Db,
	email: string,
	address: string
): Promise<{ pair: number; of: number; since: number }> {
	await db.query('select pg_advisory_xact_lock(72617002, hashtext($1))', [address]);
	// a clock that was put back must not make anybody wait for the hour it lost
	await db.query('update sign_in_attempt set at = now() where address = $1 and at > now()', [
		address
	]);
	const r = await db.query<{ pair: number; of: number; since: number | null }>(
		`select count(*) filter (where email = $2)::int as pair, count(*)::int as of,
		        extract(epoch from now() - max(at))::float8 as since
		 from sign_in_attempt where address = $1 and at > now() - ${COUNTS}`,
		[address, email]
	);
	const { pair, of, since } = r.rows[0];
	return { pair, of, since: since ?? Infinity };
}

export async function noteAttempt(db: Db, email: string, address: string): Promise<void> {
	await db.query('insert into sign_in_attempt (email, address) values ($1, $2)', [email, address]);
}

/** What nobody needs any more: attempts that no longer count, sessions that ended, answers kept a day. */
export async function forgetOld(db: Db): Promise<void> {
	await db.query(`delete from sign_in_attempt where at < now() - ${COUNTS}`);
	await db.query(`delete from session where not (${OPEN})`);
	await db.query("delete from kept_answer where at < now() - interval '1 day'");
}

/** Opens a session, and forgets the attempts from the same place before it. */
export async function openSession(
	db: Db,
	who: { account: string; email: string; address: string; agent: string | null },
	hash: Buffer,
	hours: number
): Promise<void> {
	await db.query('delete from sign_in_attempt where email = $1 and address = $2', [
		who.email,
		who.address
	]);
	await db.query(
		`insert into session (token_hash, account, expires_at, address, agent)
		 values ($1, $2, now() + make_interval(hours => $3), $4, $5)`,
		[hash, who.account, hours, who.address, who.agent]
	);
}

/** What is noted beside a request does not fail it: with a full disk one can still read. */
const noted = (note: Promise<unknown>) =>
	note.catch((e: unknown) => {
		if (!dbTrouble(e)) throw e;
	});

/** Minutes after which a session ends that nobody uses. */
const IDLE = setting('RIGID_SESSION_IDLE', 120);
const OPEN = `expires_at > now() and seen_at > now() - make_interval(mins => ${IDLE})`;

/** The account of a session that has not ended, or null. Its use is noted, once a minute. */
export async function sessionAccount(db: Db, hash: Buffer): Promise<Account | null> {
	const r = await db.query<Account & { stale: boolean }>(
		`select ${ACCOUNT}, seen_at < now() - interval '1 minute' as stale
		 from session s join account a on a.id = s.account
		 where s.token_hash = $1 and ${OPEN} and a.retired_at is null`,
		[hash]
	);
	if (!r.rows[0]) return null;
	const { stale, ...account } = r.rows[0];
	if (stale)
		await noted(db.query('update session set seen_at = now() where token_hash = $1', [hash]));
	return account;
}

/** A session as its owner sees it. */
export interface OpenSession {
	id: string;
	/** ISO 8601. */
	begun: string;
	ends: string;
	/** Network address from which it was begun, and what the browser said it is. */
	address: string | null;
	agent: string | null;
	/** The one that asks. */
	here: boolean;
}

/** The sessions of a person that have not ended, newest first. @param here hash of the one that asks */
export async function openSessions(db: Db, account: string, here: Buffer): Promise<OpenSession[]> {
	const r = await db.query<OpenSession>(
		`select id::text, ${iso('created_at')} as begun, ${iso('expires_at')} as ends, address, agent,
		        token_hash = $2 as here
		 from session where account = $1 and ${OPEN} order by created_at desc`,
		[account, here]
	);
	return r.rows;
}

/** Ends the sessions of a person: all, all but one, or a certain one. */
export async function endSessions(
	db: Db,
	account: string,
	which: { but?: Buffer; only?: string } = {}
): Promise<number> {
	const r = await db.query(
		`delete from session where account = $1 and ($2::bytea is null or token_hash <> $2)
		   and ($3::bigint is null or id = $3::bigint)`,
		[account, which.but ?? null, which.only ?? null]
	);
	return r.rowCount ?? 0;
}

export async function closeSession(db: Db, hash: Buffer): Promise<void> {
	await db.query('delete from session where token_hash = $1', [hash]);
}

/** A token as it is stored: its hash stands for it. */
export interface NewToken {
	name: string;
	role: Role;
	/** Record types that it reaches; null for all. */
	types: readonly string[] | null;
	/** The day after which it opens nothing, `YYYY-MM-DD`; null for no end. */
	ends: string | null;
}

/** @param of whom it acts for */
export async function insertToken(db: Db, of: Account, t: NewToken, hash: Buffer): Promise<void> {
	await db.query(
		`insert into api_token (workspace, account, name, token_hash, role, types, expires_at)
		 values ($1, $2, $3, $4, $5, $6, $7::date + 1)`,
		[of.workspace, of.id, t.name, hash, t.role, t.types, t.ends]
	);
}

/**
 * The account a token stands for, with the role and types of the token, or null when it was taken back
 * or has ended. Its use is noted, once a minute.
 */
export async function tokenAccount(db: Db, hash: Buffer): Promise<Account | null> {
	const r = await db.query<
		Account & { token: string; of: Role; types: string[] | null; stale: boolean }
	>(
		`select ${ACCOUNT}, t.id::text as token, t.role as of, t.types,
		        (t.used_at is null or t.used_at < now() - interval '1 minute') as stale
		 from api_token t join account a on a.id = t.account
		 where t.token_hash = $1 and t.revoked_at is null and a.retired_at is null
		   and (t.expires_at is null or t.expires_at > now())`,
		[hash]
	);
	if (!r.rows[0]) return null;
	const { token, of, types, stale, ...account } = r.rows[0];
	if (stale) await noted(db.query('update api_token set used_at = now() where id = $1', [token]));
	// a token never reaches further than whom it acts for, who may have been given less since
	const role = covers(account.role, of) ? of : account.role;
	return { ...account, role, ...(types ? { types } : {}) };
}

/** A token as it is listed. */
export interface Token {
	id: string;
	name: string;
	who: string;
	role: Role;
	types: string[] | null;
	/** ISO 8601. */
	created: string;
	ends: string | null;
	used: string | null;
	revoked: boolean;
	ended: boolean;
}

export async function listTokens(db: Db, workspace: string): Promise<Token[]> {
	const r = await db.query<Token>(
		`select t.id::text, t.name, a.name as who, t.role, t.types, ${iso('t.created_at')} as created,
		        to_char((t.expires_at - interval '1 day') at time zone 'UTC', 'YYYY-MM-DD') as ends, ${iso('t.used_at')} as used,
		        t.revoked_at is not null as revoked, coalesce(t.expires_at <= now(), false) as ended
		 from api_token t join account a on a.id = t.account where t.workspace = $1 order by t.id desc`,
		[workspace]
	);
	return r.rows;
}

/** Takes a token back. @returns what it was called; null when there is none that still opens something */
export async function revokeToken(db: Db, workspace: string, id: string): Promise<string | null> {
	const r = await db.query<{ name: string }>(
		`update api_token set revoked_at = now() where workspace = $1 and id = $2 and revoked_at is null
		 returning name`,
		[workspace, id]
	);
	return r.rows[0]?.name ?? null;
}

/** Takes the token with a hash back. */
export async function revokeTokenOf(db: Db, hash: Buffer): Promise<void> {
	await db.query(
		'update api_token set revoked_at = now() where token_hash = $1 and revoked_at is null',
		[hash]
	);
}

/** Whether who wrote something may not release it. */
export async function needsSecond(db: Db, workspace: string): Promise<boolean> {
	const r = await db.query<{ second_person: boolean }>(
		'select second_person from workspace where id = $1',
		[workspace]
	);
	return r.rows[0]?.second_person ?? false;
}

export async function setSecond(db: Db, workspace: string, on: boolean): Promise<void> {
	await db.query('update workspace set second_person = $2 where id = $1', [workspace, on]);
}
