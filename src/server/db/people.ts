/** Accounts, sessions, attempts to sign in and tokens in the database. */
import type { Db } from './pool';

export type Role = 'administrator' | 'author' | 'reader';

export interface Account {
	id: string;
	workspace: string;
	email: string;
	name: string;
	role: Role;
	/** The record that stands for this person, where people are records. */
	person: string | null;
	/** The password is one that somebody else knows: nothing is open before it is changed. */
	mustChange: boolean;
	/** Signs in nowhere any more; ISO 8601 since when. */
	retired: string | null;
}

const ACCOUNT = `a.id::text, a.workspace, a.email, a.name, a.role, a.person::text, a.must_change as "mustChange",
	to_char(a.retired_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as retired`;

/** @param a with the password as it is stored */
export async function insertAccount(
	db: Db,
	a: Omit<Account, 'id' | 'retired'> & { password: string }
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into account (workspace, email, name, role, person, password, must_change)
		 values ($1, $2, $3, $4, $5, $6, $7) returning id::text`,
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

/** The stored password of an account, or null when there is none by this e-mail. */
export async function passwordOf(
	db: Db,
	email: string
): Promise<{ id: string; password: string } | null> {
	const r = await db.query<{ id: string; password: string }>(
		'select id::text, password from account where email = $1 and retired_at is null',
		[email]
	);
	return r.rows[0] ?? null;
}

/** Attempts to sign in within a quarter of an hour: the more of those on the account, and a quarter of those from the address. */
export async function recentAttempts(db: Db, email: string, address: string): Promise<number> {
	const r = await db.query<{ n: number }>(
		`select greatest(count(*) filter (where email = $1), count(*) filter (where address = $2) / 4)::int as n
		 from sign_in_attempt where at > now() - interval '15 minutes' and (email = $1 or address = $2)`,
		[email, address]
	);
	return r.rows[0].n;
}

export async function noteAttempt(db: Db, email: string, address: string): Promise<void> {
	await db.query('insert into sign_in_attempt (email, address) values ($1, $2)', [email, address]);
}

/** Opens a session, and forgets the attempts before it and sessions that ended. */
export async function openSession(
	db: Db,
	who: { account: string; email: string; address: string; agent: string | null },
	hash: Buffer,
	hours: number
): Promise<void> {
	await db.query('delete from sign_in_attempt where email = $1', [who.email]);
	await db.query('delete from session where expires_at < now()');
	await db.query(
		`insert into session (token_hash, account, expires_at, address, agent)
		 values ($1, $2, now() + make_interval(hours => $3), $4, $5)`,
		[hash, who.account, hours, who.address, who.agent]
	);
}

/** The account of a session that has not ended, or null. */
export async function sessionAccount(db: Db, hash: Buffer): Promise<Account | null> {
	const r = await db.query(
		`select ${ACCOUNT} from session s join account a on a.id = s.account where s.token_hash = $1 and s.expires_at > now() and a.retired_at is null`,
		[hash]
	);
	return r.rows[0] ?? null;
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
	const iso = (c: string) => `to_char(${c} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
	const r = await db.query<OpenSession>(
		`select id::text, ${iso('created_at')} as begun, ${iso('expires_at')} as ends, address, agent,
		        token_hash = $2 as here
		 from session where account = $1 and expires_at > now() order by created_at desc`,
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

export async function insertToken(
	db: Db,
	account: Account,
	name: string,
	hash: Buffer
): Promise<void> {
	await db.query(
		'insert into api_token (workspace, account, name, token_hash) values ($1, $2, $3, $4)',
		[account.workspace, account.id, name, hash]
	);
}

/** The account a token stands for that was not taken back, or null. */
export async function tokenAccount(db: Db, hash: Buffer): Promise<Account | null> {
	const r = await db.query(
		`select ${ACCOUNT} from api_token t join account a on a.id = t.account where t.token_hash = $1 and t.revoked_at is null and a.retired_at is null`,
		[hash]
	);
	return r.rows[0] ?? null;
}

export async function listTokens(
	db: Db,
	workspace: string
): Promise<{ id: string; name: string; who: string; created: string; revoked: boolean }[]> {
	const r = await db.query(
		`select t.id::text, t.name, a.name as who, to_char(t.created_at at time zone 'UTC', 'YYYY-MM-DD') as created, t.revoked_at is not null as revoked
		 from api_token t join account a on a.id = t.account where t.workspace = $1 order by t.id desc`,
		[workspace]
	);
	return r.rows;
}

export async function revokeToken(db: Db, workspace: string, id: string): Promise<void> {
	await db.query(
		'update api_token set revoked_at = now() where workspace = $1 and id = $2 and revoked_at is null',
		[workspace, id]
	);
}
