/**
 * Rows of living tables as a trial keeps them: what it expects was right by the rows that it read then. They stand in the
 * place of today's, and where today's are others, that is told.
 */
import type { JsonValue } from '../document/json';
import type { Schema } from '../document/model';
import type { FindRows, Rows } from '../feel/env';
import { toJson } from '../fields/codec';
import { cellsOf, sameCells, type LivingRow } from '../tables/living';
import { indexTable } from '../tables/reference';
import type { Value } from '../value/value';

/** What a table was asked for, and the rows that it gave. */
export interface KeptFind {
	table: string;
	/** One for each key of the table. */
	keys: JsonValue[];
	/** In the order of the table; none where none was found. */
	rows: LivingRow['cells'][];
}

/** Look-ups of one run of a trial. */
export class TrialFinds {
	readonly #kept = new Map<string, KeptFind>();
	readonly #asked = new Map<string, { kept: KeptFind; of: Rows; rows: readonly number[] }>();
	/** Tables (identities) of which today gives other rows than are kept, for what was asked. */
	readonly otherwise = new Set<string>();

	constructor(
		private readonly schema: Schema,
		kept: readonly KeptFind[] = []
	) {
		for (const k of kept) this.#kept.set(keyOf(k.table, k.keys), k);
	}

	/** All that was asked of living tables, with the rows that were given. */
	get asked(): KeptFind[] {
		return [...this.#asked.values()].map((a) => a.kept);
	}

	readonly find: FindRows = (index, values) => {
		const { table } = index;
		if (!table.living) return { of: index, rows: index.find(values) };
		const keys = values.map(toJson);
		const key = keyOf(table.id, keys);
		const had = this.#asked.get(key);
		if (had) return had;
		const made = this.#answer(index, values, keys, this.#kept.get(key));
		this.#asked.set(key, made);
		return made;
	};

	#answer(
		index: Rows,
		values: readonly Value[],
		keys: JsonValue[],
		kept: KeptFind | undefined
	): { kept: KeptFind; of: Rows; rows: readonly number[] } {
		const { table } = index;
		const found = index.find(values);
		const today: KeptFind = {
			table: table.id,
			keys,
			rows: found.slice(0, MOST_ROWS).map((r) =>
				cellsOf(
					table,
					table.columns.map((_, c) => toJson(index.value(r, c)))
				)
			)
		};
		const same =
			!kept ||
			(kept.rows.length === today.rows.length &&
				kept.rows.every((r, i) => sameCells(r, today.rows[i])));
		if (same) return { kept: kept ?? today, of: index, rows: found };
		this.otherwise.add(table.id);
		const rows = kept.rows.map((r) => table.columns.map((c) => r[c.id] ?? null));
		return {
			kept,
			of: indexTable({ ...table, rows }, this.schema),
			rows: rows.map((_, i) => i)
		};
	}
}

/** Rows of one look-up that are kept: of more, what is given is the first of them or none. */
const MOST_ROWS = 20;

const keyOf = (table: string, keys: readonly JsonValue[]) => JSON.stringify([table, keys]);
