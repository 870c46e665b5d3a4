/** Addresses that are told of changes of records: making them, and telling them. */
import { randomBytes } from 'node:crypto';
import { Webhook } from 'standardwebhooks';
import { BadInput } from '../../door';
import type { HookAsked } from '../../door/forms';
import { hookShown, refuseStale, type Shown } from '../../door/shown';
import { note } from '../audit/audit';
import type { Attempt, Due, DueHook, Hook, HookState } from '../db/hooks';
import {
	MOST_HOOKS,
	deleteHook,
	dueHooks,
	insertHook,
	lockHooks,
	answeredBy,
	noteAttempt,
	noteReached,
	renewSecret,
	sendAgain,
	sendAllAgain,
	skipEvent,
	takeDue,
	updateHook
} from '../db/hooks';
import { db, transaction } from '../db/pool';
import type { Account } from '../people/accounts';
import { waitAfter } from './again';
import { NoAnswer, call, notToReach, type Called } from './call';
import { ownAddress } from './own-address';
import { EVENT_TYPE, eventId } from './told';

/** A secret as Standard Webhooks has it: 24 to 64 random bytes, in base64 behind a prefix. */
export const newSecret = (): string => `whsec_${randomBytes(32).toString('base64')}`;

/** Says which input of a hook cannot be taken. */
export class NotThisHook extends Error {
	constructor(
		readonly input: string,
		message: string
	) {
		super(message);
	}
}

/** @throws {NotThisHook} */
function checked(
	h: HookAsked,
	others: readonly { name: string }[]
): Pick<Hook, 'name' | 'address' | 'types'> {
	const same = others.find((o) => o.name.toLowerCase() === h.name.toLowerCase());
	if (same) throw new NotThisHook('name', `There is a webhook “${same.name}” already.`);
	if (!h.address) return { name: h.name, address: null, types: h.types };
	const url = new URL(h.address);
	if (url.username || url.password)
		throw new NotThisHook('address', 'A password has no place in the address: it would be shown.');
	const refused = notToReach(url);
	if (refused) throw new NotThisHook('address', refused);
	return { name: h.name, address: url.href, types: h.types };
}

/** What is kept in the audit of a hook: everything but its secret. */
const told = (h: Pick<Hook, 'name' | 'address' | 'types'> & { state?: HookState }) => ({
	address: h.address ?? 'the stand-in receiver',
	types: h.types ?? 'all',
	...(h.state ? { state: h.state } : {})
});

/**
 * Makes a hook. From the next change on its address is told.
 * @returns its number, and its secret, which is shown this once
 * @throws {NotThisHook}
 */
export async function makeHook(by: Account, h: HookAsked): Promise<{ id: string; secret: string }> {
	return transaction(async (client) => {
		const others = await lockHooks(client, by.workspace);
		if (others.length >= MOST_HOOKS)
			throw new NotThisHook('name', `There are ${MOST_HOOKS} webhooks already; delete one first.`);
		const hook = checked(h, others);
		const secret = newSecret();
		const id = await insertHook(client, by.workspace, { ...hook, secret, by: by.id });
		await note(client, by, 'made a webhook', hook.name, { now: told(hook) });
		return { id, secret };
	});
}

/** Runs work on a hook that is locked. @throws {BadInput} where there is none any more */
async function onHook<T>(
	by: Account,
	id: string,
	work: (
		client: Parameters<Parameters<typeof transaction>[0]>[0],
		hook: Awaited<ReturnType<typeof lockHooks>>[number],
		others: Awaited<ReturnType<typeof lockHooks>>
	) => Promise<T>
): Promise<T> {
	return transaction(async (client) => {
		const all = await lockHooks(client, by.workspace);
		const hook = all.find((h) => h.id === id);
		if (!hook) throw new BadInput('There is no such webhook any more.');
		return work(
			client,
			hook,
			all.filter((h) => h !== hook)
		);
	});
}

/**
 * Changes a hook; one that is changed or switched on is tried at once.
 * @param shown what whoever changes it saw @throws {NotThisHook} {BadInput} {StoredSince}
 */
export const changeHook = (
	by: Account,
	id: string,
	h: HookAsked & { state: HookState },
	shown: Shown | null = null
) =>
	onHook(by, id, async (client, was, others) => {
		refuseStale(shown, hookShown(was));
		const now = { ...checked(h, others), state: h.state };
		await updateHook(client, id, now);
		await note(client, by, 'changed a webhook', now.name, {
			was: { name: was.name, ...told(was) },
			now: told(now)
		});
	});

/** Gives a new secret, shown this once. For a day the former one signs as well. @throws {BadInput} */
export const newSecretOf = (by: Account, id: string): Promise<string> =>
	onHook(by, id, async (client, hook) => {
		const secret = newSecret();
		await renewSecret(client, id, secret);
		await note(client, by, 'changed a webhook', hook.name, { now: 'a new secret' });
		return secret;
	});

/** Deletes a hook with all it was to be told. @throws {BadInput} */
export const removeHook = (by: Account, id: string): Promise<string> =>
	onHook(by, id, async (client, hook) => {
		await deleteHook(client, id);
		await note(client, by, 'deleted a webhook', hook.name, { was: told(hook) });
		return hook.name;
	});

/** Sends an event again, or all that did not arrive. @returns how many @throws {BadInput} */
export const tellAgain = (by: Account, id: string, event: string | null): Promise<number> =>
	onHook(by, id, async (client, hook) => {
		const n = event ? Number(await sendAgain(client, id, event)) : await sendAllAgain(client, id);
		if (n) await note(client, by, 'sent events of a webhook again', hook.name, { event, n });
		return n;
	});

/** Leaves out an event that waits. @throws {BadInput} when it does not */
export const leaveOut = (by: Account, id: string, event: string): Promise<void> =>
	onHook(by, id, async (client, hook) => {
		if (!(await skipEvent(client, id, event)))
			throw new BadInput('That event does not wait any more.');
		await note(client, by, 'left out an event of a webhook', hook.name, { event });
	});

// ---- telling -------------------------------------------------------------------------------------

/** Events of one hook that are under way at once, as long as it answers. */
const AT_ONCE = 8;
/** After so many attempts that failed one after the other a hook rests, and is then tried with one event. */
const TROUBLED = 3;
/** The longest that a hook rests, milliseconds. */
const LONGEST_REST = 5 * 60_000;

/** The headers of Standard Webhooks: id, time, and a signature by each secret that counts. */
export function signedHeaders(
	id: string,
	at: Date,
	body: string,
	secrets: readonly string[]
): Record<string, string> {
	return {
		'content-type': EVENT_TYPE,
		'webhook-id': id,
		'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
		'webhook-signature': secrets.map((s) => new Webhook(s).sign(id, at, body)).join(' ')
	};
}

/** Statuses of the 4xx kind after which another attempt may go better (RFC 9110, RFC 6585, RFC 8470). */
const PASSING = new Set([401, 403, 404, 408, 409, 421, 423, 424, 425, 429]);

/** What an answer, or none, makes of an event. */
export function became(
	answer: Called | NoAnswer,
	e: Pick<Due, 'attempts' | 'age'>,
	hookFailed: number,
	chance?: number
): Attempt {
	if (!(answer instanceof NoAnswer)) {
		const { status: answered } = answer;
		if (answered >= 200 && answered < 300) return { status: 'taken', answered, trouble: null };
		const trouble = `Answered ${answered}${answer.text.trim() ? `: ${answer.text.trim().slice(0, 300)}` : '.'}`;
		if (answered === 410) {
			const off = 'It answered 410: there is nothing at this address any more.';
			return { status: 'waiting', answered, trouble, again: 0, off };
		}
		if (answered >= 400 && answered < 500 && !PASSING.has(answered))
			return { status: 'refused', answered, trouble };
		return failed(trouble, answered, answer.wait);
	}
	return failed(answer.message, null, 0);

	function failed(trouble: string, answered: number | null, asked: number): Attempt {
		const again = waitAfter(e.attempts + 1, e.age, asked, chance);
		const troubled = hookFailed + 1 - TROUBLED;
		const rest = Math.max(
			asked,
			troubled < 0
				? 0
				: Math.min(LONGEST_REST, waitAfter(troubled + 1, 0, 0, chance) ?? LONGEST_REST)
		);
		return again === null
			? {
					status: 'given up',
					answered,
					trouble: `${trouble} It was tried for three days.`,
					rest
				}
			: { status: 'waiting', answered, trouble, again, rest };
	}
}

/** @throws {NoAnswer} */
async function signedCall(url: URL, hook: DueHook, e: Due): Promise<Called> {
	if (hook.secret === null)
		throw new NoAnswer(
			'Nothing was sent: its secret is sealed by a key that is not in RIGID_SECRET_KEY. Set that key again, or give it a new secret.'
		);
	const secrets = hook.formerSecret ? [hook.secret, hook.formerSecret] : [hook.secret];
	const headers = signedHeaders(eventId(e), new Date(), e.body, secrets);
	return call(url, headers, e.body, { inside: hook.address === null });
}

/** One attempt to tell a hook of an event, and what came of it. */
async function tell(hook: DueHook, e: Due): Promise<Attempt> {
	const url = new URL(hook.address ?? `/outside/receiver/${hook.id}`, ownAddress());
	const answer = await signedCall(url, hook, e).catch((x: unknown) => {
		if (x instanceof NoAnswer) return x;
		throw x;
	});
	const came = became(answer, e, hook.failed);
	// of several that are under way at once each counts
	hook.failed = answeredBy(came) ? 0 : hook.failed + 1;
	await transaction((client) => noteAttempt(client, hook.id, e.id, came));
	return came;
}

/** Tells one hook of what is due, round after round until nothing is, or until it fails. @returns how many attempts */
async function tellHook(hook: DueHook, most: number): Promise<number> {
	let done = 0;
	while (done < most) {
		const due = await takeDue(db(), hook.id, hook.failed >= TROUBLED ? 1 : AT_ONCE);
		if (!due.length) break;
		// each ends in a transaction of its own; what the database did not take is tried again when it is held no more
		const ended = await Promise.allSettled(due.map((e) => tell(hook, e)));
		const came = ended.flatMap((x) => (x.status === 'fulfilled' ? [x.value] : []));
		if (came.some(answeredBy)) {
			const taken = came.filter((a) => a.status === 'taken').length;
			await noteReached(db(), hook.id, { taken, failed: hook.failed });
		}
		for (const x of ended) if (x.status === 'rejected') throw x.reason;
		done += due.length;
		const still = (await dueHooks(db())).find((h) => h.id === hook.id);
		if (!still) break;
		Object.assign(hook, still);
	}
	return done;
}

/** Tells hooks of what is due: each for itself, so that one that is slow holds up no other. @returns how many attempts */
export async function tellHooks(most = 1_000): Promise<number> {
	const hooks = await dueHooks(db());
	const ended = await Promise.allSettled(hooks.map((h) => tellHook(h, most)));
	for (const x of ended) if (x.status === 'rejected') throw x.reason;
	return ended.reduce((n, x) => n + (x.status === 'fulfilled' ? x.value : 0), 0);
}
