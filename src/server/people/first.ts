/** The first start without a demo: a workspace to begin with, and its first administrator. */
import type { Model } from '../../core';
import { note } from '../audit/audit';
import { createModel } from '../db/model';
import { db, transaction } from '../db/pool';
import {
	hasPeople,
	insertWorkspace,
	lockBeginning,
	putFirstCode,
	takeFirstCode,
	theWorkspace
} from '../db/workspace';
import { createAccount, digest } from './accounts';
import { NotThisPerson, ownPassword, passwordOnce } from './people';

/** What one begins with: the three record types, with a name each, to be changed from there. */
export const beginningModel = (zone: string): Model => ({
	zone,
	lists: [],
	types: (
		[
			['customer', 'Customer', 'Customers', null],
			['lead', 'Lead', 'Leads', null],
			['deal', 'Deal', 'Deals', 'customer']
		] as const
	).map(([id, label, plural, of]) => ({
		id,
		label,
		plural,
		title: 'name',
		short: ['name'],
		columns: ['name'],
		fields: [
			{ id: 'name', label: 'Name', group: 'Main', type: 'text' as const },
			...(of
				? [{ id: 'customer', label: 'Customer', group: 'Main', type: 'link' as const, target: of }]
				: [])
		]
	}))
});

/** Makes the workspace of an empty database, unless there is one. */
export async function beginWorkspace(w: { name: string; zone: string }): Promise<boolean> {
	return transaction(async (c) => {
		await lockBeginning(c);
		if (await theWorkspace(c)) return false;
		await insertWorkspace(c, { ...w, id: 'main', personType: null, demo: false });
		await createModel(c, 'main', beginningModel(w.zone));
		return true;
	});
}

/** The first administrator, as somebody says who they are. */
export interface First {
	name: string;
	email: string;
	password: string;
}

/**
 * Makes the first administrator. Of two at once one is made.
 * @param code the one that was printed; null where whoever runs the server says who it is
 * @throws {NotThisPerson}
 */
export async function makeFirst(first: First, code: string | null): Promise<void> {
	const { name, password } = first;
	const email = first.email.trim().toLowerCase();
	ownPassword(password, { name, email });
	await transaction(async (c) => {
		await lockBeginning(c);
		if (await hasPeople(c))
			throw new NotThisPerson('code', 'There is an administrator already. Sign in.');
		const workspace = (await theWorkspace(c))?.id;
		if (!workspace) throw new Error('There is no workspace yet.');
		if (code !== null && !(await takeFirstCode(c, digest(code.trim()))))
			throw new NotThisPerson('code', 'That is not the code. The newest one stands in the log.');
		const account = { workspace, email, name, role: 'administrator' as const, person: null };
		const id = await createAccount(c, { ...account, password });
		await note(c, { id, workspace, name }, 'added a person', name, {
			role: 'administrator',
			email,
			first: true
		});
	});
}

/** A new code for the first administrator; null when somebody can sign in already. */
export async function firstCode(): Promise<string | null> {
	if (await hasPeople(db())) return null;
	const code = passwordOnce();
	await putFirstCode(db(), digest(code));
	return code;
}
