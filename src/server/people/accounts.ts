/** Signing in: passwords, sessions, tokens and who may do what. */
import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import pLimit from 'p-limit';
import { covers } from '../../door/rights';
import { note, noteOf } from '../audit/audit';
import type { Account, NewToken, Role } from '../db/people';
import {
	anyWorkspace,
	closeSession,
	countAttempts,
	insertAccount,
	insertToken,
	listAccounts,
	listTokens,
	noteAttempt,
	openSession,
	passwordOf,
	revokeToken as takeToken,
	sessionAccount,
	tokenAccount
} from '../db/people';
import type { Db } from '../db/pool';
import { db, transaction } from '../db/pool';

const derive = promisify(scrypt) as (
	password: string,
	salt: Buffer,
	length: number,
	options: object
) => Promise<Buffer>;
/** scrypt at 64 MiB: some 150 ms on a small machine, which a person does not notice and a guesser does. */
const COST = { N: 65536, r: 8, p: 1, maxmem: 128 * 1024 * 1024 };
/** How long a session lasts at the most. */
export const SESSION_HOURS = 12;

export type { Account, Role };
export { listAccounts, listTokens };

/** The most hashes made at once, and the most that wait for it: each takes a core and 64 MiB. */
const AT_ONCE = 2;
const MOST_WAITING = 40;
const hashing = pLimit(AT_ONCE);

/** More people sign in at this moment than can be served. */
export class TooManyAtOnce extends Error {
	constructor() {
		super('Too many people sign in at this moment. Try again in a few seconds.');
	}
}

/** @throws {TooManyAtOnce} */
function hashed(password: string, salt: Buffer): Promise<Buffer> {
	if (hashing.pendingCount >= MOST_WAITING) throw new TooManyAtOnce();
	return hashing(() => derive(password, salt, 32, COST));
}

/** A password as it is stored: algorithm, salt and hash. */
export async function hashPassword(password: string): Promise<string> {
	const salt = randomBytes(16);
	return `scrypt$${salt.toString('base64')}$${(await hashed(password, salt)).toString('base64')}`;
}

/** Whether it is the password that is stored. */
export async function passwordFits(stored: string, password: string): Promise<boolean> {
	const [, salt, hash] = stored.split('$');
	const made = await hashed(password, Buffer.from(salt, 'base64'));
	return timingSafeEqual(made, Buffer.from(hash, 'base64'));
}

/** What is stored of a token. */
export const digest = (token: string) => createHash('sha256').update(token).digest();

/** Makes an account. @param a with the password as the person types it; null for a service */
export async function createAccount(
	db: Db,
	a: Omit<Account, 'id' | 'retired' | 'mustChange' | 'service'> & {
		password: string | null;
		mustChange?: boolean;
	}
): Promise<string> {
	const password = a.password === null ? null : await hashPassword(a.password);
	const { mustChange = false } = a;
	return insertAccount(db, { ...a, email: a.email.toLowerCase(), password, mustChange });
}

// what is compared when there is no such account, so that its absence does not show in the time taken
let nobody: Promise<string> | null = null;

export type SignIn =
	| { ok: true; token: string }
	| {
			ok: false;
			message: string;
			/** Seconds after which it may be tried again; 0 for at once. */
			wait: number;
	  };

/** Attempts that fail without a wait: of an address at an account, and of an address at all accounts. */
const FREE = { pair: 5, address: 40 };
/** Longest wait, seconds. */
const LONGEST = 300;

/** Seconds to wait after so many failed attempts: none at first, then twice as long each time. */
const waitAfter = (failed: number, free: number) =>
	failed < free ? 0 : Math.min(LONGEST, 2 ** Math.min(20, failed - free));

/**
 * Checks e-mail and password and opens a session. Who fails waits, by the address they come from and the
 * account they try, twice as long each time; somebody elsewhere is not kept waiting by it, so nobody can
 * lock another out. An attempt counts before its password is looked at, so a burst of them counts whole.
 */
export async function signIn(
	email: string,
	password: string,
	address: string,
	agent: string | null = null
): Promise<SignIn> {
	const key = email.trim().toLowerCase().slice(0, 200);
	const begun = await transaction(async (c) => {
		const { pair, of, since } = await countAttempts(c, key, address);
		const wait = Math.max(waitAfter(pair, FREE.pair), waitAfter(of, FREE.address));
		// attempts while one has to wait do not count, or a page that asks again would never get in
		return since < wait
			? { wait: Math.ceil(wait - since) }
			: { attempt: await noteAttempt(c, key, address) };
	});
	const known = await passwordOf(db(), key);
	const by = known ?? (await anyWorkspace(db()));
	const refused = (why: string) =>
		by
			? noteOf(
					db(),
					{ workspace: by.workspace, account: known?.id ?? null, who: key },
					'refused at sign-in',
					'',
					{ why }
				)
			: undefined;
	if ('wait' in begun) {
		const wait = begun.wait!;
		await refused('too many attempts');
		const span =
			wait < 90 ? `${wait} second${wait === 1 ? '' : 's'}` : `${Math.ceil(wait / 60)} minutes`;
		return { ok: false, wait, message: `Too many attempts. Wait ${span}, then try again.` };
	}
	nobody ??= hashPassword(randomBytes(16).toString('hex'));
	const fits = await passwordFits(known?.password ?? (await nobody), password.slice(0, 1000));
	if (!known || !fits) {
		await refused(known ? 'another password' : 'no such account');
		return { ok: false, wait: 0, message: 'E-mail and password do not fit together.' };
	}
	const token = randomBytes(32).toString('base64url');
	const who = { account: known.id, email: key, address, agent: agent?.slice(0, 300) ?? null };
	await transaction(async (c) => {
		await openSession(c, who, digest(token), SESSION_HOURS);
		await note(c, known, 'signed in');
	});
	return { ok: true, token };
}

/** The account of a session that has not ended, or null. */
export const accountOfSession = (c: Db, token: string) => sessionAccount(c, digest(token));

/** Ends the session that asks. */
export async function signOut(account: Account | null, token: string): Promise<void> {
	await transaction(async (c) => {
		await closeSession(c, digest(token));
		if (account) await note(c, account, 'signed out');
	});
}

/** Says what of a token cannot be. */
export class NoSuchToken extends Error {
	constructor(
		readonly input: string,
		message: string
	) {
		super(message);
	}
}

/**
 * Makes a token for the API; it is shown once and stored only as a hash.
 * @param by who makes it; it may have no right that they do not have
 * @param of the account it acts for
 * @throws {NoSuchToken}
 */
export async function createToken(
	by: Account,
	of: Account,
	t: Omit<NewToken, 'types'> & { types?: readonly string[] | null }
): Promise<string> {
	// operators make tokens for services as the administrator gave these their role
	if (!covers(by.role, t.role) && !of.service)
		throw new NoSuchToken('role', `You are ${by.role}: a token of yours cannot be ${t.role}.`);
	if (!covers(of.role, t.role))
		throw new NoSuchToken('role', `${of.name} is ${of.role}: a token for it cannot be ${t.role}.`);
	const token = `rr_${randomBytes(24).toString('base64url')}`;
	const { name, role, ends, types = null } = t;
	await transaction(async (c) => {
		await insertToken(c, of, { name, role, ends, types }, digest(token));
		await note(c, by, 'made a token', name, { actsFor: of.name, role, types, ends });
	});
	return token;
}

/** Takes a token back: it opens nothing any more. */
export async function revokeToken(by: Account, id: string): Promise<void> {
	await transaction(async (c) => {
		const name = await takeToken(c, by.workspace, id);
		if (name !== null) await note(c, by, 'revoked a token', name);
	});
}

/** The account a token of the API stands for, or null. */
export const accountOfToken = (c: Db, token: string) => tokenAccount(c, digest(token));
