/**
 * The stand-in for a mail system: it takes every message whose address could be one, once, under a number of its
 * own, and sends nothing anywhere.
 */
import { keepMail, readStandIns } from '../db/stand-ins';
import type { Db } from '../db/pool';

/** A message to one address. */
export interface Mail {
	/** The same on every attempt, so that a message handed over just before a crash is not sent again. */
	id: string;
	workspace: string;
	to: string;
	subject: string;
	text: string;
}

/** What a mail system says to a message: a passing trouble is worth another attempt. */
export type MailAnswer =
	{ number: string; before: boolean } | { message: string; passing: boolean };

/** Takes a message. What it took stays taken, whatever becomes of whoever handed it over. */
export async function post(db: Db, mail: Mail): Promise<MailAnswer> {
	if ((await readStandIns(db, mail.workspace)).mailbox === 'away')
		return { message: 'The mail system is away.', passing: true };
	// one @ between two parts without spaces, as RFC 5321 (4.1.2) wants at the least
	if (!/^[^\s@]+@[^\s@]+$/.test(mail.to))
		return { message: `“${mail.to}” is no e-mail address.`, passing: false };
	// a name that no domain will ever have (RFC 2606, 2)
	if (/\.invalid$/i.test(mail.to))
		return {
			message: `There is no mailbox ${mail.to}: no domain ends in .invalid.`,
			passing: false
		};
	return keepMail(db, mail);
}
