/** Who may sign in: people are added, given a role, retired and taken back, and have their passwords. */
import { randomInt } from 'node:crypto';
import type { Account, Role } from '../db/people';
import {
	endSessions,
	isTaken,
	lockAccounts,
	openSessions,
	passwordOf,
	storePassword,
	updateAccount
} from '../db/people';
import type { Db } from '../db/pool';
import { db, transaction } from '../db/pool';
import { createAccount, digest, hashPassword, passwordFits } from './accounts';

/** What each role may do, for people. */
export const ROLE_SAYS: Record<Role, string> = {
	administrator: 'everything, people and tokens among it',
	author: 'write rules and the model, release, change records',
	reader: 'look at everything, change nothing'
};

/** What stands against it, at the input where it is wrong. */
export class NotThisPerson extends Error {
	constructor(
		readonly input: string,
		message: string
	) {
		super(message);
	}
}

/** Fewest characters of a password. NIST SP 800-63B-4, 3.1.1.2, asks for 15 where nothing else guards it, and 8 at least. */
export const SHORTEST = 10;

// no signs that are taken for each other
const LETTERS = 'abcdefghijkmnpqrstuvwxyz23456789';
/** A password to be told to somebody once: four groups, some 80 bits. */
export function passwordOnce(): string {
	const group = () => Array.from({ length: 4 }, () => LETTERS[randomInt(LETTERS.length)]).join('');
	return Array.from({ length: 4 }, group).join('-');
}

/** @throws {NotThisPerson} when nobody would be left who may add people */
function keepsAdministrator(all: readonly Account[], changed: Account) {
	const rest = all.map((a) => (a.id === changed.id ? changed : a));
	if (!rest.some((a) => a.role === 'administrator' && !a.retired))
		throw new NotThisPerson(
			'role',
			`${changed.name} is the last administrator. Make somebody else one first.`
		);
}

/**
 * Adds a person, with a password that is told once and changed at the first sign-in.
 * @throws {NotThisPerson}
 */
export async function addPerson(
	by: Account,
	p: { name: string; email: string; role: Role; person: string | null }
): Promise<{ id: string; password: string }> {
	const email = p.email.trim().toLowerCase();
	const password = passwordOnce();
	const taken = () =>
		new NotThisPerson('email', `There is already somebody with the address ${email}.`);
	if (await isTaken(db(), email, null)) throw taken();
	try {
		const { workspace } = by;
		const id = await createAccount(db(), { ...p, email, workspace, password, mustChange: true });
		return { id, password };
	} catch (e) {
		// somebody else was added with it in the same moment
		if ((e as { code?: string }).code === '23505') throw taken();
		throw e;
	}
}

/** Changes what a person is called and may do, retires them, or takes them back. @throws {NotThisPerson} */
export async function changePerson(
	by: Account,
	id: string,
	change: Partial<Pick<Account, 'name' | 'email' | 'role' | 'person'>> & { retired?: boolean }
): Promise<Account> {
	return transaction(async (c) => {
		const all = await lockAccounts(c, by.workspace);
		const had = all.find((a) => a.id === id);
		if (!had) throw new NotThisPerson('id', 'There is no such person any more.');
		const { retired, ...rest } = change;
		const email = (rest.email ?? had.email).trim().toLowerCase();
		const next: Account = {
			...had,
			...rest,
			email,
			retired: (retired ?? had.retired !== null) ? (had.retired ?? new Date().toISOString()) : null
		};
		if (email !== had.email && (await isTaken(c, email, id)))
			throw new NotThisPerson('email', `There is already somebody with the address ${email}.`);
		keepsAdministrator(all, next);
		await updateAccount(c, next);
		// what somebody may no longer do, no open page of theirs does
		if (next.retired && !had.retired) await endSessions(c, id);
		return next;
	});
}

/** Gives a person a new password, told once and changed at the next sign-in; their sessions end. @throws {NotThisPerson} */
export async function resetPassword(by: Account, id: string): Promise<string> {
	const password = passwordOnce();
	const stored = await hashPassword(password);
	await transaction(async (c) => {
		const all = await lockAccounts(c, by.workspace);
		if (!all.some((a) => a.id === id))
			throw new NotThisPerson('id', 'There is no such person any more.');
		await storePassword(c, id, stored, true);
		await endSessions(c, id);
	});
	return password;
}

/**
 * Changes one's own password; one's other sessions end.
 * @param session the token of the session that asks
 * @throws {NotThisPerson}
 */
export async function changePassword(
	who: Account,
	session: string,
	given: { old: string; next: string }
): Promise<void> {
	const known = await passwordOf(db(), who.email);
	if (!known || !(await passwordFits(known.password, given.old.slice(0, 1000))))
		throw new NotThisPerson('old', 'That is not your present password.');
	const next = given.next;
	if ([...next].length < SHORTEST)
		throw new NotThisPerson('next', `A password has at least ${SHORTEST} characters.`);
	if (next === given.old) throw new NotThisPerson('next', 'That is the password you have.');
	const lower = next.toLowerCase();
	if (lower.includes(who.email.split('@')[0]) || lower === who.name.toLowerCase())
		throw new NotThisPerson('next', 'A password is not made of your name or address.');
	const stored = await hashPassword(next);
	await transaction(async (c) => {
		await storePassword(c, who.id, stored, false);
		await endSessions(c, who.id, { but: digest(session) });
	});
}

/** One's own sessions. */
export const sessionsOf = (c: Db, who: Account, session: string) =>
	openSessions(c, who.id, digest(session));

/** Ends one of one's own sessions, or all others. */
export const endOwnSessions = (c: Db, who: Account, session: string, only?: string) =>
	endSessions(c, who.id, only ? { only } : { but: digest(session) });
