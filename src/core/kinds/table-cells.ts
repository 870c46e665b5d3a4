/** The cells of a decision table, each to be tried by itself: with a record that its row would take but for that cell. */
import type { Schema } from '../document/model';
import type { DecisionBody, Rule } from '../document/rules';
import { readFormula } from '../feel/read-formula';
import { ANY } from '../feel/types';
import { toJson } from '../fields/codec';
import { constantsIn, spotOf, stretches } from '../spots/cells';
import { readCell } from '../tables/decision';
import { isPlain } from '../tables/row-index';
import type { Value } from '../value/value';
import type { TryPart } from './spec';
import { NO_RECORD } from './table-rows';

/** Most cells of one table that are points of their own. */
const MOST_CELLS = 400;

/** What was found of a table last, while it and the model stay as they are. */
const known = new WeakMap<DecisionBody, { schema: Schema; type: string; parts: TryPart[] }>();

/** A point for each cell that not everything passes, with values that lead there where they are known. */
export function cellsTried(
	body: DecisionBody,
	{ schema, rule: { type } }: { schema: Schema; rule: Pick<Rule, 'type'> }
): TryPart[] {
	const had = known.get(body);
	if (had?.schema === schema && had.type === type) return had.parts;
	const parts: TryPart[] = [];
	const columns = columnsOf(body, schema, type);
	for (const row of body.rows.keys())
		for (const [column, { passes, label }] of columns.entries()) {
			if (passes[row] === 'anything') continue;
			if (parts.length === MOST_CELLS) break;
			const given = valuesFor(columns, row, column);
			parts.push({
				key: `cell ${row} ${column}`,
				label: `all of row ${row + 1} but ${label}`,
				cell: { row, column },
				...(given ? { given } : {})
			});
		}
	known.set(body, { schema, type, parts });
	return parts;
}

/** What passes a cell of the values that its column tells apart, and what does not; null where that is not known. */
type Passes = { yes: Value[]; no: Value[] } | 'anything' | null;

function columnsOf(body: DecisionBody, schema: Schema, type: string) {
	const scope = { schema, type };
	return body.inputs.map((of, k) => {
		const { compiled, text } = readFormula(of, scope);
		const cells = body.rows.map(
			(r) => readCell(r.when[k] ?? { text: '-' }, compiled?.ty ?? ANY, scope).compiled
		);
		const spot = compiled && spotOf(compiled.expr, schema);
		const plain = spot && cells.every((c) => c && isPlain(c.tests));
		const values = plain
			? stretches(spot.field, constantsIn(cells.map((c) => c?.tests)), schema)
			: null;
		const passes = cells.map((cell): Passes => {
			if (!cell || cell.tests.tests.every((t) => t.k === 'any')) return 'anything';
			if (!values) return null;
			const holds = (v: Value) => cell.run({ ...NO_RECORD, input: v }) === true;
			const no = values.filter((v) => !holds(v));
			return no.length ? { yes: values.filter(holds), no } : 'anything';
		});
		return { of, label: spot?.field.label ?? text, passes };
	});
}

/** A value for each input, with which a row fails at one cell and nowhere else; null where one is not known. */
function valuesFor(columns: ReturnType<typeof columnsOf>, row: number, column: number) {
	const out: NonNullable<TryPart['given']> = [];
	for (const [k, { of, passes }] of columns.entries()) {
		const p = passes[row];
		if (p === 'anything') continue;
		if (p === null) return null;
		const from = k === column ? p.no : p.yes;
		// a blank only where nothing else will do: it is a point of its own
		const value = from.find((v) => v !== null) ?? from[0];
		if (value === undefined) return null;
		out.push({ of, value: toJson(value) ?? null });
	}
	return out;
}
