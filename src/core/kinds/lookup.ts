/** The row of a reference table that the keys match, one column for each output. */
import type { JsonValue } from '../document/json';
import type { Field, ReferenceTable, Schema } from '../document/model';
import type { Compiled } from '../feel/env';
import { fits, sayType, typeOfField } from '../feel/types';
import type { TableIndex } from '../tables/reference';
import { sameSpot } from '../spots/cells';
import { sayTwice, twoForOneKey } from '../tables/twice';
import { indexTable } from '../tables/reference';
import { isBlank, isList, same } from '../value/value';
import { keysOf } from './keys';
import type { Altered, BodyOf, CompiledBody, Flaw, Given, Look, Writes } from './spec';
import { none } from './spec';
import { isBlank as blankInput } from './words';

type Lookup = BodyOf<'lookup'>;

export const lookup: Writes<Lookup> = {
	does: 'writes',
	offers: ({ schema }) => [
		{
			verb: 'map',
			label: 'A row of a table',
			help: 'looked up in a reference table by one or several fields',
			also: 'lookup reference map',
			name: 'looked up',
			likely: schema.tables.size ? 64 : 20,
			make: () => ({ kind: 'lookup', table: '', keys: [], columns: [], several: 'no result' })
		}
	],
	decision: () => null,
	said(b, s) {
		const table = s.schema.tables.get(b.table);
		const label = (id: string) => table?.columns.find((c) => c.id === id)?.label ?? id;
		return [
			{ key: 'table', label: 'Looked up in', text: table?.label ?? (b.table || '…') },
			{ key: 'keys', label: 'By', text: b.keys.map((k) => s.gives(k)).join(', ') || '…' },
			{ key: 'columns', label: 'Gives', text: b.columns.map(label).join(', ') || '…' },
			{
				key: 'several',
				label: 'Where several rows match',
				text: b.several === 'first' ? 'the first' : 'no result'
			}
		];
	},
	map: (b, on) => ({ ...b, keys: b.keys.map((f, i) => on.formula(f, `key ${i}`)) }),
	carried: (b, c) => ({
		...b,
		table: c.table(b.table),
		columns: b.columns.map((id) => c.column(b.table, id))
	}),
	source: () => null,
	constants: none,
	tables: (b) => [b.table],
	repairs: {},
	compile(b, c) {
		const table = c.schema.tables.get(b.table);
		if (!table) {
			c.unsaid('input', 'Choose the table to look up in.');
			return null;
		}
		const index = indexTable(table, c.schema);
		if (index.faults.length) {
			c.problem('input', `The table ${table.label} has a fault: ${index.faults[0].message}`);
			return null;
		}
		const keys = index.inputs.map((ty, k) => c.formula(b.keys[k], `key ${k}`, ty));
		return (i, field) => {
			const column = table.columns.findIndex((x) => x.id === b.columns[i]);
			if (column < 0) {
				c.unsaid(`column ${i}`, `Choose the column of ${table.label} for ${field.label}.`);
				return null;
			}
			const have = typeOfField(table.columns[column]);
			const want = typeOfField(field);
			if (!fits(have, want) && !(want.t === 'list' && fits(have, want.of))) {
				const [a, b] = [sayType(have, c.schema), sayType(want, c.schema)];
				const label = table.columns[column].label;
				c.problem(`column ${i}`, `${label} is ${a}; ${field.label} is ${b}.`);
				return null;
			}
			if (keys.some((k) => !k)) return null;
			const leaves = table.missing === 'leave';
			return found(b, index, column, field, keys as Compiled[], leaves);
		};
	},
	place: () => 'outputs',
	outputs: () => 'any',
	withoutOutput: (b, i) => ({ ...b, columns: b.columns.filter((_, k) => k !== i) }),
	unsteady: () => null,
	finds: none,
	because(b, t) {
		if (t.outcome === 'blank') return blankInput(t);
		const name = `“${t.schema.tables.get(b.table)?.label ?? b.table}”`;
		const read = t.read.join(', ');
		if (typeof t.row === 'string') return `rows ${t.row} of ${name} all match ${read}`;
		if (t.row !== undefined) return `row ${t.row + 1} of ${name} matches ${read}`;
		return t.value === null && !t.read.length
			? 'its keys are blank'
			: `no row of ${name} matches ${read}`;
	},
	results: () => null,
	decides: () => null,
	givesNothing(b, i, schema) {
		const table = schema.tables.get(b.table);
		if (!table) return null;
		const index = indexTable(table, schema);
		const at = table.columns.findIndex((x) => x.id === b.columns[i]);
		return table.rows.every((_, r) => index.value(r, at) === null) ? table.rows.length : null;
	},
	flaws: (b, look) => [...(look.passesOn ? [] : missingKeys(b, look)), ...foundTwice(b, look)],
	doubts: none,
	tries(b, { schema }) {
		const table = schema.tables.get(b.table);
		const rows = table && table.rows.length <= MOST_ROWS_TRIED ? table.rows : [];
		return [
			...rows.map((r, i) => ({
				key: String(i),
				label: `row ${i + 1}, ${rowWords(table!, r, schema)}`,
				given: b.keys.map((of, k) => ({ of, value: keyOf(table!, r, k) }))
			})),
			...(rows.length ? [] : [{ key: 'row', label: 'a row is found' }]),
			{ key: 'no row', label: 'no row is found', short: 'no row' as const },
			{ key: 'blank', label: 'what it looks up is blank', short: 'blank' as const }
		];
	},
	alterations(b, { schema }) {
		const columns = schema.tables.get(b.table)?.columns ?? [];
		const typeOf = (id: string) => columns.find((c) => c.id === id);
		return [
			{
				slip: 'several decided otherwise',
				body: { ...b, several: b.several === 'first' ? 'no result' : 'first' }
			},
			// the column beside it that holds the same
			...b.columns.flatMap((id, i): Altered<Lookup>[] => {
				const own = typeOf(id);
				const other = columns.find(
					(c) =>
						c.id !== id && c.type === own?.type && c.list === own.list && c.target === own.target
				);
				if (!other) return [];
				const changed = b.columns.map((x, k) => (k === i ? other.id : x));
				return [{ slip: 'another column', body: { ...b, columns: changed } }];
			})
		];
	}
};

/** Most rows of a reference table that are each to be tried: of a longer one, that some row is found. */
const MOST_ROWS_TRIED = 60;

/** A value that finds a row by one of its keys. */
function keyOf(table: ReferenceTable, row: readonly JsonValue[], k: number): JsonValue {
	const key = table.keys[k];
	const id = key.match === 'range' ? key.from : key.column;
	return row[table.columns.findIndex((c) => c.id === id)] ?? null;
}

/** The keys of a row in words. */
function rowWords(table: ReferenceTable, row: readonly JsonValue[], schema: Schema): string {
	const ids = table.keys.flatMap((k) => (k.match === 'range' ? [k.from, k.to] : [k.column]));
	const said = ids.map((id) => {
		const at = table.columns.findIndex((c) => c.id === id);
		const { list } = table.columns[at];
		const v = row[at] ?? null;
		const option = list && typeof v === 'string' ? schema.option(list, v) : undefined;
		return v === null ? '–' : (option?.label ?? String(v));
	});
	return said.join(' ');
}

/** What one output gives. */
function found(
	b: Lookup,
	index: TableIndex,
	column: number,
	field: Field,
	keys: Compiled[],
	leaves: boolean
): CompiledBody {
	const list = typeOfField(field).t === 'list';
	return {
		run: (env) => {
			const values = keys.map((k) => k.run(env));
			if (values.some(isBlank)) return { got: false, why: 'blank' };
			const instead = env.findRows ? env.findRows(index, values) : null;
			const rows = instead ? instead.rows : index.find(values);
			if (!rows.length)
				return { got: false, why: 'no row', ...(leaves ? { then: 'leave' as const } : {}) };
			if (rows.length > 1 && b.several === 'no result') {
				const told = rows.slice(0, 10).map((r) => r + 1);
				return { got: false, why: 'several', row: told.join(', ') };
			}
			const value = (instead ? instead.of : index).value(rows[0], column);
			if (value === null) return { got: false, why: 'null', row: rows[0] };
			return { got: true, value: list && !isList(value) ? [value] : value, row: rows[0] };
		},
		reads: keys.flatMap((k) => k.reads),
		events: keys.flatMap((k) => k.events),
		outside: new Set(keys.flatMap((k) => [...k.outside]))
	};
}

/** Rows that one key finds together, shown by a record with that key. */
function foundTwice(b: Lookup, look: Look): Flaw[] {
	const { schema } = look;
	const table = schema.tables.get(b.table)!;
	const spots = b.keys.map((k) => look.spot(k));
	const read = table.columns.flatMap((c, i) => (b.columns.includes(c.id) ? [i] : []));
	const index = indexTable(table, schema);
	const differ = (r: number, q: number) =>
		read.some((i) => !same(index.value(r, i), index.value(q, i)));
	return twoForOneKey(table, schema).flatMap((x): Flaw[] => {
		const { is, row, first, key } = x;
		const given = spots.flatMap((spot, i) => (spot ? [{ spot, value: key[i] }] : []));
		// keys that are computed, or the same field twice, are not set to the values of a row
		const clash = given.some((g, i) => given.slice(0, i).some((h) => sameSpot(g.spot, h.spot)));
		if (given.length < table.keys.length || clash || key.includes(null)) return [];
		const what = `that rows ${first + 1} and ${row + 1} of “${table.label}” are both found`;
		const witness = look.show(
			given,
			['several rows', 'left', 'cleared', 'wrote', 'same value'],
			what
		);
		if (!witness) return [];
		return [
			{
				is,
				at: String(row),
				place: 'input',
				message: sayTwice(table, schema, x),
				witness,
				// rows that give the same do no harm while the first is taken; those of a living table stop no release
				...(!table.living && (b.several === 'no result' || differ(first, row))
					? { severity: 'blocking' as const }
					: {}),
				atRow: { table: table.id, row }
			}
		];
	});
}

/** Options that no row of a reference table has, or whose row is blank where the rule reads it. */
function missingKeys(b: Lookup, look: Look): Flaw[] {
	const { schema } = look;
	const table = schema.tables.get(b.table)!;
	const [key] = table.keys;
	const spot = table.keys.length === 1 ? look.spot(b.keys[0]) : null;
	const column = key.match === 'exact' ? table.columns.find((x) => x.id === key.column) : undefined;
	if (!spot || !column || !['choice', 'yesno'].includes(column.type)) {
		look.notAnalysed(
			`Which keys “${table.label}” lacks is looked for only where one choice is its key.`
		);
		return [];
	}
	const index = indexTable(table, schema);
	return keysOf(schema, spot.field).flatMap((o): Flaw[] => {
		const rows = index.find([o.value]);
		const fixed = [{ spot, value: o.value }];
		if (!rows.length && (table.missing === 'nothing' || table.missing === 'leave')) return [];
		if (rows.length) return blankCells(b, look, index, fixed, o.label, rows[0]);
		const what = `that “${table.label}” has no row for “${o.label}”`;
		const witness = look.show(fixed, ['no row', 'left', 'cleared'], what);
		if (!witness) return [];
		return [
			{
				is: table.missing === 'mistake' && !table.living ? 'missing row' : 'key without a row',
				at: o.id,
				place: 'input',
				message: `“${table.label}” has no row for “${o.label}” of ${spot.field.label}; it gives no result.`,
				witness,
				// the rows of a living table are not the draft's to mend
				...(table.living
					? {}
					: {
							tableRow: {
								table: table.id,
								column: column.id,
								value: typeof o.value === 'boolean' ? o.value : o.id,
								label: `Add a row for “${o.label}”`
							}
						})
			}
		];
	});
}

/** Outputs for which the row of an option has nothing, where other rows do. */
function blankCells(
	b: Lookup,
	look: Look,
	index: TableIndex,
	fixed: Given[],
	option: string,
	row: number
): Flaw[] {
	const table = look.schema.tables.get(b.table)!;
	return look.rule.outputs.flatMap((output, i): Flaw[] => {
		const at = table.columns.findIndex((x) => x.id === b.columns[i]);
		if (at < 0 || index.value(row, at) !== null) return [];
		if (table.rows.every((_, r) => index.value(r, at) === null)) return [];
		const { label } = look.schema.field(look.rule.type, output.field)!;
		const what = `that “${option}” gives no ${label.toLowerCase()}`;
		const witness = look.show(fixed, ['no result', 'left', 'cleared'], what);
		if (!witness) return [];
		return [
			{
				is: 'blank cell',
				at: `${row} ${i}`,
				place: `column ${i}`,
				message: `The row for “${option}” in “${table.label}” has no ${table.columns[at].label.toLowerCase()}, so ${label} gets nothing.`,
				witness
			}
		];
	});
}
