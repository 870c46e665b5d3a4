/** Import of a CSV file (RFC 4180): one change for each row, in order, each with its outcome. */
import { parse } from 'csv-parse/sync';
import type { Field, Schema } from '../../core';
import { fromText, toJson } from '../../core';
import { nameKey } from '../../core/feel/language';
import { db } from '../db/pool';
import type { SaveOutcome, Sender, Submission } from '.';
import { RefusedChange, inForce, keysOf, saveInOrder } from '.';

/** Largest file and longest line that is read, in characters. */
export const MAX_IMPORT = 20_000_000;
const MAX_LINE = 100_000;
const MAX_ROWS = 100_000;
/** Rows whose changes share a transaction; each is a change of its own all the same. */
const TOGETHER = 200;

export interface ImportRow {
	/** Line of the file, the heading being line 1. */
	line: number;
	outcome: SaveOutcome | null;
	faults: { field: string | null; message: string }[];
}

export type ImportResult =
	{ ok: true; columns: string[]; rows: ImportRow[] } | { ok: false; message: string };

/** Reads the heading and rows of a CSV text; says where it is malformed. */
export function readCsv(
	text: string
):
	| { ok: true; head: string[]; rows: { line: number; cells: string[] }[] }
	| { ok: false; message: string } {
	if (text.length > MAX_IMPORT)
		return {
			ok: false,
			message: `A file may have ${MAX_IMPORT / 1e6} million characters; this one has ${text.length}.`
		};
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
			return {
				ok: false,
				message: `Line ${err.lines ?? 1}: a line may have ${MAX_LINE} characters. Is a quotation mark missing?`
			};
		return {
			ok: false,
			message: `Line ${err.lines ?? 1}: the quotation marks do not match up. A quotation mark inside a value is doubled.`
		};
	}
	if (!records.length)
		return { ok: false, message: 'The file is empty. Its first line names the fields.' };
	if (records.length - 1 > MAX_ROWS)
		return {
			ok: false,
			message: `A file may have ${MAX_ROWS} rows; this one has ${records.length - 1}.`
		};
	return {
		ok: true,
		head: records[0].record.map((h) => h.trim()),
		rows: records.slice(1).map((r) => ({ line: r.info.lines, cells: r.record }))
	};
}

/**
 * Which field each column is: by label or identity, behind a dot the key by which a link is given;
 * null is `No.`, which names the record to change.
 */
function columnsOf(
	schema: Schema,
	type: string,
	head: string[]
): { columns: (Column | null)[]; unknown: string[] } {
	const { fields } = schema.type(type).type;
	const unknown: string[] = [];
	const columns = head.map((h): Column | null => {
		const key = nameKey(h);
		if (key === 'no.' || key === 'id') return null;
		const f = named(fields, h);
		if (f) return { field: f.id };
		// `Customer.VAT number`: the link, by a key of the record it points to
		const dot = h.indexOf('.');
		const link = dot < 0 ? undefined : named(fields, h.slice(0, dot));
		const by = link?.target && named(keysOf(schema, link.target), h.slice(dot + 1));
		if (link && by) return { field: link.id, by };
		unknown.push(h);
		return { field: '' };
	});
	return { columns, unknown };
}

/** A column of a file: a field, and for a link the key by which its record is given. */
interface Column {
	field: string;
	by?: Field;
}

const named = (fields: readonly Field[], name: string) =>
	fields.find((f) => nameKey(f.label) === nameKey(name.trim()) || f.id === name.trim());

/**
 * Imports a file. A row with a number changes that record, others make a new one; an empty cell
 * of a new record is not sent, one of an existing record clears the field.
 * @param keep fields whose value in the file stands against rules that follow
 */
export async function importCsv(
	sender: Sender,
	type: string,
	text: string,
	keep: string[]
): Promise<ImportResult> {
	const csv = readCsv(text);
	if (!csv.ok) return csv;
	const { schema } = await inForce(db(), sender.workspace);
	const { columns, unknown } = columnsOf(schema, type, csv.head);
	const label = (c: Column | null) =>
		c ? `${schema.field(type, c.field)!.label}${c.by ? `.${c.by.label}` : ''}` : 'No.';
	if (unknown.length) {
		const known = schema
			.type(type)
			.type.fields.map((f) => f.label)
			.join(', ');
		return {
			ok: false,
			message: `Line 1: no field is called ${unknown.map((u) => `“${u}”`).join(', ')}. The fields are: ${known}. A link may be given by a key of its record: “Customer.VAT number”.`
		};
	}
	const doubled = columns.find((c, i) => c && columns.findIndex((x) => x?.field === c.field) !== i);
	if (doubled)
		return {
			ok: false,
			message: `Line 1: ${schema.field(type, doubled.field)!.label} is there twice.`
		};
	const rows: ImportRow[] = [];
	let waiting: { row: ImportRow; submission: Submission }[] = [];
	const settleWaiting = async () => {
		const outcomes = await saveInOrder(
			sender,
			waiting.map((x) => [x.submission])
		);
		outcomes.forEach((o, i) => {
			const { row } = waiting[i];
			if (o instanceof RefusedChange) row.faults.push(...o.faults);
			else [row.outcome] = o;
		});
		waiting = [];
	};
	for (const { line, cells } of csv.rows) {
		const row: ImportRow = { line, outcome: null, faults: [] };
		rows.push(row);
		if (cells.length > columns.length) {
			row.faults.push({
				field: null,
				message: `This row has ${cells.length} cells under ${columns.length} headings.`
			});
			continue;
		}
		let id: string | null = null;
		const sent: [string, unknown][] = [];
		columns.forEach((column, i) => {
			const cell = cells[i];
			if (cell === undefined) return;
			if (column === null) id = cell.trim() || null;
			else if (column.by) sent.push([column.field, cell.trim() ? { [column.by.id]: cell } : null]);
			else {
				const { field } = column;
				const r = fromText(schema.field(type, field)!, cell, schema);
				if (!r.ok) row.faults.push({ field, message: r.message });
				else sent.push([field, toJson(r.value)]);
			}
		});
		if (row.faults.length) continue;
		const given = id === null ? sent.filter(([, v]) => v !== null) : sent;
		if (id === null && !given.length) {
			row.faults.push({ field: null, message: 'This row is empty.' });
			continue;
		}
		waiting.push({ row, submission: { type, id, sent: given, keep } });
		if (waiting.length === TOGETHER) await settleWaiting();
	}
	await settleWaiting();
	return {
		ok: true,
		columns: columns.map(label),
		rows
	};
}
