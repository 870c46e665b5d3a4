/** Faults of definitions and reference tables, and keys that several rows of a table have. */
import { compileDefinition } from '../feel/compile';
import { FUNCTION_NAMES } from '../feel/functions';
import { nameKey } from '../text/names';
import type { ReferenceTable, Schema } from '../document/model';
import { cellText, doubledRows } from '../tables/cells';
import { indexTable } from '../tables/reference';
import type { FindingIs, Gravity } from '../kinds/catalogue';
import { FINDINGS } from '../kinds/catalogue';
import type { Finding } from './types';

/** Most findings of one kind about one table. */
const MOST = 20;

function ofPart(kind: 'definition' | 'table', id: string, is: FindingIs, at: number) {
	return {
		is,
		severity: FINDINGS[is].gravity as Gravity,
		id: `${kind}-${id}-${is}-${at}`.toLowerCase().replaceAll(' ', '-'),
		part: { kind, id },
		rule: '',
		type: '',
		field: '',
		place: 'input' as const
	};
}

/** Definitions that cannot be read, or whose name says something else already. */
export function definitionFaults(schema: Schema): Finding[] {
	return [...schema.definitions.values()].flatMap((d) => {
		const out: Finding[] = [];
		const key = nameKey(d.name);
		const twin = [...schema.definitions.values()].find(
			(x) => x.id !== d.id && nameKey(x.name) === key
		);
		const said = (message: string, nth: number) =>
			out.push({
				...ofPart('definition', d.id, 'definition fault', nth),
				message,
				certificate: 'the definition was read'
			});
		if (twin && twin.id < d.id)
			said(`Two definitions are called “${d.name}”; a formula cannot tell them apart.`, 0);
		if (FUNCTION_NAMES.includes(key)) said(`“${d.name}” is the name of a function.`, 1);
		compileDefinition(d, schema).faults.forEach((f, i) => said(`${d.name}: ${f.message}`, i + 2));
		return out;
	});
}

/** Faults of tables; two rows for one key, where no range parts them. */
export function tableFaults(schema: Schema): Finding[] {
	return [...schema.tables.values()].flatMap((t) => {
		const faults = indexTable(t, schema).faults.slice(0, MOST);
		const out = faults.map((f, i): Finding => ({
			...ofPart('table', t.id, 'table fault', i),
			message: `${t.label}: ${f.message}`,
			certificate: 'the table was read'
		}));
		if (faults.length) return out;
		for (const [row, first] of overlappingRanges(t, schema))
			out.push({
				...ofPart('table', t.id, 'overlapping ranges', row),
				message: `${t.label}: rows ${first + 1} and ${row + 1} both take ${sayKey(t, row, schema)}, so a look-up finds both.`,
				certificate: 'the key was looked up in the table'
			});
		for (const [row, first] of [...doubledRows(t)].slice(0, MOST))
			out.push({
				...ofPart('table', t.id, 'doubled key', row),
				message: `${t.label}: row ${row + 1} has the same key as row ${first + 1}, so a look-up finds both.`,
				certificate: 'their keys were compared'
			});
		return out;
	});
}

/** Rows whose range shares a value with that of an earlier row, where all other keys are the same. */
function overlappingRanges(t: ReferenceTable, schema: Schema): [row: number, first: number][] {
	if (!t.keys.some((k) => k.match === 'range')) return [];
	const index = indexTable(t, schema);
	const at = (id: string) => t.columns.findIndex((c) => c.id === id);
	const out = new Map<number, number>();
	for (let r = 0; r < t.rows.length && out.size < MOST; r++) {
		// two ranges that overlap share the start of the later one
		const key = t.keys.map((k) => {
			if (k.match !== 'range') return index.value(r, at(k.column));
			return index.value(r, at(k.from)) ?? index.value(r, at(k.to));
		});
		if (key.some((v) => v === null)) continue;
		const [first, second] = index.find(key);
		if (second !== undefined && !out.has(second)) out.set(second, first);
	}
	return [...out];
}

function sayKey(t: ReferenceTable, row: number, schema: Schema): string {
	return t.keys
		.map((k) => t.columns.findIndex((c) => c.id === (k.match === 'range' ? k.from : k.column)))
		.map((i) => cellText(t.columns[i], t.rows[row][i] ?? null, schema) || 'blank')
		.join(', ');
}
