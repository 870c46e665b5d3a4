/** Who may sign in: people are added, given a role, retired and taken back, and have their passwords. */
import { randomInt, randomUUID } from 'node:crypto';
import { dictionary } from '@zxcvbn-ts/language-common';
import { personShown, refuseStale, type Shown } from '../../door/shown';
import { note } from '../audit/audit';
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

/** What is guessed first. */
const USUAL: ReadonlySet<string> = new Set(
	dictionary['passwords-common'].map((p) => p.toLowerCase())
);
/** Whether it is one of the usual passwords, also with digits and signs behind it. */
const isUsual = (lower: string) =>
	USUAL.has(lower) || USUAL.has(lower.replace(/[\d\W_]+$/, '')) || /^(.)\1*$/u.test(lower);

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

/** Who does it: an account, or whoever runs the server. */
export type By = { id: string | null; workspace: string; name: string };

type New = { name: string; email: string; role: Role; person: string | null };

/** Stores an account and notes who made it. @throws {NotThisPerson} when the address is taken */
async function add(by: By, p: New & { password: string | null }): Promise<string> {
	const { name, role, email, person, password } = p;
	const taken = () =>
		new NotThisPerson('email', `There is already somebody with the address ${email}.`);
	if (await isTaken(db(), email, null)) throw taken();
	const service = password === null;
	try {
		return await transaction(async (c) => {
			const id = await createAccount(c, { ...p, workspace: by.workspace, mustChange: !service });
			const of = service ? { role } : { role, email, person };
			await note(c, by, service ? 'added a service' : 'added a person', name, of);
			return id;
		});
	} catch (e) {
		// somebody else was added with it in the same moment
		if ((e as { code?: string }).code === '23505') throw taken();
		throw e;
	}
}

/**
 * Adds a person, with a password that is told once and changed at the first sign-in.
 * @throws {NotThisPerson}
 */
export async function addPerson(by: By, p: New): Promise<{ id: string; password: string }> {
	const password = passwordOnce();
	const id = await add(by, { ...p, email: p.email.trim().toLowerCase(), password });
	return { id, password };
}

/** Adds a service: an account for a program, which has tokens and signs in nowhere. */
export const addService = (by: By, s: { name: string; role: Role }): Promise<string> =>
	add(by, { ...s, email: `${randomUUID()}@service.invalid`, person: null, password: null });

/** Changes what a person is called and may do, retires them, or takes them back. @throws {NotThisPerson} */
export async function changePerson(
	by: By,
	id: string,
	change: Partial<Pick<Account, 'name' | 'email' | 'role' | 'person'>> & { retired?: boolean },
	shown: Shown | null = null
): Promise<Account> {
	return transaction(async (c) => {
		const all = await lockAccounts(c, by.workspace);
		const had = all.find((a) => a.id === id);
		if (!had) throw new NotThisPerson('id', 'There is no such person any more.');
		refuseStale(shown, personShown(had));
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
		const did =
			!!next.retired === !!had.retired
				? 'changed a person'
				: next.retired
					? 'retired a person'
					: 'took a person back';
		const told = ({ name, email, role, person }: Account) => ({ name, email, role, person });
		await note(c, by, did, next.name, { was: told(had), now: told(next) });
		return next;
	});
}

/** Gives a person a new password, told once and changed at the next sign-in; their sessions end. @throws {NotThisPerson} */
export async function resetPassword(by: By, id: string): Promise<string> {
	const password = passwordOnce();
	const stored = await hashPassword(password);
	await transaction(async (c) => {
		const all = await lockAccounts(c, by.workspace);
		const whose = all.find((a) => a.id === id && !a.service);
		if (!whose) throw new NotThisPerson('id', 'There is no such person any more.');
		await storePassword(c, id, stored, true);
		await endSessions(c, id);
		await note(c, by, 'gave a password', whose.name);
	});
	return password;
}

/** Ends the sessions of somebody, who may sign in again. @returns how many there were */
export async function endSessionsOf(by: By, id: string): Promise<number> {
	return transaction(async (c) => {
		const whose = (await lockAccounts(c, by.workspace)).find((a) => a.id === id);
		if (!whose) throw new NotThisPerson('id', 'There is no such person any more.');
		const ended = await endSessions(c, id);
		if (ended) await note(c, by, 'ended sessions', whose.name, { sessions: ended });
		return ended;
	});
}

/** Whether somebody may choose a password. @throws {NotThisPerson} saying what it lacks */
export function ownPassword(
	password: string,
	who: { name: string; email: string },
	input = 'password'
): void {
	if ([...password].length < SHORTEST)
		throw new NotThisPerson(input, `A password has at least ${SHORTEST} characters.`);
	const lower = password.toLowerCase();
	if (isUsual(lower))
		throw new NotThisPerson(
			input,
			'Many people use this password: it is among the first that are guessed.'
		);
	if (lower.includes(who.email.split('@')[0]) || lower === who.name.toLowerCase())
		throw new NotThisPerson(input, 'A password is not made of your name or address.');
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
	if (next === given.old) throw new NotThisPerson('next', 'That is the password you have.');
	ownPassword(next, who, 'next');
	const stored = await hashPassword(next);
	await transaction(async (c) => {
		await storePassword(c, who.id, stored, false);
		await endSessions(c, who.id, { but: digest(session) });
		await note(c, who, 'changed a password', who.name);
	});
}

/** One's own sessions. */
export const sessionsOf = (c: Db, who: Account, session: string) =>
	openSessions(c, who.id, digest(session));

/** Ends one of one's own sessions, or all others. @returns how many */
export async function endOwnSessions(who: Account, session: string, only?: string) {
	return transaction(async (c) => {
		const n = await endSessions(c, who.id, only ? { only } : { but: digest(session) });
		if (n) await note(c, who, 'ended sessions', who.name, { sessions: n });
		return n;
	});
}
