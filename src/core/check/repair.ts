/** Repairs of findings: what becomes of the rule set when one is taken. */
import { bare } from '../feel/tree';
import type { Expr, Tests } from '../feel/tree';
import type { JsonValue } from '../model/codec';
import { toJson } from '../model/codec';
import type { Schema } from '../model/model';
import type { DecisionBody, Formula, Rule, RuleSet } from '../model/rules';
import { readFormula } from '../plan/plan';
import { readCell } from '../tables/decision';
import { ANY } from '../feel/types';
import { order } from '../value/value';
import { parseNum } from '../value/num';
import { spotOf } from './cells';
import type { Repair } from './types';

/** The rule set with a finding repaired; the same one when what it speaks of is gone. */
export function repaired(set: RuleSet, r: Repair, schema: Schema): RuleSet {
	if (r.do === 'add table row') {
		const tables = (set.tables ?? []).map((t) =>
			t.id === r.table
				? { ...t, rows: [...t.rows, t.columns.map((c) => (c.id === r.column ? r.value : null))] }
				: t
		);
		return { ...set, tables };
	}
	const rules = set.rules.map((rule) => (rule.id === r.rule ? repairRule(rule, r, schema) : rule));
	return { ...set, rules };
}

function repairRule(rule: Rule, r: Repair, schema: Schema): Rule {
	const { body } = rule;
	switch (r.do) {
		case 'watch all':
			return { ...rule, watch: null };
		case 'watch less': {
			const watch = rule.watch?.filter((f) => f !== r.field) ?? null;
			return { ...rule, watch: watch?.length ? watch : null };
		}
		case 'say blank':
			return body.kind === 'bands' || body.kind === 'options'
				? { ...rule, body: { ...body, blank: { none: true } } }
				: rule;
		case 'take gap': {
			if (body.kind !== 'bands') return rule;
			// the stretch goes to its lower neighbour, or to the upper one where there is none below
			const limit = r.band === 0 ? 0 : r.band - 1;
			const limits = body.limits.filter((_, i) => i !== limit);
			const results = body.results.filter((_, i) => i !== r.band);
			return { ...rule, body: { ...body, limits, results } };
		}
		case 'map option':
			return body.kind === 'options'
				? {
						...rule,
						body: { ...body, rows: { ...body.rows, [r.option]: r.values } }
					}
				: rule;
		case 'every entry point':
			return { ...rule, entryPoints: null };
		case 'leave several':
			return body.kind === 'match' ? { ...rule, body: { ...body, several: 'leave' } } : rule;
		case 'always':
			return { ...rule, guard: null, entering: false };
		case 'squeeze': {
			if (body.kind !== 'formula') return rule;
			const squeezed = (f: Formula): Formula =>
				'expr' in f
					? { expr: { k: 'call', fn: 'squeeze', args: [f.expr] } }
					: { text: `squeeze(${f.text})` };
			const formulas = body.formulas.map((f, i) => (i === r.formula ? squeezed(f) : f));
			return { ...rule, body: { ...body, formulas } };
		}
		case 'add row':
			return body.kind === 'table'
				? { ...rule, body: withRow(rule, body, r.values, schema) }
				: rule;
		case 'add table row':
			return rule;
	}
}

/** The table with a row that takes a combination, and as much around it as no other row speaks of. */
function withRow(
	rule: Rule,
	body: DecisionBody,
	values: readonly JsonValue[],
	schema: Schema
): DecisionBody {
	const scope = { schema, type: rule.type };
	const when = body.inputs.map((f, k) => {
		const e = readFormula(f, scope).compiled?.expr;
		const spot = e && spotOf(e, schema);
		const value = values[k] ?? null;
		const tests: Tests['tests'] = [
			{ k: 'is', e: literal(value, spot?.field.list, spot?.field.type) }
		];
		if (!spot || value === null || !['number', 'money', 'percent'].includes(spot.field.type))
			return { tests: { not: false, tests } };
		return { tests: { not: false, tests: [stretch(body, k, String(value), scope)] } };
	});
	let n = body.rows.length + 1;
	while (body.rows.some((x) => x.id === `row${n}`)) n++;
	// what the row gives stays to be written, and until then stands as a finding
	const then = rule.outputs.map(() => ({ text: '' }));
	const row = { id: `row${n}`, when: when.map(bare), then };
	return { ...body, rows: [...body.rows, row] };
}

function literal(v: JsonValue, list: string | undefined, type: string | undefined): Expr {
	if (v === null) return { k: 'null' };
	if (typeof v === 'boolean') return { k: 'bool', v };
	const text = String(v);
	if (list) return { k: 'option', list, option: text };
	if (type === 'date') return { k: 'at', v: text };
	return ['number', 'money', 'percent'].includes(type ?? '')
		? { k: 'num', v: text }
		: { k: 'text', v: text };
}

/** The numbers from a value up to the next limit that any row of the table speaks of. */
function stretch(
	body: DecisionBody,
	column: number,
	value: string,
	scope: { schema: Schema; type: string }
): Tests['tests'][number] {
	const from = parseNum(value)!;
	const limits: string[] = [];
	const visit = (x: unknown) => {
		if (typeof x !== 'object' || x === null) return;
		const e = x as Expr;
		if (e.k === 'num') limits.push(e.v);
		else Object.values(x).forEach(visit);
	};
	for (const row of body.rows)
		visit(readCell(row.when[column] ?? { text: '-' }, ANY, scope).compiled?.tests);
	const above = limits
		.map((l) => parseNum(l)!)
		.filter((l) => (order(l, from) ?? 0) > 0)
		.sort((a, b) => order(a, b) ?? 0)[0];
	const lo: Expr = { k: 'num', v: value };
	if (!above) return { k: 'cmp', op: '>=', e: lo };
	const hi: Expr = { k: 'num', v: String(toJson(above)) };
	return { k: 'is', e: { k: 'range', lo, loIn: true, hi, hiIn: false } };
}
