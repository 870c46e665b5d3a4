/** Records named by a file of keys: numbers, or values by which other systems know them. */
import { fromText, matchHows, matchKey } from '../../core';
import type { MatchKey, Schema } from '../../core';
import { BadInput } from '../../door';
import type { KeysAsked } from '../../door/lists';
import { MOST_CHOSEN } from '../../door/parts';
import type { Db } from '../db/pool';
import { idsThere } from '../db/records';
import { columnsByName, findStored, GUARDED, NUMBER, readCsv, type Row } from '../imports/rows';
import { keysOf } from '../records';

/** A line of the file that names no record, or several. */
export interface Unfound {
	line: number;
	text: string;
	why: string;
}

/** What a file of keys names. */
export interface FoundByKeys {
	/** Records, each once, in the order of the file. */
	ids: string[];
	/** Lines of the file that hold a key. */
	lines: number;
	/** Lines that named a record which an earlier one named. */
	again: number;
	/** How many lines name none or several, and the first of them. */
	unfound: number;
	first: Unfound[];
}

/** Lines that are told of those that name no record. */
const TOLD = 50;
/** Keys looked for with one statement. */
const PIECE = 5_000;

/** The lines with their keys: of the column that is named as asked; of a file of one column all, but a first line that names it. */
function keyLines(schema: Schema, { type, by, text }: KeysAsked): Row[] {
	const { head, rows } = readCsv(text);
	const named = columnsByName(schema, type, head).indexOf(by);
	const cell = (r: Row, i: number): Row[] => {
		const key = (r.cells[i] ?? '').replace(GUARDED, '').trim();
		return key ? [{ line: r.line, cells: [key] }] : [];
	};
	if (named >= 0) return rows.flatMap((r) => cell(r, named));
	if (head.length > 1) {
		const label = by === NUMBER ? NUMBER : schema.field(type, by)!.label;
		throw new BadInput(
			`Line 1 names no column “${label}”. With several columns the first line says what each is.`
		);
	}
	return [{ line: 1, cells: head }, ...rows].flatMap((r) => cell(r, 0));
}

/**
 * Finds the records that a file of keys names.
 * @throws {BadInput} where the file cannot be read, names too many, or the records have no such key
 */
export async function findByKeys(
	db: Db,
	schema: Schema,
	workspace: string,
	asked: KeysAsked
): Promise<FoundByKeys> {
	const { type, by } = asked;
	if (!schema.types.has(type)) throw new BadInput(`There is no record type “${type}”.`);
	const { label, plural } = schema.type(type).type;
	const field = keysOf(schema, type).find((f) => f.id === by);
	if (by !== NUMBER && !field)
		throw new BadInput(
			`${plural} are found by ${NUMBER} or by a field that is a key; “${by}” is none.`
		);
	const lines = keyLines(schema, asked);
	if (!lines.length) throw new BadInput('There is no key in it.');
	const of: (readonly string[])[] = [];
	const why = new Map<number, string>();
	for (let from = 0; from < lines.length; from += PIECE) {
		const some = lines.slice(from, from + PIECE);
		if (!field) {
			const numbers = some.map((l) => l.cells[0].replace(/^No\.?\s*/i, ''));
			const there = await idsThere(
				db,
				workspace,
				type,
				numbers.filter((n) => /^\d{1,18}$/.test(n))
			);
			// a number with zeros before it is the same number
			for (const n of numbers) {
				const plain = n.replace(/^0+(?=\d)/, '');
				of.push(there.has(plain) ? [plain] : []);
			}
			continue;
		}
		const [how] = matchHows(field);
		const wanted: MatchKey[] = [];
		const at = some.map((l, i) => {
			const r = fromText(field, l.cells[0], schema);
			if (!r.ok) why.set(from + i, r.message);
			const key = r.ok ? matchKey(how, r.value) : null;
			return key === null ? -1 : wanted.push({ field: field.id, how, key }) - 1;
		});
		const found = await findStored(db, workspace, schema)(type, wanted);
		for (const i of at) of.push(i < 0 ? [] : found[i]);
	}
	const ids = new Set<string>();
	const first: Unfound[] = [];
	let unfound = 0;
	let again = 0;
	of.forEach((found, i) => {
		if (found.length === 1) {
			if (ids.has(found[0])) again++;
			ids.add(found[0]);
			return;
		}
		unfound++;
		if (first.length < TOLD)
			first.push({
				line: lines[i].line,
				text: lines[i].cells[0].slice(0, 100),
				why: found.length
					? `names several ${plural.toLowerCase()}: numbers ${found.slice(0, 5).join(', ')}`
					: (why.get(i) ?? `names no ${label.toLowerCase()}`)
			});
	});
	if (ids.size > MOST_CHOSEN)
		throw new BadInput(
			`It names ${ids.size} ${plural.toLowerCase()}; ${MOST_CHOSEN} can be chosen at once.`
		);
	return { ids: [...ids], lines: lines.length, again, unfound, first };
}
