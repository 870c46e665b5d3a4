/** Files of rows (CSV, RFC 4180): read, their columns matched to fields, each row made a change of its own. */
import { parse } from 'csv-parse/sync';
import type { Field, MatchKey, Schema, Value } from '../../core';
import { fromText, matchHows, matchKey, toJson } from '../../core';
import { nameKey } from '../../core/feel/language';
import { BadInput } from '../../door';
import type { Db } from '../db/pool';
import type { KeyAfter } from './key-after';
import { matchingIds } from '../db/records';
import type { SubmissionFault, Submission } from '../records';
import { keysOf } from '../records';

/** Largest file and longest line that is read, in characters. */
export const MAX_IMPORT = 20_000_000;
const MAX_LINE = 100_000;
const MAX_ROWS = 100_000;
/** A row of a file. */
export interface Row {
	/** Line of the file, the heading being line 1. */
	line: number;
	cells: string[];
}

/** Reads the heading and rows of a CSV text. @throws {BadInput} saying where it is malformed */
export function readCsv(text: string): { head: string[]; rows: Row[] } {
	if (text.length > MAX_IMPORT)
		throw new BadInput(
			`A file may have ${MAX_IMPORT / 1e6} million characters; this one has ${text.length}.`
		);
	const first = text.slice(0, text.indexOf('\n') + 1 || undefined);
	const delimiter = first.split(';').length > first.split(',').length ? ';' : ',';
	let records: { record: string[]; info: { lines: number } }[];
	try {
		records = parse(text, {
			bom: true,
			delimiter,
			info: true,
			relax_column_count: true,
			skip_empty_lines: true,
			max_record_size: MAX_LINE
		}) as unknown as typeof records;
	} catch (e) {
		const err = e as { code?: string; lines?: number; message: string };
		if (err.code === 'CSV_MAX_RECORD_SIZE')
			throw new BadInput(
				`Line ${err.lines ?? 1}: a line may have ${MAX_LINE} characters. Is a quotation mark missing?`
			);
		throw new BadInput(
			`Line ${err.lines ?? 1}: the quotation marks do not match up. A quotation mark inside a value is doubled.`
		);
	}
	if (!records.length) throw new BadInput('The file is empty. Its first line names the fields.');
	if (records.length - 1 > MAX_ROWS)
		throw new BadInput(`A file may have ${MAX_ROWS} rows; this one has ${records.length - 1}.`);
	return {
		head: records[0].record.map((h) => h.trim()),
		rows: records.slice(1).map((r) => ({ line: r.info.lines, cells: r.record }))
	};
}

/** The column that names the record to change. */
export const NUMBER = 'No.';

/** What a column is taken for: a field, `link.key`, {@link NUMBER}, or nothing. */
export type ColumnFor = string;

const named = (fields: readonly Field[], name: string) =>
	fields.find((f) => nameKey(f.label) === nameKey(name.trim()) || f.id === name.trim());

/** What each column is by its heading; empty for one that names no field. */
export function columnsByName(schema: Schema, type: string, head: readonly string[]): ColumnFor[] {
	const fields = schema.type(type).type.fields.filter((f) => !f.retired);
	return head.map((h) => {
		const key = nameKey(h);
		if (key === 'no.' || key === 'id') return NUMBER;
		const f = named(fields, h);
		if (f) return f.id;
		// `Customer.VAT number`: the link, by a key of the record it points to
		const dot = h.indexOf('.');
		const link = dot < 0 ? undefined : named(fields, h.slice(0, dot));
		const by = link?.target && named(keysOf(schema, link.target), h.slice(dot + 1));
		return link && by ? `${link.id}.${by.id}` : '';
	});
}

/** What a column may be taken for, with what it is called. */
export const columnChoices = (
	schema: Schema,
	type: string
): { value: ColumnFor; label: string }[] => [
	{ value: NUMBER, label: 'No. of the record' },
	...schema.type(type).type.fields.flatMap((f) =>
		f.retired
			? []
			: [
					{ value: f.id, label: f.label },
					...(f.target
						? keysOf(schema, f.target).map((k) => ({
								value: `${f.id}.${k.id}`,
								label: `${f.label}, by ${k.label}`
							}))
						: [])
				]
	)
];

/** How the rows of a file become changes. */
export interface Settings {
	columns: ColumnFor[];
	/** Fields whose value in the file stands against rules that follow. */
	keep: string[];
	/** The key by which a row finds its record; null for numbers, or new records alone. */
	by: string | null;
	/** With a key: what may become of a row. */
	mode: 'both' | 'create' | 'change';
}

/** Whether rows can be read by settings. @throws {BadInput} naming what cannot be */
export function checkSettings(
	schema: Schema,
	type: string,
	head: readonly string[],
	s: Settings
): void {
	const choices = columnChoices(schema, type);
	const label = (c: ColumnFor) => choices.find((x) => x.value === c)?.label ?? c;
	if (s.columns.length !== head.length)
		throw new BadInput(`The file has ${head.length} columns; ${s.columns.length} were said.`);
	const odd = s.columns.findIndex((c) => c && !choices.some((x) => x.value === c));
	if (odd >= 0)
		throw new BadInput(
			`The column “${head[odd].slice(0, 60)}” is taken for the field “${s.columns[odd].slice(0, 60)}”, which ${schema.type(type).type.label} does not have or has no more.`
		);
	const taken = s.columns.map((c) => c.split('.')[0]);
	const double = s.columns.find((c, i) => c && taken.indexOf(taken[i]) !== i);
	if (double)
		throw new BadInput(
			`Two columns are taken for ${label(double.split('.')[0])}. Leave one of them out.`
		);
	if (!s.columns.some((c) => c && c !== NUMBER))
		throw new BadInput('No column is taken for a field. Say what at least one of them is.');
	for (const k of s.keep)
		if (!schema.field(type, k))
			throw new BadInput(`There is no field “${k.slice(0, 60)}” to keep.`);
	if (s.by === null) return;
	const key = keysOf(schema, type).find((f) => f.id === s.by);
	if (!key)
		throw new BadInput(`“${s.by.slice(0, 60)}” is no key of ${schema.type(type).type.label}.`);
	if (!s.columns.includes(s.by))
		throw new BadInput(`Rows are to be found by ${key.label}, and no column is taken for it.`);
	if (s.columns.includes(NUMBER))
		throw new BadInput(`Rows are found by ${key.label} or by their number, not by both.`);
}

/** A row made ready: a change, or what is wrong with it. */
export interface Ready {
	line: number;
	submission: Submission | null;
	faults: SubmissionFault[];
}

/** Finds the records of a type that have each of some keys. */
export type Find = (type: string, keys: readonly MatchKey[]) => Promise<(readonly string[])[]>;

/** Finds them among the stored ones. */
export const findStored =
	(db: Db, workspace: string, schema: Schema): Find =>
	(type, keys) =>
		matchingIds(
			db,
			schema,
			workspace,
			type,
			keys.map((k) => [k])
		);

/** What was written by a sheet to keep a cell from being taken for a formula. */
export const GUARDED = /^'(?=[=+\-@\t\r])/;

/**
 * Makes rows ready to be saved. With a key, a row whose key stood in an earlier one of these rows is left for
 * the next piece, since it has to find what that one made.
 * @param find the records that have each key, lowest number first
 * @param after what rules make of the key; null where it is stored as it is sent
 * @returns those that are ready, in their order
 */
export async function readyRows(
	find: Find,
	schema: Schema,
	type: string,
	settings: Settings,
	rows: readonly Row[],
	after: KeyAfter | null
): Promise<Ready[]> {
	const read = rows.map((r) => readRow(schema, type, settings, r));
	if (settings.by === null) return read.map(({ ready }) => ready);
	const own = schema.field(type, settings.by)!;
	const [how] = matchHows(own);
	const made = (await after?.(read.map((r) => r.sent))) ?? [];
	// as it was sent, and as rules would store it
	const keys = read.map(({ sent }, i): MatchKey[] => {
		const both = [sent.get(own.id) ?? null, made[i] ?? null].map((v) => matchKey(how, v));
		return [...new Set(both)].flatMap((key) => (key === null ? [] : [{ field: own.id, how, key }]));
	});
	const seen = new Set<string>();
	const end = keys.findIndex((of) => {
		if (of.some((k) => seen.has(k.key))) return true;
		for (const k of of) seen.add(k.key);
		return false;
	});
	const piece = end < 0 ? read : read.slice(0, end);
	const wanted = keys.slice(0, piece.length).flat();
	const answers = await find(type, wanted);
	const found = new Map(wanted.map((k, i) => [k.key, answers[i]]));
	const { label, plural } = schema.type(type).type;
	return piece.map(({ ready }, i) => {
		if (!ready.submission) return ready;
		const refuse = (message: string): Ready => ({
			...ready,
			submission: null,
			faults: [{ field: own.id, message }]
		});
		const ids = keys[i].map((k) => found.get(k.key)!).find((of) => of.length) ?? [];
		const value = `${own.label} “${keys[i][0]?.key ?? ''}”`;
		if (ids.length > 1)
			return refuse(
				`Several ${plural.toLowerCase()} have ${value}: numbers ${ids.slice(0, 5).join(', ')}.`
			);
		if (ids.length && settings.mode === 'create')
			return refuse(`There is a ${label.toLowerCase()} with ${value} already: No. ${ids[0]}.`);
		if (!ids.length && settings.mode === 'change')
			return refuse(
				!keys[i].length
					? `${own.label} is blank, so the row names no ${label.toLowerCase()}.`
					: `No ${label.toLowerCase()} has ${value}.`
			);
		const { submission } = ready;
		return ids.length
			? { ...ready, submission: { ...submission, id: ids[0] } }
			: { ...ready, submission: { ...submission, sent: filled(submission.sent) } };
	});
}

/** An empty cell of a new record is not sent; one of an existing record clears the field. */
const filled = (sent: Submission['sent']) => sent.filter(([, v]) => v !== null);

function readRow(
	schema: Schema,
	type: string,
	{ columns, keep, by }: Settings,
	{ line, cells }: Row
): { ready: Ready; sent: Map<string, Value> } {
	const faults: SubmissionFault[] = [];
	const values = new Map<string, Value>();
	const refused = (): { ready: Ready; sent: typeof values } => ({
		ready: { line, submission: null, faults },
		sent: values
	});
	if (cells.length > columns.length) {
		const message = `This row has ${cells.length} cells under ${columns.length} headings.`;
		faults.push({ field: null, message });
		return refused();
	}
	let id: string | null = null;
	const sent: [string, unknown][] = [];
	columns.forEach((column, i) => {
		const cell = cells[i]?.replace(GUARDED, '');
		if (cell === undefined || !column) return;
		if (column === NUMBER) {
			id = cell.trim() || null;
			return;
		}
		const [field, key] = column.split('.');
		if (key) {
			sent.push([field, cell.trim() ? { [key]: cell } : null]);
			return;
		}
		const r = fromText(schema.field(type, field)!, cell, schema);
		if (!r.ok) faults.push({ field, message: r.message });
		else {
			values.set(field, r.value);
			sent.push([field, toJson(r.value)]);
		}
	});
	if (faults.length) return refused();
	if (id === null && !filled(sent).length) {
		faults.push({ field: null, message: 'This row is empty.' });
		return refused();
	}
	const given = id === null && by === null ? filled(sent) : sent;
	return { ready: { line, submission: { type, id, sent: given, keep }, faults }, sent: values };
}
