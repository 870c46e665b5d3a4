/** Faults of definitions and reference tables, and keys that several rows of a table have. */
import { compileDefinition } from '../feel/compile';
import { FUNCTION_NAMES } from '../feel/functions';
import { nameKey } from '../text/names';
import type { ReferenceTable, Schema } from '../document/model';
import { sayTwice, twoForOneKey } from '../tables/twice';
import { indexTable } from '../tables/reference';
import { order } from '../value/value';
import type { FindingIs, Gravity } from '../kinds/catalogue';
import { FINDINGS } from '../kinds/catalogue';
import type { Finding } from './types';

/** Most findings of one kind about one table. */
const MOST = 20;

/** The address of a finding about something that is no rule, the same whoever finds it. */
export const partId = (
	{ kind, id }: Pick<Finding['part'], 'kind' | 'id'>,
	is: FindingIs,
	at: number | string
) => `${kind}-${id}-${is}-${at}`.toLowerCase().replaceAll(' ', '-');

/** A finding about something that is no rule; `at` tells it from the others of its kind there. */
export function ofPart(
	part: Finding['part'],
	is: FindingIs,
	at: number | string
): Omit<Finding, 'message'> {
	return {
		is,
		severity: FINDINGS[is].gravity as Gravity,
		id: partId(part, is, at),
		part,
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
				...ofPart({ kind: 'definition', id: d.id }, 'definition fault', nth),
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

/**
 * Rows that no look-up finds: with a blank where they are looked up exactly or loosely, or a range whose
 * ends stand the wrong way round. A range may be open, and every text begins with a blank prefix.
 */
function neverFound(t: ReferenceTable, schema: Schema): Finding[] {
	const index = indexTable(t, schema);
	const at = (id: string) => t.columns.findIndex((c) => c.id === id);
	const label = (id: string) => t.columns[at(id)].label;
	const why = (r: number): string | null => {
		for (const k of t.keys) {
			if (k.match === 'range') {
				const [from, to] = [index.value(r, at(k.from)), index.value(r, at(k.to))];
				if (from !== null && to !== null && (order(from, to) ?? 0) > 0)
					return `its ${label(k.from)} lies above its ${label(k.to)}`;
			} else if (k.match !== 'prefix' && index.value(r, at(k.column)) === null)
				return `it has no ${label(k.column)}`;
		}
		return null;
	};
	return t.rows
		.flatMap((_, r) => {
			const reason = why(r);
			if (!reason) return [];
			return [
				{
					...ofPart({ kind: 'table', id: t.id, row: r }, 'row never found', r),
					message: `${t.label}: no look-up finds row ${r + 1}; ${reason}.`,
					certificate: 'the keys of the row were read'
				}
			];
		})
		.slice(0, MOST);
}

/** Faults of a table; two rows for one key, where no range parts them. */
export function tableFaults(t: ReferenceTable, schema: Schema): Finding[] {
	const faults = indexTable(t, schema).faults.slice(0, MOST);
	if (faults.length)
		return faults.map((f, i): Finding => ({
			...ofPart(
				{ kind: 'table', id: t.id, ...(f.row === undefined ? {} : { row: f.row }) },
				'table fault',
				i
			),
			message: `${t.label}: ${f.message}`,
			certificate: 'the table was read'
		}));
	return [
		...neverFound(t, schema),
		...twoForOneKey(t, schema).map((x): Finding => ({
			...ofPart({ kind: 'table', id: t.id, row: x.row }, x.is, x.row),
			message: sayTwice(t, schema, x),
			certificate:
				x.is === 'doubled key' ? 'their keys were compared' : 'the key was looked up in the table'
		}))
	];
}
