/** Decision tables: combinations that no row takes, that two take, and rows that never get their turn. */
import type { Env, Run } from '../feel/compile';
import type { Expr, Tests } from '../feel/tree';
import { ANY } from '../feel/types';
import type { JsonValue } from '../model/codec';
import { currencyDigits } from '../model/currency';
import type { Field, Model, Schema } from '../model/model';
import type { DecisionBody, Rule } from '../model/rules';
import { readFormula } from '../plan/plan';
import { readCell } from '../tables/decision';
import { parseNum } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import type { Analysis, Combination, Domain } from './boxes';
import { analyseBoxes } from './boxes';
import type { Spot } from './cells';
import { spotOf } from './cells';
import type { Context } from './context';
import type { Given } from './context';
import { carried, ofRule } from './context';
import { exprOf } from './formulas';
import type { Finding } from './types';

/** What is wrong with the rows of a decision table. */
export function decisionTable(c: Context, rule: Rule, body: DecisionBody): Finding[] {
	const fields = domains(c.schema, rule, body);
	const scope = { schema: c.schema, type: rule.type };
	const types = body.inputs.map((f) => readFormula(f, scope).compiled?.ty ?? ANY);
	const cells = body.rows.map((r) =>
		types.map((ty, k) => readCell(r.when[k] ?? { text: '' }, ty, scope).compiled)
	);
	const whole = cells.every((row) => row.every((x) => x !== null));
	const found =
		fields && whole
			? analysed(
					body,
					c.schema,
					fields,
					cells.map((row) => row.map((x) => x!.tests))
				)
			: null;
	const inputs = fields?.map((f, k) => ({ ...f, ...column(cells.map((row) => row[k])) }));
	if (!inputs || !found) {
		c.notAnalysed(
			rule,
			'Its table computes in its inputs or cells, so which combinations its rows take is not known.'
		);
		return [];
	}
	if (!found.complete)
		c.notAnalysed(
			rule,
			'Its table has too many combinations to look for every gap; those found are shown.'
		);
	const lists = body.hit.startsWith('C') || body.hit === 'R' || body.hit === 'O';
	const takes = (row: number, values: readonly Value[]) =>
		cells[row].every((cell, k) => cell!.run({ ...NO_RECORD, input: values[k] }) === true);
	return [
		...(c.passesOn(rule) || lists ? [] : gaps(c, rule, inputs, found, takes)),
		...(body.hit === 'U' || body.hit === 'A' ? overlaps(c, rule, inputs, found, takes) : []),
		...covered(rule, body, found)
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
	const constants: Value[] = [];
	const visit = (x: unknown) => {
		if (typeof x !== 'object' || x === null) return;
		const e = x as Expr;
		if (e.k === 'num') constants.push(parseNum(e.v));
		else if (e.k === 'at') constants.push(LocalDate.parse(e.v));
		else if (e.k === 'option') constants.push(e.option);
		else Object.values(x).forEach(visit);
	};
	for (const cell of cells) visit(cell?.tests);
	const answers = (v: Value) =>
		cells.map((cell) => String(cell?.run({ ...NO_RECORD, input: v }))).join();
	return { constants, answers };
}
/** Cells of constants, ranges and options read nothing but their input. */
const NO_RECORD = { vars: [], steps: 1000, depth: 0 } as unknown as Env;

const given = (inputs: Inputs, x: Combination): Given[] =>
	inputs.map(({ spot, constants, answers }, k) => {
		const value = x.values[k];
		const as = answers(value);
		const alike = (v: Value) => answers(v) === as;
		return { spot, value, constants, alike };
	});
const inWords = (c: Context, inputs: Inputs, values: readonly (Value | JsonValue)[]) =>
	inputs.map(({ spot }, k) => `${spot.field.label} ${c.say(spot.field, values[k])}`).join(', ');

/** Whether a row takes a combination. */
type Takes = (row: number, values: readonly Value[]) => boolean;

function gaps(c: Context, rule: Rule, inputs: Inputs, found: Analysis, takes: Takes): Finding[] {
	const rows = rule.body.kind === 'table' ? rule.body.rows : [];
	const told = new Set<string>();
	return found.gaps.flatMap((g) => {
		const w = c.show(
			rule,
			given(inputs, g),
			['no row', 'blank', 'left', 'cleared'],
			`that no row takes ${inWords(c, inputs, g.values)}`,
			(values) => !rows.some((_, r) => takes(r, values))
		);
		if (!w) return [];
		// what shows it may be another combination of the same gap
		const values = inputs.map(({ spot }) => c.probe.read(w, spot));
		const said = inWords(c, inputs, values);
		if (told.has(said)) return [];
		told.add(said);
		const blank = values.includes(null);
		return [
			{
				...ofRule(rule, 'input', `gap ${said}`),
				severity: blank ? ('advisory' as const) : ('blocking' as const),
				message: blank
					? `No row says what a blank gives: ${said} gives no result.`
					: `No row takes ${said}.`,
				...carried(w),
				repair: {
					do: 'add row' as const,
					rule: rule.id,
					values,
					label: 'Add the missing row'
				}
			}
		];
	});
}

function overlaps(
	c: Context,
	rule: Rule,
	inputs: Inputs,
	found: Analysis,
	takes: Takes
): Finding[] {
	return found.overlaps.flatMap((o) => {
		const rows = o.rows.map((r) => r + 1).join(' and ');
		const what = `that rows ${rows} both take ${inWords(c, inputs, o.values)}`;
		const both = (values: readonly Value[]) => o.rows.every((r) => takes(r, values));
		const w = c.show(rule, given(inputs, o), ['several rows', 'left', 'cleared'], what, both);
		if (!w) return [];
		const said = inWords(
			c,
			inputs,
			inputs.map(({ spot }) => c.probe.read(w, spot))
		);
		return [
			{
				...ofRule(rule, `cell ${o.rows[1]} 0`, `overlap ${o.rows.join(' ')}`),
				severity: 'blocking' as const,
				message: `Rows ${rows} both take ${said}.`,
				...carried(w)
			}
		];
	});
}

function covered(rule: Rule, body: DecisionBody, found: Analysis): Finding[] {
	const rows = body.hit === 'F' ? found.covered : found.covered.filter((x) => !x.by.length);
	return rows.map(({ row, by }) => {
		const many = by.length > 1;
		const names = by.map((r) => r + 1).join(', ');
		return {
			...ofRule(rule, `cell ${row} 0`, `covered ${row}`),
			severity: 'advisory' as const,
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
function domains(schema: Schema, rule: Rule, body: DecisionBody): Fields | null {
	const out: { spot: Spot; domain: Domain }[] = [];
	for (const f of body.inputs) {
		const e = exprOf({ schema }, rule.type, f);
		const spot = e && spotOf(e, schema);
		const domain = spot && domainOf(spot.field, schema);
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
