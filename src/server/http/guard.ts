/** What every server route begins with: who asks, may they, and is what they sent sound. */
import { error, json } from '@sveltejs/kit';
import type { EntryPoint } from '../../core';
import type { Account, Role } from '../people/accounts';
import { mayAct } from '../people/accounts';
import { NotAnalysedInTime } from '../look/analysis';
import { NotFoundInTime } from '../look/suggest';
import { BadModel, ModelMoved } from '../draft/model';
import { RefusedChange } from '../records';
import { BadInput } from '../../door';

/** The account of a request, when its role reaches. @throws 401 or 403 */
export function allow(event: { locals: App.Locals }, role: Role): Account {
	const { account } = event.locals;
	if (!account) error(401, 'Sign in first.');
	if (!mayAct(account.role, role))
		error(403, `This needs the role ${role}; you are ${account.role}.`);
	return account;
}

/** Runs a JSON route; bad input and refused changes become answers that name the place. */
export async function answer(work: () => Promise<unknown>): Promise<Response> {
	try {
		return json((await work()) ?? {});
	} catch (e) {
		if (e instanceof BadInput) return json({ message: e.message }, { status: 400 });
		if (e instanceof NotAnalysedInTime || e instanceof NotFoundInTime)
			return json({ message: e.message }, { status: 503 });
		if (e instanceof BadModel)
			return json({ message: e.message, faults: e.faults }, { status: 400 });
		if (e instanceof ModelMoved) return json({ message: e.message }, { status: 409 });
		if (e instanceof RefusedChange)
			return json(
				{
					message: e.message,
					faults: e.faults,
					index: e.index,
					current: e.current,
					otherwise: e.otherwise
				},
				{ status: e.status }
			);
		throw e;
	}
}

/** The sender of a change made now by the person asking. */
export function senderOf(account: Account, entryPoint: EntryPoint) {
	return { workspace: account.workspace, account, entryPoint, instant: Date.now() };
}
