/** What every server route begins with: who asks, may they, and is what they sent sound. */
import { error, json, type RequestEvent } from '@sveltejs/kit';
import type { EntryPoint } from '../../core';
import { RIGHTS, ROLES, may, type Right, type Role } from '../../door/rights';
import { TooManyAtOnce, type Account } from '../people/accounts';
import { NotAnalysedInTime } from '../look/analysis';
import { NotFoundInTime } from '../look/suggest';
import { BadModel, ModelMoved } from '../draft/model';
import { NeedsSecond, NoSuchRelease } from '../draft/release';
import { DraftMoved } from '../draft/revision';
import { BulkBegun } from '../bulk/bulk';
import { NotTheirTable } from '../living/living';
import { TrialMoved } from '../draft/trials';
import { ViewMoved } from '../lists/views';
import { RefusedChange } from '../records';
import { BadInput } from '../../door';
import { dataFault } from '../db/trouble';
import { log } from './log';
import { doingOf } from './routes';

const NO_QUERY = new URLSearchParams();

/** What is asked of whom may come. */
type Asked = Pick<RequestEvent, 'locals' | 'route' | 'request' | 'url'>;

/** Whether the table of routes lets a request through; else with which status and why. */
export function refusal(event: Asked): { status: 401 | 403 | 405; message: string } | null {
	const { locals, route, request } = event;
	// the address is read where an action stands in it: what a load has read of it, it is run again for
	const query = request.method === 'POST' ? event.url.searchParams : NO_QUERY;
	const doing = doingOf(route.id, request.method, query);
	if (!doing) return { status: 405, message: `${request.method} does nothing at this address.` };
	if (doing.asks === 'anyone') return null;
	const { account } = locals;
	if (!account) return { status: 401, message: 'Sign in first.' };
	if (doing.asks === 'self' || may(account.role, doing.asks)) return null;
	return { status: 403, message: notAllowed(account.role, doing.asks) };
}

/** What somebody is told who lacks a right. */
export function notAllowed(role: Role, right: Right): string {
	const who = ROLES.filter((r) => may(r, right)).map((r) => `${r}s`);
	const told = who.length > 1 ? `${who.slice(0, -1).join(', ')} and ${who.at(-1)}` : who[0];
	return `You are ${role}. To ${RIGHTS[right]} is for ${told}.`;
}

/** The account of a request that the table of routes lets through. @throws 401, 403 or 405 */
export function allow(event: Asked): Account {
	const refused = refusal(event);
	if (refused) error(refused.status, refused.message);
	return event.locals.account!;
}

/**
 * The account of a request for any page; for the frame around the pages, which is not to be loaded again
 * for each of them as it would if it read the route. @throws 401
 */
export function whoAsks({ locals }: Pick<RequestEvent, 'locals'>): Account {
	return locals.account ?? error(401, 'Sign in first.');
}

/** @throws 403 where a token does not reach a record type */
export function reaches({ types, name }: Account, type: string): void {
	if (types && !types.includes(type))
		error(403, `This token of ${name} reaches ${types.join(', ')}, and not ${type}.`);
}

/**
 * Who asks for what is of no single record type. @param what nobody gets by a token that reaches some types only
 * @throws 401, 403 or 405
 */
export function allowAll(event: Asked, what: string): Account {
	const by = allow(event);
	const { types, name } = by;
	if (types) error(403, `This token of ${name} reaches ${types.join(', ')}, and not ${what}.`);
	return by;
}

/** Runs a JSON route; bad input and refused changes become answers that name the place. */
export const answer = (work: () => Promise<unknown>): Promise<Response> =>
	answered(async () => json((await work()) ?? {}));

/** The same for a route that makes its answer itself. */
export async function answered(work: () => Promise<Response>): Promise<Response> {
	try {
		return await work();
	} catch (e) {
		if (e instanceof BadInput) return json({ message: e.message }, { status: 400 });
		if (e instanceof NotAnalysedInTime || e instanceof NotFoundInTime || e instanceof TooManyAtOnce)
			return json({ message: e.message }, { status: 503, headers: { 'retry-after': '5' } });
		if (e instanceof BadModel)
			return json({ message: e.message, faults: e.faults }, { status: 400 });
		if (e instanceof NoSuchRelease) return json({ message: e.message }, { status: 404 });
		if (e instanceof NotTheirTable) return json({ message: e.message }, { status: 403 });
		if (e instanceof NeedsSecond) return json({ message: e.message }, { status: 403 });
		if (
			e instanceof ModelMoved ||
			e instanceof DraftMoved ||
			e instanceof ViewMoved ||
			e instanceof TrialMoved ||
			e instanceof BulkBegun
		)
			return json({ message: e.message }, { status: 409 });
		if (e instanceof RefusedChange) return json(refusedBody(e), { status: e.status });
		const fault = dataFault(e);
		if (fault) {
			log.warn({ err: e }, 'a value that cannot be stored came past the door');
			return json({ message: fault }, { status: 400 });
		}
		throw e;
	}
}

/** A refused change as it is answered. */
export const refusedBody = ({ message, faults, index, current, otherwise }: RefusedChange) => ({
	message,
	faults,
	index,
	current,
	otherwise
});

/** The sender of a change made now by the person asking. */
export function senderOf(account: Account, entryPoint: EntryPoint) {
	return { workspace: account.workspace, account, entryPoint, instant: Date.now() };
}
