/** Signing in: passwords, sessions, tokens and who may do what. */
import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import type { Account, Role } from '../db/people';
import {
	closeSession,
	insertAccount,
	insertToken,
	listAccounts,
	listTokens,
	noteAttempt,
	openSession,
	passwordOf,
	recentAttempts,
	revokeToken,
	sessionAccount,
	tokenAccount
} from '../db/people';
import type { Db } from '../db/pool';

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

export type { Account, Role };
export { listAccounts, listTokens, revokeToken };

const RANK: Role[] = ['reader', 'author', 'administrator'];
/** Whether a role may do what another may. */
export const mayAct = (have: Role, want: Role) => RANK.indexOf(have) >= RANK.indexOf(want);

/** A password as it is stored: algorithm, salt and hash. */
export async function hashPassword(password: string): Promise<string> {
	const salt = randomBytes(16);
	return `scrypt$${salt.toString('base64')}$${(await derive(password, salt, 32, COST)).toString('base64')}`;
}

/** Whether it is the password that is stored. */
export async function passwordFits(stored: string, password: string): Promise<boolean> {
	const [, salt, hash] = stored.split('$');
	const made = await derive(password, Buffer.from(salt, 'base64'), 32, COST);
	return timingSafeEqual(made, Buffer.from(hash, 'base64'));
}

/** What is stored of a token. */
export const digest = (token: string) => createHash('sha256').update(token).digest();

/** Makes an account. @param a with the password as the person types it */
export async function createAccount(
	db: Db,
	a: Omit<Account, 'id' | 'retired' | 'mustChange'> & { password: string; mustChange?: boolean }
): Promise<string> {
	const password = await hashPassword(a.password);
	const { mustChange = false } = a;
	return insertAccount(db, { ...a, email: a.email.toLowerCase(), password, mustChange });
}

// what is compared when there is no such account, so that its absence does not show in the time taken
let nobody: Promise<string> | null = null;

export type SignIn = { ok: true; token: string } | { ok: false; message: string; wait: boolean };

/** Checks e-mail and password and opens a session. Attempts are counted per account and address. */
export async function signIn(
	db: Db,
	email: string,
	password: string,
	address: string,
	agent: string | null = null
): Promise<SignIn> {
	const key = email.trim().toLowerCase().slice(0, 200);
	if ((await recentAttempts(db, key, address)) >= ATTEMPTS)
		return {
			ok: false,
			wait: true,
			message: 'Too many attempts. Wait a quarter of an hour, then try again.'
		};
	const known = await passwordOf(db, key);
	nobody ??= hashPassword(randomBytes(16).toString('hex'));
	const fits = await passwordFits(known?.password ?? (await nobody), password.slice(0, 1000));
	if (!known || !fits) {
		await noteAttempt(db, key, address);
		return { ok: false, wait: false, message: 'E-mail and password do not fit together.' };
	}
	const token = randomBytes(32).toString('base64url');
	const who = { account: known.id, email: key, address, agent: agent?.slice(0, 300) ?? null };
	await openSession(db, who, digest(token), SESSION_HOURS);
	return { ok: true, token };
}

/** The account of a session that has not ended, or null. */
export const accountOfSession = (db: Db, token: string) => sessionAccount(db, digest(token));

export const signOut = (db: Db, token: string) => closeSession(db, digest(token));

/** Makes a token for the API; it is shown once and stored only as a hash. */
export async function createToken(db: Db, account: Account, name: string): Promise<string> {
	const token = `rr_${randomBytes(24).toString('base64url')}`;
	await insertToken(db, account, name, digest(token));
	return token;
}

/** The account a token of the API stands for, or null. */
export const accountOfToken = (db: Db, token: string) => tokenAccount(db, digest(token));
