/** Bulk changes: asked for and looked at, then carried out, then taken back if need be. */
import { BadInput } from '../../door';
import { MOST_BULK, type BulkAsked } from '../../door/bulk';
import { note } from '../audit/audit';
import { lockImport, readImport } from '../db/imports';
import {
	backOfImport,
	insertBulk,
	lockBulk,
	noteBulkJob,
	readBulk,
	tallyBulk,
	type Bulk
} from '../db/bulk';
import { insertJob, readJob } from '../db/jobs';
import type { Account } from '../db/people';
import type { Db } from '../db/pool';
import { db, transaction } from '../db/pool';
import { countOf } from '../lists/list';
import { inForce } from '../records';
import { readyBulk, tooMany } from './asked';

/** Of two who begin the same, the second hears so. */
export class BulkBegun extends Error {}

/** Takes in what is to be done, and begins to look at what that would do. @throws {BadInput} naming what does not fit */
export async function askBulk(by: Account, asked: BulkAsked): Promise<{ id: string }> {
	const { workspace } = by;
	const { type } = asked;
	// whatever does not fit is told now, and not by the job
	const { list, first } = await readyBulk({ workspace, type, asked }, by);
	const counted = list && first > MOST_BULK ? await countOf(db(), list) : null;
	if (counted?.more && counted.n >= MOST_BULK) throw tooMany();
	return transaction(async (c) => {
		const id = await insertBulk(c, { workspace, account: by.id, type, asked });
		await beginLook(c, by, id, type);
		return { id };
	});
}

/** Looks at a bulk change once more: the records may have changed. @throws {BadInput | BulkBegun} */
export async function lookAnew(by: Account, id: string): Promise<void> {
	await transaction(async (c) => {
		const bulk = await openBulk(c, by, id);
		await beginLook(c, by, id, bulk.type);
	});
}

/**
 * Brings records into line with the tables as an edit left them: looked at, and then carried out by itself.
 * @param by whoever edited
 */
export async function followEdit(
	c: Db,
	by: Pick<Account, 'id' | 'workspace'>,
	edit: number,
	{ type, field, ids }: { type: string; field: string; ids: readonly string[] }
): Promise<void> {
	const id = await insertBulk(c, {
		workspace: by.workspace,
		account: by.id,
		type,
		asked: { type, which: { ids }, does: { k: 'line', field }, spare: true, messages: false },
		edit
	});
	await beginLook(c, by, id, type);
}

async function beginLook(
	c: Db,
	by: Pick<Account, 'id' | 'workspace'>,
	id: string,
	type: string
): Promise<void> {
	const { schema } = await inForce(c, by.workspace);
	const job = await insertJob(c, {
		workspace: by.workspace,
		kind: 'bulk look',
		title: schema.types.get(type)?.type.plural ?? type,
		account: by.id,
		input: { bulk: id }
	});
	await noteBulkJob(c, id, 'look', job);
}

/** One of a workspace that nobody began yet, locked. @throws {BadInput | BulkBegun} */
async function openBulk(c: Db, by: Account, id: string): Promise<Bulk> {
	await lockBulk(c, id);
	const bulk = await readBulk(c, id, by.workspace);
	if (!bulk) throw new BadInput('There is no such bulk change.');
	if (bulk.job) throw new BulkBegun('This bulk change was begun already.');
	const look = bulk.look && (await readJob(c, bulk.look));
	if (look && !look.ended)
		throw new BulkBegun('It is being looked at just now. Wait for that, or stop it.');
	return bulk;
}

/** Carries out what was looked at. @throws {BadInput | BulkBegun} */
export const beginBulk = (by: Account, id: string): Promise<{ job: string }> =>
	transaction((c) => beginIn(c, by, id));

/** The same in a transaction. @throws {BadInput | BulkBegun} */
export async function beginIn(c: Db, by: Account, id: string): Promise<{ job: string }> {
	const bulk = await openBulk(c, by, id);
	const look = bulk.look && (await readJob(c, bulk.look));
	if (!look || look.state !== 'done')
		throw new BadInput('Look first at what it would do: the last look did not come to its end.');
	if (bulk.undoesImport) {
		await lockImport(c, bulk.undoesImport.id);
		if (await backOfImport(c, bulk.undoesImport.id))
			throw new BulkBegun('The import was taken back already.');
	}
	const { is } = await tallyBulk(c, id, 'look');
	if (!is.changed) throw new BadInput('No record would change: there is nothing to be done.');
	const { schema } = await inForce(c, by.workspace);
	const job = await insertJob(c, {
		workspace: by.workspace,
		kind: 'bulk change',
		title: `${is.changed} ${schema.types.get(bulk.type)?.type.plural.toLowerCase() ?? bulk.type}${bulk.asked ? '' : ', taken back'}`,
		account: by.id,
		input: { bulk: id },
		of: is.changed
	});
	await noteBulkJob(c, id, 'job', job);
	await note(
		c,
		by,
		bulk.undoesImport
			? 'took an import back'
			: bulk.asked
				? 'changed many records'
				: 'took a bulk change back',
		bulk.undoesImport?.name ?? schema.types.get(bulk.type)?.type.plural ?? bulk.type,
		{ bulk: id, records: is.changed, asked: bulk.asked }
	);
	return { job };
}

/** Asks for an import to be taken back, and looks at what that would do. @throws {BadInput | BulkBegun} */
export async function takeImportBack(by: Account, id: string): Promise<{ id: string }> {
	return transaction(async (c) => {
		await lockImport(c, id);
		const file = await readImport(c, id, by.workspace);
		const job = file?.job && (await readJob(c, file.job));
		if (!file || !job) throw new BadInput('Nothing was imported that could be taken back.');
		if (!job.ended) throw new BulkBegun('The import is under way. Stop it first.');
		if (await backOfImport(c, id)) throw new BulkBegun('It was taken back already.');
		const back = await insertBulk(c, {
			workspace: by.workspace,
			account: by.id,
			type: file.type,
			asked: null,
			undoesImport: id
		});
		await beginLook(c, by, back, file.type);
		return { id: back };
	});
}

/** Asks for a bulk change to be taken back, and looks at what that would do. @throws {BadInput | BulkBegun} */
export async function takeBack(by: Account, id: string): Promise<{ id: string }> {
	const { workspace } = by;
	return transaction(async (c) => {
		await lockBulk(c, id);
		const bulk = await readBulk(c, id, workspace);
		const job = bulk?.job && (await readJob(c, bulk.job));
		if (!bulk || !job) throw new BadInput('Nothing was done that could be taken back.');
		if (!job.ended) throw new BulkBegun('It is under way. Stop it first.');
		if (bulk.undoneBy) throw new BulkBegun('It was taken back already.');
		const back = await insertBulk(c, {
			workspace,
			account: by.id,
			type: bulk.type,
			asked: null,
			undoes: id
		});
		await beginLook(c, by, back, bulk.type);
		return { id: back };
	});
}
