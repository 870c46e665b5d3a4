/** Hands what lies in the outbox to the mail system, after the changes that sent it are kept. */
import { nextWaiting, noteHandedOver } from '../db/outbox';
import { transaction } from '../db/pool';
import { post } from './mail';

/** How often a message is tried before it counts as failed. */
const MOST_ATTEMPTS = 3;

/**
 * Hands waiting messages to the mail system, oldest first, each in a transaction of its own: one
 * that fails holds up no other. Several servers may do it at once. Returns how many were handled.
 */
export async function deliver(most = 100): Promise<number> {
	for (let done = 0; done < most; done++) {
		const found = await transaction(async (client) => {
			const m = await nextWaiting(client);
			if (!m) return false;
			const trouble = await post({ id: m.id, to: m.recipient, subject: m.subject, text: m.body });
			const again = trouble !== null && trouble.passing && m.attempts + 1 < MOST_ATTEMPTS;
			const status = again ? 'waiting' : trouble ? 'failed' : 'sent';
			await noteHandedOver(client, m.id, status, trouble?.message ?? null);
			return true;
		});
		if (!found) return done;
	}
	return most;
}
