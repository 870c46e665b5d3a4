/** Named lists: kept by whoever changes records, for everybody; changed by who made them or an administrator. */
import { BadInput } from '../../door';
import type { ListAsked } from '../../door/lists';
import { note } from '../audit/audit';
import type { Account } from '../db/people';
import type { Db } from '../db/pool';
import { db, transaction } from '../db/pool';
import {
	MOST_VIEWS,
	deleteView,
	insertView,
	listViews,
	lockView,
	nameTaken,
	updateView,
	type View
} from '../db/views';
import { inForce } from '../records';

/** Somebody else changed what is to be changed. */
export class ViewMoved extends Error {}

/** Whether somebody may change or remove a view. */
export const mayChangeView = (account: Account, v: Pick<View, 'account'>) =>
	account.role === 'administrator' || (v.account !== null && v.account === account.id);

/** Keeps a list under a name. @throws {BadInput} when the name is taken, or too many are kept */
export async function keepView(
	account: Account,
	type: string,
	v: { name: string; list: ListAsked }
): Promise<{ id: string }> {
	const { workspace } = account;
	const { schema } = await inForce(db(), workspace);
	if (!schema.types.has(type)) throw new BadInput(`There is no record type “${type}”.`);
	return transaction(async (c) => {
		if ((await listViews(c, workspace, type)).length >= MOST_VIEWS)
			throw new BadInput(`There are ${MOST_VIEWS} views. Remove one before there are more.`);
		await freeName(c, workspace, type, v.name, null);
		const id = await insertView(c, workspace, type, account.id, v);
		await note(c, account, 'kept a view', v.name, { type });
		return { id };
	});
}

/**
 * Changes a view. @param version the one that its author saw
 * @throws {BadInput} when there is none, or it is somebody else's @throws {ViewMoved} when somebody changed it since
 */
export async function changeView(
	account: Account,
	id: string,
	version: number,
	v: { name: string; list: ListAsked }
): Promise<void> {
	await transaction(async (c) => {
		const had = await ownView(c, account, id);
		if (had.version !== version)
			throw new ViewMoved(
				`Somebody changed the view “${had.name}” since you opened it. Load it again, or keep yours under another name.`
			);
		await freeName(c, account.workspace, had.type, v.name, id);
		await updateView(c, account.workspace, id, v);
		await note(c, account, 'changed a view', v.name, { type: had.type });
	});
}

/** Removes a view. @throws {BadInput} when it is somebody else's; one that is gone is gone */
export async function removeView(account: Account, id: string): Promise<void> {
	await transaction(async (c) => {
		const had = await lockView(c, account.workspace, id);
		if (!had) return;
		await ownView(c, account, id);
		await deleteView(c, account.workspace, id);
		await note(c, account, 'removed a view', had.name, { type: had.type });
	});
}

async function ownView(c: Db, account: Account, id: string) {
	const had = await lockView(c, account.workspace, id);
	if (!had) throw new BadInput('There is no such view any more.');
	if (!mayChangeView(account, had))
		throw new BadInput(
			`The view “${had.name}” is ${had.by}'s: keep yours under a name of its own.`
		);
	return had;
}

async function freeName(
	c: Db,
	workspace: string,
	type: string,
	name: string,
	but: string | null
): Promise<void> {
	if (await nameTaken(c, workspace, type, name, but))
		throw new BadInput(`There is a view called “${name}” already.`);
}
