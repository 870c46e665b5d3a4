/** The formulas of rules as trees, for the analysis. */
import type { Expr } from '../document/tree';
import { bare } from '../document/tree';
import { inlined, walkInlined } from '../feel/inline';
import { typeOfField } from '../feel/types';
import type { Model, Schema } from '../document/model';
import type { Formula, Rule, RuleSet } from '../document/rules';
import { mapBody } from '../kinds';
import type { About, Place } from '../kinds/spec';
import { readFormula } from '../feel/read-formula';

const known = new WeakMap<Formula, { schema: Schema; type: string; expr: Expr | null }>();

/** The tree of a formula, bound to options, definitions in the place of their uses; null when it cannot be read. */
export function exprOf(
	{ schema }: { schema: Schema },
	type: string,
	f: Formula | null
): Expr | null {
	if (!f) return null;
	const had = known.get(f);
	if (had?.schema === schema && had.type === type) return had.expr;
	const read = readFormula(f, { schema, type }).compiled?.expr;
	const expr = read ? inlined(read, schema) : null;
	known.set(f, { schema, type, expr });
	return expr;
}

/**
 * Whether a document reads what no record made up for a trial has: a certain record, or who makes the
 * change. @param also kinds of nodes that count as well
 */
export function readsBeyond(doc: unknown, schema: Schema, also: readonly string[] = []): boolean {
	let beyond = false;
	walkInlined(doc, schema, (x) => {
		if (x.k === 'record' || (x.k === 'env' && x.name === 'person') || also.includes(x.k))
			beyond = true;
		return !beyond;
	});
	return beyond;
}

/** A formula of a rule, with its place and the record type whose fields it speaks of. */
export interface Placed {
	place: Place;
	formula: Formula;
	type: string;
	/** The output (index) that it gives, where it is no more than that. */
	output?: number;
}

/** Every formula of a rule, those within its texts included. */
export function formulasOf(rule: Rule, schema: Schema): Placed[] {
	const out: Placed[] = [];
	const add = (place: Place, formula: Formula, type = rule.type, output?: number) => {
		out.push({ place, formula, type, output });
		return formula;
	};
	if (rule.guard) add('guard', rule.guard, guardType(rule, schema));
	mapBody(rule, {
		formula: (f, place, about) => add(place, f, about?.type, about?.output),
		text: (t, place, about) => {
			for (const piece of t) if (typeof piece !== 'string') add(place, piece, about?.type);
			return t;
		}
	});
	return out;
}

/** The record type whose fields a guard speaks of: that of the record at which the rule is set off. */
export const guardType = (rule: Rule, schema: Schema): string =>
	(rule.each && schema.field(rule.type, rule.each)?.target) || rule.type;

/** The rule set with every formula that is kept as text, and can be read, as its tree; the same one when there is none. */
export function inTrees(set: RuleSet, schema: Schema): RuleSet {
	const rules = set.rules.map((r) => ruleInTrees(r, schema));
	return rules.every((r, i) => r === set.rules[i]) ? set : { ...set, rules };
}

/** Rules with texts, as they were read last: an edit of one reads that one again. */
const lastRead = new WeakMap<
	Rule,
	{ model: Model; definitions: Schema['definitions']; rule: Rule }
>();

function ruleInTrees(rule: Rule, schema: Schema): Rule {
	const { model, definitions } = schema;
	const had = lastRead.get(rule);
	if (had?.model === model && sameEntries(had.definitions, definitions)) return had.rule;
	const read = readInTrees(rule, schema);
	lastRead.set(rule, { model, definitions, rule: read });
	return read;
}

const sameEntries = <K, V>(a: ReadonlyMap<K, V>, b: ReadonlyMap<K, V>) =>
	a === b || (a.size === b.size && [...a].every(([k, v]) => b.get(k) === v));

function readInTrees(rule: Rule, schema: Schema): Rule {
	const read = (f: Formula, about?: About): Formula => {
		if ('expr' in f) return f;
		const field =
			about?.output !== undefined &&
			schema.field(rule.type, rule.outputs[about.output]?.field ?? '');
		const { compiled } = readFormula(f, {
			schema,
			type: about?.type ?? rule.type,
			expected: field ? typeOfField(field) : undefined
		});
		return compiled ? { expr: bare(compiled.expr) } : f;
	};
	const guard = rule.guard && read(rule.guard, { type: guardType(rule, schema) });
	const body = mapBody(rule, {
		formula: (f, _, about) => read(f, about),
		text: (t, _, about) => {
			const next = t.map((x) => (typeof x === 'string' ? x : read(x, about)));
			return next.every((x, i) => x === t[i]) ? t : next;
		}
	});
	return guard === rule.guard && body === rule.body ? rule : { ...rule, guard, body };
}
