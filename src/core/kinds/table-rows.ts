/** Decision tables: combinations that no row takes, that two take, and rows that never get their turn. */
import type { Env, Run } from '../feel/env';
import type { Tests } from '../document/tree';
import { ANY } from '../feel/types';
import type { JsonValue } from '../document/json';
import { currencyDigits } from '../fields/currency';
import type { Field, Model, Schema } from '../document/model';
import type { DecisionBody } from '../document/rules';
import { readFormula } from '../feel/read-formula';
import { readCell } from '../tables/decision';
import type { Value } from '../value/value';
import type { Analysis, Combination } from '../spots/boxes';
import { analyseBoxes } from '../spots/boxes';
import type { Domain } from '../spots/taken';
import type { Spot } from '../spots/cells';
import { constantsIn } from '../spots/cells';
import type { Flaw, Given, Look } from './spec';

/** What is wrong with the rows of a decision table. */
export function rowFlaws(body: DecisionBody, look: Look): Flaw[] {
	const fields = domains(look, body);
	const scope = { schema: look.schema, type: look.rule.type };
	const types = body.inputs.map((f) => readFormula(f, scope).compiled?.ty ?? ANY);
	const cells = body.rows.map((r) =>
		types.map((ty, k) => readCell(r.when[k] ?? { text: '' }, ty, scope).compiled)
	);
	const whole = cells.every((row) => row.every((x) => x !== null));
	const found =
		fields && whole
			? analysed(
					body,
					look.schema,
					fields,
					cells.map((row) => row.map((x) => x!.tests))
				)
			: null;
	const inputs = fields?.map((f, k) => ({ ...f, ...column(cells.map((row) => row[k])) }));
	if (!inputs || !found) {
		look.notAnalysed(
			'Its table computes in its inputs or cells, so which combinations its rows take is not known.'
		);
		return [];
	}
	if (!found.complete)
		look.notAnalysed(
			'Its table has too many combinations to look for every gap; those found are shown.'
		);
	const lists = body.hit.startsWith('C') || body.hit === 'R' || body.hit === 'O';
	const takes = (row: number, values: readonly Value[]) =>
		cells[row].every((cell, k) => cell!.run({ ...NO_RECORD, input: values[k] }) === true);
	return [
		...(look.passesOn || lists ? [] : gaps(body, look, inputs, found, takes)),
		...(body.hit === 'U' || body.hit === 'A' ? overlaps(look, inputs, found, takes) : []),
		...covered(body, found)
	];
}

type Fields = readonly { spot: Spot; domain: Domain }[];
/** With the constants of its column, and what every cell of it answers for a value. */
type Inputs = readonly (Fields[number] & {
	constants: Value[];
	answers: (v: Value) => string;
})[];

/** What the cells of a column tell apart. */
function column(cells: readonly ({ tests: Tests; run: Run } | null)[]) {
	const constants = constantsIn(cells.map((cell) => cell?.tests));
	const answers = (v: Value) =>
		cells.map((cell) => String(cell?.run({ ...NO_RECORD, input: v }))).join();
	return { constants, answers };
}
/** Cells of constants, ranges and options read nothing but their input. */
export const NO_RECORD = { vars: [], steps: 1000, depth: 0 } as unknown as Env;

const given = (inputs: Inputs, x: Combination): Given[] =>
	inputs.map(({ spot, constants, answers }, k) => {
		const value = x.values[k];
		const as = answers(value);
		const alike = (v: Value) => answers(v) === as;
		return { spot, value, constants, alike };
	});
const inWords = (look: Look, inputs: Inputs, values: readonly (Value | JsonValue)[]) =>
	inputs.map(({ spot }, k) => `${spot.field.label} ${look.say(spot.field, values[k])}`).join(', ');

/** Whether a row takes a combination. */
type Takes = (row: number, values: readonly Value[]) => boolean;

function gaps(
	{ rows }: DecisionBody,
	look: Look,
	inputs: Inputs,
	found: Analysis,
	takes: Takes
): Flaw[] {
	const told = new Set<string>();
	return found.gaps.flatMap((g): Flaw[] => {
		const w = look.show(
			given(inputs, g),
			['no row', 'blank', 'left', 'cleared'],
			`that no row takes ${inWords(look, inputs, g.values)}`,
			(values) => !rows.some((_, r) => takes(r, values))
		);
		if (!w) return [];
		// what shows it may be another combination of the same gap
		const values = inputs.map(({ spot }) => look.read(w, spot));
		const said = inWords(look, inputs, values);
		if (told.has(said)) return [];
		told.add(said);
		const blank = values.includes(null);
		return [
			{
				is: blank ? 'missing decision on blank' : 'missing decision',
				at: said,
				place: 'input',
				message: blank
					? `No row says what a blank gives: ${said} gives no result.`
					: `No row takes ${said}.`,
				witness: w,
				repair: {
					do: 'add row',
					values,
					label: 'Add the missing row'
				}
			}
		];
	});
}

function overlaps(look: Look, inputs: Inputs, found: Analysis, takes: Takes): Flaw[] {
	return found.overlaps.flatMap((o): Flaw[] => {
		const rows = o.rows.map((r) => r + 1).join(' and ');
		const what = `that rows ${rows} both take ${inWords(look, inputs, o.values)}`;
		const both = (values: readonly Value[]) => o.rows.every((r) => takes(r, values));
		const w = look.show(given(inputs, o), ['several rows', 'left', 'cleared'], what, both);
		if (!w) return [];
		const said = inWords(
			look,
			inputs,
			inputs.map(({ spot }) => look.read(w, spot))
		);
		return [
			{
				is: 'overlapping rows',
				at: o.rows.join(' '),
				place: `cell ${o.rows[1]} 0`,
				message: `Rows ${rows} both take ${said}.`,
				witness: w
			}
		];
	});
}

function covered(body: DecisionBody, found: Analysis): Flaw[] {
	const rows = body.hit === 'F' ? found.covered : found.covered.filter((x) => !x.by.length);
	return rows.map(({ row, by }): Flaw => {
		const many = by.length > 1;
		const names = by.map((r) => r + 1).join(', ');
		return {
			is: by.length ? 'covered row' : 'impossible row',
			at: String(row),
			place: `cell ${row} 0`,
			message: by.length
				? `Row ${row + 1} never gets its turn: ${many ? 'rows' : 'row'} ${names} ${many ? 'take' : 'takes'} all of it first.`
				: `Row ${row + 1} can never match: one of its cells takes no value.`,
			certificate: by.length
				? `${many ? 'rows' : 'row'} ${names} ${many ? 'cover' : 'covers'} it`
				: 'its cells exclude each other'
		};
	});
}

/** The fields that a decision table reads as they are, with the values they can have; null where it computes. */
function domains(look: Look, body: DecisionBody): Fields | null {
	const out: { spot: Spot; domain: Domain }[] = [];
	for (const f of body.inputs) {
		const spot = look.spot(f);
		const domain = spot && domainOf(spot.field, look.schema);
		if (!domain) return null;
		out.push({ spot, domain });
	}
	return out;
}

/** The values that a field can have; null where they are not analysed. */
function domainOf(field: Field, schema: Schema): Domain | null {
	switch (field.type) {
		case 'number':
		case 'percent':
			return { kind: 'number', places: field.places ?? null };
		case 'money':
			return {
				kind: 'number',
				places: field.currencyField ? null : currencyDigits(field.currency ?? 'EUR')
			};
		case 'date':
			return { kind: 'date' };
		case 'yesno':
			return { kind: 'options', values: [true, false] };
		case 'choice': {
			const options = schema.lists.get(field.list!)!.options.filter((o) => !o.retired);
			return { kind: 'options', values: options.map((o) => o.id) };
		}
		default:
			return null;
	}
}

const analyses = new WeakMap<DecisionBody, { model: Model; found: Analysis | null }>();

/** The analysis of a table; made once, as long as table and model stay the same. */
function analysed(
	body: DecisionBody,
	schema: Schema,
	inputs: Fields,
	cells: Tests[][]
): Analysis | null {
	const had = analyses.get(body);
	if (had?.model === schema.model) return had.found;
	const found = analyseBoxes(
		inputs.map((i) => i.domain),
		cells
	);
	analyses.set(body, { model: schema.model, found });
	return found;
}
