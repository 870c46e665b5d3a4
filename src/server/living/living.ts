/**
 * Living tables: rows edited by those who keep them, in force at once. An edit is pieces, one a row, that apply where
 * what they found still stands; it is checked against the table as it is in force, journaled, and followed by a look
 * which records it concerns.
 */
import { randomUUID } from 'node:crypto';
import {
	MAX_ROWS,
	cellText,
	countEdits,
	editedRows,
	editsByKey,
	keyColumns,
	own,
	rowFaults,
	turnedBack,
	withRows,
	type JsonValue,
	type LivingRow,
	type LivingRows,
	type ReferenceTable,
	type RowEdit,
	type Schema
} from '../../core';
import { BadInput } from '../../door';
import { LARGE_EDIT, type EditorsChange, type RowsAsked, type RowsSent } from '../../door/living';
import { may } from '../../door/rights';
import { note } from '../audit/audit';
import { betweenChanges } from '../db/between';
import {
	editedBy,
	lastOf,
	listEdits,
	noteEditLook,
	readEdit,
	changeEditors,
	readEditors,
	rowsAt,
	storeEdit
} from '../db/living';
import { announce } from '../db/notices';
import type { Account } from '../db/people';
import { pilotOn } from '../db/pilot';
import { db, transaction, type Db } from '../db/pool';
import { readValues } from '../db/records';
import { hashOfEdits, readRehearsal } from '../db/rehearsals';
import { holdRelease, readDraft, readRelease, rulesOf, type ReleaseDocument } from '../db/rules';
import { queueLineOfEdit } from '../jobs/line';
import { queueRehearsal } from '../jobs/rehearsal';
import { inForce } from '../records';

/** Somebody may not edit this table. */
export class NotTheirTable extends Error {}

/** Rows that somebody else made otherwise meanwhile: nothing was stored. */
export interface RowsOvertaken {
	overtaken: {
		id: string;
		stands: LivingRow['cells'] | null;
		by: string | null;
		at: string | null;
	}[];
}

/** Whether somebody may edit the rows of a table: administrators any, others those that they were given. */
export async function mayEditRows(c: Db, by: Account, table: string): Promise<boolean> {
	if (may(by.role, 'settings')) return true;
	return (own(await readEditors(c, by.workspace), table) ?? []).includes(by.id);
}

/** A table as it is in force. @throws {BadInput} when it is not, or its rows are part of the draft */
function livingTable(doc: ReleaseDocument | null, id: string): ReferenceTable {
	const table = doc?.tables?.find((t) => t.id === id);
	if (!table)
		throw new BadInput(
			'There is no such table in the release in force: its rows are in the draft.'
		);
	if (!table.living)
		throw new BadInput(
			`The rows of “${table.label}” are part of the draft, and count when it is released.`
		);
	return table;
}

async function formOf(c: Db, by: Account, id: string) {
	const release = await holdRelease(c, by.workspace);
	const doc = release ? await readRelease(c, by.workspace, release) : null;
	const table = livingTable(doc, id);
	if (!(await mayEditRows(c, by, id)))
		throw new NotTheirTable(
			`You may not edit the rows of “${table.label}”. An administrator says who may, on the page of the table.`
		);
	return { doc: doc!, table: await withDrawn(c, by.workspace, table) };
}

/** With the columns that the draft adds: they can be filled before they count. */
async function withDrawn(c: Db, workspace: string, table: ReferenceTable): Promise<ReferenceTable> {
	const { set } = await readDraft(c, workspace);
	const drawn = set.tables?.find((t) => t.id === table.id);
	const more = (drawn?.columns ?? []).filter((x) => !table.columns.some((y) => y.id === x.id));
	return more.length ? { ...table, columns: [...table.columns, ...more] } : table;
}

/** A row in words: its keys. */
function called(table: ReferenceTable, cells: LivingRow['cells'], schema: Schema): string {
	const said = keyColumns(table).map((id) => {
		const column = table.columns.find((c) => c.id === id)!;
		return cellText(column, cells[id] ?? null, schema) || '–';
	});
	return said.join(' ');
}

/** @throws {BadInput} naming the row and the column of a value that does not fit */
async function mustFit(
	c: Db,
	workspace: string,
	table: ReferenceTable,
	schema: Schema,
	edits: readonly RowEdit[]
) {
	const rows = edits.flatMap(({ id, after }) => (after ? [{ id, cells: after }] : []));
	const known = new Set(table.columns.map((x) => x.id));
	for (const { before, after } of edits) {
		// what stood in a column that the table has no longer may stay
		const more = Object.keys(after ?? {}).find(
			(x) => !known.has(x) && own(before ?? {}, x) === undefined
		);
		if (more) throw new BadInput(`“${table.label}” has no column “${more}”.`);
	}
	const [fault] = rowFaults(table, rows, schema);
	if (fault) {
		const row = fault.row === undefined ? null : rows[fault.row];
		const message = fault.message.replace(/^Row \d+: /, '');
		throw new BadInput(row ? `The row ${called(table, row.cells, schema)}: ${message}` : message);
	}
	for (const column of table.columns.filter((x) => x.type === 'link')) {
		const asked = new Map<string, LivingRow>();
		for (const r of rows) {
			const to: JsonValue = r.cells[column.id] ?? null;
			if (typeof to === 'string' && !asked.has(to)) asked.set(to, r);
		}
		const there = await readValues(c, schema, workspace, column.target!, [...asked.keys()]);
		for (const { id } of there) asked.delete(id);
		for (const [id, r] of asked)
			throw new BadInput(
				`The row ${called(table, r.cells, schema)}: ${column.label} has no ${schema.type(column.target!).type.label.toLowerCase()} with number ${id}.`
			);
	}
}

/** @throws {BadInput} when an edit of many rows was not looked at as it is, by the release in force */
async function mustBeLookedAt(
	c: Db,
	workspace: string,
	{ table, release }: { table: string; release: number },
	edits: readonly RowEdit[],
	look: string | null
) {
	if (edits.length <= LARGE_EDIT) return;
	const seen = look && (await readRehearsal(c, workspace, look));
	if (!seen || seen.after !== release || seen.rows?.hash !== hashOfEdits(table, edits))
		throw new BadInput(
			`This edits ${edits.length} rows at once. Look first at what it would do; an edit of up to ${LARGE_EDIT} rows counts without.`
		);
}

/**
 * Edits rows of a living table. All of it counts from here on, or nothing where somebody else was first.
 * @returns the number of the edit
 * @throws {BadInput | NotTheirTable}
 */
export async function editRows(
	by: Account,
	id: string,
	asked: RowsAsked,
	undoes?: number
): Promise<{ number: number } | RowsOvertaken> {
	return transaction(async (c) => {
		// changes of records that are under way see the rows as they were, and are over before the first look
		await betweenChanges(c, by.workspace);
		return makeEdit(c, by, id, asked, undoes);
	});
}

/** Makes an edit while no other is made: the rows must be locked. */
async function makeEdit(
	c: Db,
	by: Account,
	id: string,
	asked: RowsAsked,
	undoes?: number
): Promise<{ number: number } | RowsOvertaken> {
	const { workspace } = by;
	const { doc, table } = await formOf(c, by, id);
	const { schema, release } = await inForce(c, workspace);
	const { rows } = await rowsAt(c, workspace);
	const edited = editedRows(own(rows, id) ?? [], asked.edits);
	if (edited.overtaken.length) return overtakenIn(c, workspace, id, rows, edited.overtaken);
	if (edited.rows.length > MAX_ROWS)
		throw new BadInput(`A table may have ${MAX_ROWS} rows; this would have ${edited.rows.length}.`);
	await mustFit(c, workspace, table, schema, asked.edits);
	const looked = { table: id, release };
	if (undoes === undefined) await mustBeLookedAt(c, workspace, looked, asked.edits, asked.look);
	const { label } = table;
	const number = await storeEdit(c, workspace, {
		table: id,
		label,
		account: by.id,
		why: asked.why,
		brings: asked.brings,
		edits: asked.edits,
		...(undoes === undefined ? {} : { undoes })
	});
	const edit = { number, table: id, label };
	const pilot = await pilotOn(c, workspace);
	const tried = pilot && (await readRelease(c, workspace, pilot.release));
	const sets = [doc, ...(tried ? [tried] : [])].map(rulesOf);
	const look = await queueLineOfEdit(c, workspace, schema, sets, by.id, edit);
	if (look) await noteEditLook(c, workspace, number, look);
	const did = undoes === undefined ? 'edited rows of a table' : 'took an edit of rows back';
	await note(c, by, did, label, {
		edit: number,
		...countEdits(asked.edits),
		...(asked.why ? { why: asked.why } : {}),
		...(undoes === undefined ? {} : { of: undoes })
	});
	await announce(c, { kind: 'rows', workspace, number });
	return { number };
}

/** What became of rows that were sent by their keys. */
export interface RowsTaken {
	/** The number of the edit; null where all of it stood already. */
	edit: number | null;
	added: number;
	changed: number;
	removed: number;
	/** Those to be removed that no row is found by, by their place. */
	notThere: number[];
}

/**
 * Edits rows that another system sends by their keys. Where it says which edit it saw, rows that stand otherwise since are
 * told, and nothing is stored; else the newest counts.
 * @throws {BadInput | NotTheirTable}
 */
export async function editRowsByKey(
	by: Account,
	id: string,
	sent: RowsSent
): Promise<RowsTaken | (RowsOvertaken & { places: string[] })> {
	const { workspace } = by;
	return transaction(async (c) => {
		// two that add the same row come one after the other, and add it once
		await betweenChanges(c, workspace);
		const { table } = await formOf(c, by, id);
		const { schema } = await inForce(c, workspace);
		const { rows } = await rowsAt(c, workspace);
		const seen = sent.edit === undefined ? rows : await rowsSeen(c, workspace, sent.edit);
		const mine = (all: LivingRows) => own(all, id) ?? [];
		const found = editsByKey(table, schema, mine(rows), sent, randomUUID, mine(seen));
		if (typeof found === 'string') throw new BadInput(found);
		const { edits, notThere, overtaken } = found;
		const places = overtaken.map((e) => e.place);
		if (places.length) return { ...(await overtakenIn(c, workspace, id, rows, overtaken)), places };
		const taken = { ...countEdits(edits), notThere };
		if (!edits.length) return { edit: null, ...taken };
		if (edits.length > LARGE_EDIT)
			throw new BadInput(
				`This edits ${edits.length} rows at once; by this road up to ${LARGE_EDIT} are. Send fewer, or edit them on the page of the table, which shows first what they would do.`
			);
		const { why, brings } = sent;
		const done = await makeEdit(c, by, id, { edits, why, brings, look: null });
		if ('overtaken' in done) throw new Error('Rows that are locked were edited by somebody else.');
		return { edit: done.number, ...taken };
	});
}

/** The rows after an edit that somebody saw. @throws {BadInput} where there is none */
async function rowsSeen(c: Db, workspace: string, edit: number): Promise<LivingRows> {
	if (!(await readEdit(c, workspace, edit))) throw new BadInput(`edit: there is no edit ${edit}.`);
	return (await rowsAt(c, workspace, edit)).rows;
}

/** A table as it is in force, with the rows that stand; null where there is none. */
export async function readTable(
	c: Db,
	workspace: string,
	id: string
): Promise<{ table: ReferenceTable; edit: number | null } | null> {
	const { release } = await inForce(c, workspace);
	const doc = release ? await readRelease(c, workspace, release) : null;
	const { rows } = await rowsAt(c, workspace);
	const table = doc && withRows(doc, rows).tables?.find((t) => t.id === id);
	if (!table) return null;
	const [last] = table.living ? await listEdits(c, workspace, id, 1) : [];
	return { table, edit: last?.number ?? null };
}

async function overtakenIn(
	c: Db,
	workspace: string,
	table: string,
	rows: LivingRows,
	overtaken: readonly { id: string }[]
): Promise<RowsOvertaken> {
	const at = new Map((own(rows, table) ?? []).map((r) => [r.id, r.cells]));
	const last = await lastOf(
		c,
		workspace,
		table,
		overtaken.map((e) => e.id)
	);
	return {
		overtaken: overtaken.map(({ id }) => ({
			id,
			stands: at.get(id) ?? null,
			by: last[id]?.by ?? null,
			at: last[id]?.at ?? null
		}))
	};
}

/** Takes an edit back, which is an edit itself. @throws {BadInput | NotTheirTable} */
export async function takeRowsBack(
	by: Account,
	table: string,
	number: number,
	brings: boolean
): Promise<{ number: number } | RowsOvertaken> {
	const edit = await readEdit(db(), by.workspace, number);
	if (!edit || edit.table !== table) throw new BadInput('There is no such edit of this table.');
	if (edit.undoneBy !== null) throw new BadInput('This edit was taken back already.');
	const edits = turnedBack(await editedBy(db(), by.workspace, table, number));
	return editRows(by, table, { edits, why: '', brings, look: null }, number);
}

/** Looks at what an edit would do in the existing records. @returns the rehearsal @throws {BadInput | NotTheirTable} */
export async function lookAtRows(by: Account, id: string, edits: RowEdit[]): Promise<string> {
	const { workspace } = by;
	const { table, release } = await transaction(async (c) => {
		const { table } = await formOf(c, by, id);
		const { schema, release } = await inForce(c, workspace);
		await mustFit(c, workspace, table, schema, edits);
		return { table, release };
	});
	return queueRehearsal(by, {
		before: release,
		after: release,
		rows: { table: id, label: table.label, edits }
	});
}

/** Says who comes to edit the rows of a table, beside administrators, and who no longer does. @throws {BadInput} */
export async function sayEditors(
	by: Account,
	table: { id: string; label: string },
	change: EditorsChange
): Promise<void> {
	await transaction(async (c) => {
		await changeEditors(c, by.workspace, table.id, change);
		const now = own(await readEditors(c, by.workspace), table.id) ?? [];
		if (!change.add.every((a) => now.includes(a)))
			throw new BadInput(
				'One of them is not among the people of this workspace. Load the page again.'
			);
		await note(c, by, 'said who edits a table', table.label, { accounts: now });
	});
}
