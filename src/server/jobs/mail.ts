/**
 * The stand-in for a mail system: it takes every message whose address could be one, and sends
 * nothing anywhere. What it took is what the outbox shows as sent.
 */

/** A message to one address. */
export interface Mail {
	/** The same on every attempt, so that a message handed over just before a crash is not sent again. */
	id: string;
	to: string;
	subject: string;
	text: string;
}

/** Why a message was not taken; a passing trouble is worth another attempt. */
export interface MailTrouble {
	message: string;
	passing: boolean;
}

/** Takes a message; null when it was taken. */
export function post(mail: Mail): Promise<MailTrouble | null> {
	// one @ between two parts without spaces, as RFC 5321 (4.1.2) wants at the least
	const address = /^[^\s@]+@[^\s@]+$/.test(mail.to);
	return Promise.resolve(
		address ? null : { message: `“${mail.to}” is no e-mail address.`, passing: false }
	);
}
