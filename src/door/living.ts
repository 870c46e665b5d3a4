/** Edits of the rows of living tables as they come from outside. */
import * as yup from 'yup';
import type { JsonValue, RowEdit, SentRow, SentRows } from '../core';
import { MAX_ROWS } from '../core';
import { BadInput, check } from './check';
import { flag, only, text } from './parts';

/** Rows of one edit, at most. */
export const MOST_EDITED = 20_000;
/** An edit of more rows than these counts only once somebody looked at what it would do. */
export const LARGE_EDIT = 20;

const ID = /^[\w-]{1,40}$/;

const isValue = (v: unknown): v is JsonValue =>
	v === null ||
	typeof v === 'boolean' ||
	(typeof v === 'number' && Number.isFinite(v)) ||
	(typeof v === 'string' && v.length <= 2000) ||
	(Array.isArray(v) && v.length <= 200 && v.every((x) => typeof x === 'string' && x.length <= 200));

/** Why something is no row; null where it is one. */
function rowFault(v: unknown): string | null {
	if (v === null) return null;
	if (typeof v !== 'object' || Array.isArray(v)) return 'an object: column to value, or null';
	const all = Object.entries(v);
	if (all.length > 60) return 'of at most 60 columns';
	const bad = all.find(([k, x]) => !ID.test(k) || k === '__proto__' || !isValue(x));
	return bad ? `a value for each column; “${bad[0].slice(0, 60)}” has none` : null;
}

/** The rows of an edit. They are walked by hand: there may be many. @throws {BadInput} naming the place */
export function checkRowEdits(v: unknown): RowEdit[] {
	if (!Array.isArray(v) || !v.length || v.length > MOST_EDITED)
		throw new BadInput(`edits must be a list of 1 to ${MOST_EDITED} rows.`);
	const seen = new Set<string>();
	return v.map((e: unknown, i) => {
		const { id, before = null, after = null, ...rest } = (e ?? {}) as Record<string, unknown>;
		const fail = (message: string): never => {
			throw new BadInput(`edits[${i}]${message}`);
		};
		if (typeof id !== 'string' || !ID.test(id)) return fail('.id must be the identity of a row.');
		if (Object.keys(rest).length) fail(` knows no “${Object.keys(rest)[0].slice(0, 60)}”.`);
		if (seen.has(id)) fail(`.id: the row “${id}” is there twice.`);
		seen.add(id);
		for (const [name, row] of Object.entries({ before, after })) {
			const fault = rowFault(row);
			if (fault) fail(`.${name} must be ${fault}.`);
		}
		if (before === null && after === null) fail(' says neither what stood there nor what is to.');
		return { id, before, after } as RowEdit;
	});
}

/** An edit of rows that is to count. */
export interface RowsAsked {
	edits: RowEdit[];
	/** Why, for those who read it later. */
	why: string;
	/** The records that it concerns are brought into line. */
	brings: boolean;
	/** The rehearsal in which somebody looked at it. */
	look: string | null;
}

/** @throws {BadInput} naming the place */
export function checkRows(v: unknown): RowsAsked {
	const { edits, ...rest } = (v ?? {}) as Record<string, unknown>;
	const head = check<{ why?: string; brings: boolean; look?: string | null }>(
		only({
			why: yup.string().strict().max(500).optional(),
			brings: flag(),
			look: yup
				.string()
				.strict()
				.matches(/^[0-9a-f-]{36}$/, '${path} must be the identity of a rehearsal')
				.nullable()
				.optional()
		}),
		rest
	);
	return {
		edits: checkRowEdits(edits),
		why: head.why?.trim() ?? '',
		brings: head.brings,
		look: head.look ?? null
	};
}

/** Rows of a table as another system sends them. */
export interface RowsSent extends SentRows {
	/** Why, for those who read it later. */
	why: string;
	/** The records that they concern are brought into line. */
	brings: boolean;
	/** The edit after which the sender saw the table; left out where it counts whatever was edited since. */
	edit?: number;
}

function sentRows(name: string, v: unknown): SentRow[] {
	if (!Array.isArray(v) || v.length > MOST_EDITED)
		throw new BadInput(`${name} must be a list of at most ${MOST_EDITED} rows.`);
	return v.map((row: unknown, i) => {
		const fault = row === null ? 'an object: column to value' : rowFault(row);
		if (fault) throw new BadInput(`${name}[${i}] must be ${fault}.`);
		return row as SentRow;
	});
}

/** @throws {BadInput} naming the place */
export function checkRowsSent(v: unknown): RowsSent {
	const { rows = [], remove = [], ...rest } = (v ?? {}) as Record<string, unknown>;
	const head = check<{ why?: string; brings?: boolean; edit?: number }>(
		only({
			why: yup.string().strict().max(500).optional(),
			brings: yup.boolean().strict().optional(),
			edit: yup.number().strict().integer().min(1).max(999_999_999).optional()
		}),
		rest
	);
	const sent = { rows: sentRows('rows', rows), remove: sentRows('remove', remove) };
	if (!sent.rows.length && !sent.remove.length)
		throw new BadInput(
			'Send rows that are to be there as “rows”, those that are not to be there as “remove”.'
		);
	return {
		...sent,
		why: head.why?.trim() ?? '',
		brings: head.brings ?? false,
		...(head.edit === undefined ? {} : { edit: head.edit })
	};
}

/** An edit that somebody wants to look at. @throws {BadInput} naming the place */
export function checkRowsLook(v: unknown): RowEdit[] {
	const { edits, ...rest } = (v ?? {}) as Record<string, unknown>;
	check(only({}), rest);
	return checkRowEdits(edits);
}

/** Rows of a living table as a file. */
export interface RowsFile {
	format: 'rigid-rule/rows';
	version: 1;
	table: string;
	label: string;
	/** The edit after which they stood so. */
	edit: number;
	rows: { id: string; cells: Readonly<Record<string, JsonValue>> }[];
}

/** A file of rows. @throws {BadInput} naming the place */
export function checkRowsFile(v: unknown): RowsFile {
	const { format, version, table, rows, ...rest } = (v ?? {}) as Record<string, unknown>;
	if (format !== 'rigid-rule/rows') throw new BadInput('format must be "rigid-rule/rows".');
	if (version !== 1)
		throw new BadInput(`version must be 1; this is ${JSON.stringify(version)?.slice(0, 20)}.`);
	if (typeof table !== 'string' || !ID.test(table))
		throw new BadInput('table must be the identity of a table.');
	if (!Array.isArray(rows) || rows.length > MAX_ROWS)
		throw new BadInput(`rows must be a list of at most ${MAX_ROWS} rows.`);
	rows.forEach((r: unknown, i) => {
		const { id, cells } = (r ?? {}) as Record<string, unknown>;
		const fault = cells ? rowFault(cells) : 'an object: column to value';
		if (typeof id !== 'string' || !ID.test(id) || fault)
			throw new BadInput(`rows[${i}] must have an id, and cells that are ${fault ?? 'a row'}.`);
	});
	return { format, version, table, rows, label: '', edit: 0, ...rest } as RowsFile;
}

/** Taking an edit back. @throws {BadInput} naming the place */
export const checkRowsBack = (v: unknown) =>
	check<{ brings: boolean }>(only({ brings: flag() }), v);

const accounts = yup
	.array()
	.strict()
	.max(200)
	.of(text(20).matches(/^\d+$/, '${path} must be the number of a person'))
	.required();

/** Who may edit a table from now on, and who no more. */
export interface EditorsChange {
	add: string[];
	remove: string[];
}

/**
 * Who comes to edit a table, and who no longer does: not all who do, since somebody else may add one at the same moment.
 * @throws {BadInput} naming the place
 */
export const checkEditors = (v: unknown): EditorsChange =>
	check<EditorsChange>(only({ add: accounts, remove: accounts }), v);
