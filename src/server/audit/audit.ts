/**
 * Notes who did what. Whatever does something notes it in its own transaction, so that neither is there
 * without the other; who asks, from where and under which number is known from the request that runs.
 */
import { AsyncLocalStorage } from 'node:async_hooks';
import { insertEntry, type Deed } from '../db/audit';
import type { Db } from '../db/pool';

/** The request that runs. */
export interface Asking {
	/** Its number, as the log and its answer have it. */
	request: string;
	/** Network address from which it came. */
	address: string | null;
}

const asking = new AsyncLocalStorage<Asking>();

/** Runs work for a request. */
export const forRequest = <T>(a: Asking, work: () => T): T => asking.run(a, work);

/** The most characters of what is told of a deed; of more only how much it was. */
const MOST = 50_000;

/**
 * Notes that an account did something.
 * @param object to what, for people
 * @param detail what it was before and after, as far as that is told
 */
export async function note(
	db: Db,
	by: { id: string | null; workspace: string; name: string },
	did: Deed,
	object = '',
	detail?: unknown
): Promise<void> {
	await noteOf(db, { workspace: by.workspace, account: by.id, who: by.name }, did, object, detail);
}

/** The same, where nobody is signed in: by what was typed. */
export async function noteOf(
	db: Db,
	by: { workspace: string; account: string | null; who: string },
	did: Deed,
	object = '',
	detail?: unknown
): Promise<void> {
	const { request = null, address = null } = asking.getStore() ?? {};
	const length = detail === undefined ? 0 : JSON.stringify(detail).length;
	const told = length > MOST ? { tooLong: length } : detail;
	await insertEntry(db, { ...by, did, object, detail: told, address, request });
}
