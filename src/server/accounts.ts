/** Signing in: passwords, sessions, tokens and who may do what. */
import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import type { Db } from './db/pool';

const derive = promisify(scrypt) as (
	password: string,
	salt: Buffer,
	length: number,
	options: object
) => Promise<Buffer>;
/** scrypt at 64 MiB: some 150 ms on a small machine, which a person does not notice and a guesser does. */
const COST = { N: 65536, r: 8, p: 1, maxmem: 128 * 1024 * 1024 };
const SESSION_HOURS = 12;
/** Failed attempts within a quarter of an hour after which an address or an account has to wait. */
const ATTEMPTS = 8;

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

const RANK: Role[] = ['reader', 'author', 'administrator'];
/** Whether a role may do what another may. */
export const mayAct = (have: Role, want: Role) => RANK.indexOf(have) >= RANK.indexOf(want);

/** A password as it is stored: algorithm, salt and hash. */
export async function hashPassword(password: string): Promise<string> {
	const salt = randomBytes(16);
	return `scrypt$${salt.toString('base64')}$${(await derive(password, salt, 32, COST)).toString('base64')}`;
}

async function passwordFits(stored: string, password: string): Promise<boolean> {
	const [, salt, hash] = stored.split('$');
	const made = await derive(password, Buffer.from(salt, 'base64'), 32, COST);
	return timingSafeEqual(made, Buffer.from(hash, 'base64'));
}

const digest = (token: string) => createHash('sha256').update(token).digest();
const ACCOUNT = 'a.id::text, a.workspace, a.email, a.name, a.role, a.person::text';

export async function createAccount(
	db: Db,
	a: {
		workspace: string;
		email: string;
		name: string;
		role: Role;
		person: string | null;
		password: string;
	}
): Promise<void> {
	await db.query(
		'insert into account (workspace, email, name, role, person, password) values ($1, $2, $3, $4, $5, $6)',
		[a.workspace, a.email.toLowerCase(), a.name, a.role, a.person, await hashPassword(a.password)]
	);
}

// what is compared when there is no such account, so that its absence does not show in the time taken
let nobody: Promise<string> | null = null;

export type SignIn = { ok: true; token: string } | { ok: false; message: string; wait: boolean };

/** Checks e-mail and password and opens a session. Attempts are counted per account and address. */
export async function signIn(
	db: Db,
	email: string,
	password: string,
	address: string
): Promise<SignIn> {
	const key = email.trim().toLowerCase().slice(0, 200);
	const tries = await db.query(
		`select greatest(count(*) filter (where email = $1), count(*) filter (where address = $2) / 4)::int as n
		 from sign_in_attempt where at > now() - interval '15 minutes' and (email = $1 or address = $2)`,
		[key, address]
	);
	if (tries.rows[0].n >= ATTEMPTS)
		return {
			ok: false,
			wait: true,
			message: 'Too many attempts. Wait a quarter of an hour, then try again.'
		};
	const r = await db.query('select id::text, password from account where email = $1', [key]);
	nobody ??= hashPassword(randomBytes(16).toString('hex'));
	const fits = await passwordFits(r.rows[0]?.password ?? (await nobody), password.slice(0, 1000));
	if (!r.rowCount || !fits) {
		await db.query('insert into sign_in_attempt (email, address) values ($1, $2)', [key, address]);
		return { ok: false, wait: false, message: 'E-mail and password do not fit together.' };
	}
	await db.query('delete from sign_in_attempt where email = $1', [key]);
	await db.query('delete from session where expires_at < now()');
	const token = randomBytes(32).toString('base64url');
	await db.query(
		`insert into session (token_hash, account, expires_at) values ($1, $2, now() + interval '${SESSION_HOURS} hours')`,
		[digest(token), r.rows[0].id]
	);
	return { ok: true, token };
}

/** The account of a session that has not ended, or null. */
export async function accountOfSession(db: Db, token: string): Promise<Account | null> {
	const r = await db.query(
		`select ${ACCOUNT} from session s join account a on a.id = s.account where s.token_hash = $1 and s.expires_at > now()`,
		[digest(token)]
	);
	return r.rows[0] ?? null;
}

export async function signOut(db: Db, token: string): Promise<void> {
	await db.query('delete from session where token_hash = $1', [digest(token)]);
}

/** Makes a token for the API; it is shown once and stored only as a hash. */
export async function createToken(db: Db, account: Account, name: string): Promise<string> {
	const token = `rr_${randomBytes(24).toString('base64url')}`;
	await db.query(
		'insert into api_token (workspace, account, name, token_hash) values ($1, $2, $3, $4)',
		[account.workspace, account.id, name, digest(token)]
	);
	return token;
}

/** The account a token of the API stands for, or null. */
export async function accountOfToken(db: Db, token: string): Promise<Account | null> {
	const r = await db.query(
		`select ${ACCOUNT} from api_token t join account a on a.id = t.account where t.token_hash = $1 and t.revoked_at is null`,
		[digest(token)]
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

export async function listAccounts(db: Db, workspace: string): Promise<Account[]> {
	const r = await db.query(`select ${ACCOUNT} from account a where workspace = $1 order by name`, [
		workspace
	]);
	return r.rows;
}
