/** Hands what lies in the outbox to the mail system, after the changes that sent it are kept. */
import { note } from '../audit/audit';
import type { HandedOver, Waiting } from '../db/outbox';
import { handOverAgain, nextWaiting, noteHandedOver } from '../db/outbox';
import { db, transaction } from '../db/pool';
import type { Account } from '../people/accounts';
import { waitAfter } from './again';
import { post, type MailAnswer } from './mailbox';

/** What an answer makes of a message that waited. */
function became(m: Waiting, answer: MailAnswer): HandedOver {
	if ('number' in answer)
		return {
			status: 'sent',
			trouble: null,
			takenAs: answer.number,
			takenBefore: answer.before
		};
	if (!answer.passing) return { status: 'refused', trouble: answer.message };
	const again = waitAfter(m.attempts + 1, m.age);
	return again === null
		? { status: 'refused', trouble: `${answer.message} It was tried for three days.` }
		: { status: 'waiting', trouble: answer.message, again };
}

/**
 * Hands waiting messages to the mail system, oldest first, each in a transaction of its own: one
 * that fails holds up no other. Several servers may do it at once. Returns how many were handled.
 */
export async function deliver(most = 100): Promise<number> {
	for (let done = 0; done < most; done++) {
		const found = await transaction(async (client) => {
			const m = await nextWaiting(client);
			if (!m) return false;
			const { id, workspace, recipient: to, subject, body: text } = m;
			// outside this transaction: a mail system does not take back what it took
			const answer = await post(db(), { id, workspace, to, subject, text });
			await noteHandedOver(client, id, became(m, answer));
			return true;
		});
		if (!found) return done;
	}
	return most;
}

/**
 * Hands a message over once more. The mail system drops what it has already.
 * @returns whether there is such a message
 */
export async function again(by: Account, id: string): Promise<boolean> {
	return transaction(async (client) => {
		const subject = await handOverAgain(client, by.workspace, id);
		if (subject === null) return false;
		await note(client, by, 'handed a message over again', subject, { message: id });
		return true;
	});
}
