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
}

const ACCOUNT = 'a.id::text, a.workspace, a.email, a.name, a.role, a.person::text';

/** @param a with the password as it is stored */
export async function insertAccount(
	db: Db,
	a: Omit<Account, 'id'> & { password: string }
): Promise<void> {
	await db.query(
		'insert into account (workspace, email, name, role, person, password) values ($1, $2, $3, $4, $5, $6)',
		[a.workspace, a.email, a.name, a.role, a.person, a.password]
	);
}

export async function listAccounts(db: Db, workspace: string): Promise<Account[]> {
	const r = await db.query(`select ${ACCOUNT} from account a where workspace = $1 order by name`, [
		workspace
	]);
	return r.rows;
}

/** The stored password of an account, or null when there is none by this e-mail. */
export async function passwordOf(
	db: Db,
	email: string
): Promise<{ id: string; password: string } | null> {
	const r = await db.query<{ id: string; password: string }>(
		'select id::text, password from account where email = $1',
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
	who: { account: string; email: string },
	hash: Buffer,
	hours: number
): Promise<void> {
	await db.query('delete from sign_in_attempt where email = $1', [who.email]);
	await db.query('delete from session where expires_at < now()');
	await db.query(
		`insert into session (token_hash, account, expires_at) values ($1, $2, now() + make_interval(hours => $3))`,
		[hash, who.account, hours]
	);
}

/** The account of a session that has not ended, or null. */
export async function sessionAccount(db: Db, hash: Buffer): Promise<Account | null> {
	const r = await db.query(
		`select ${ACCOUNT} from session s join account a on a.id = s.account where s.token_hash = $1 and s.expires_at > now()`,
		[hash]
	);
	return r.rows[0] ?? null;
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
		`select ${ACCOUNT} from api_token t join account a on a.id = t.account where t.token_hash = $1 and t.revoked_at is null`,
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
