/**
 * Compiles a rule set into a plan: for every field that rules write, its claims in order and its
 * rank, so that one ordered pass settles a change. Nothing here runs a rule.
 */
import type { Compiled, Run } from '../feel/compile';
import { compileExpression } from '../feel/compile';
import { parseExpression } from '../feel/parse';
import { printExpression } from '../feel/print';
import type { Expr, Fault } from '../feel/tree';
import { FormulaError } from '../feel/tree';
import type { Ty } from '../feel/types';
import { ANY, BOOLEAN, typeOfField } from '../feel/types';
import type { JsonValue } from '../model/codec';
import { fromJson } from '../model/codec';
import type { Field, FieldRef, Schema } from '../model/model';
import { refKey } from '../model/model';
import type { Blank, Body, Formula, Output, Rule, RuleSet } from '../model/rules';
import { claimId } from '../model/rules';
import type { Num } from '../value/num';
import type { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { order } from '../value/value';
import { topologicalOrder } from './order';

/** Where in a rule a problem lies. */
export type Place =
	| 'guard'
	| 'input'
	| 'watch'
	| 'outputs'
	| 'blank'
	| `formula ${number}`
	| `result ${number}`
	| 'order';

/** A fault of a rule that keeps it from being released. */
export interface Problem {
	rule: string;
	place: Place;
	message: string;
	/** Where in the formula's text, when it lies in one. */
	span?: { from: number; to: number };
}

/** What running a body gives. */
export type BodyResult =
	| { got: true; value: Value; row?: number | string }
	| { got: false; why: 'no row' | 'blank' | 'null'; row?: number | string };

/** A leaf of a guard, for showing which part was true. */
export interface GuardPart {
	text: string;
	run: Run;
	reads: FieldRef[];
}

export interface Claim {
	id: string;
	rule: Rule;
	output: Output;
	/** Index of the target in the arrays of its type. */
	target: number;
	field: Field;
	guard: Run | null;
	/** The guard on values before the change, for *entering*. */
	guardBefore: Run | null;
	guardParts: GuardPart[];
	run: (env: Parameters<Run>[0]) => BodyResult;
	/** Own fields (indices) whose change triggers it, guards above in the claim order included. */
	triggers: number[];
	/** The same by what is compared: settled against was, or sent against was. */
	triggersSent: number[];
	/** Fields the claim reads, for explanations. */
	reads: FieldRef[];
	/** Reads what was sent for its own target: a cleaning rule, which the sender's own value cannot keep out. */
	readsOwnSent: boolean;
	/** Depends on the event itself, so it does not run on request. */
	eventful: boolean;
}

/** One field that rules write. */
export interface PlanNode {
	type: string;
	field: Field;
	index: number;
	claims: Claim[];
	hasLocked: boolean;
	hasFill: boolean;
	/** Some claim is Locked or closed to people. */
	restricts: boolean;
}

/** The nodes of one record type, worked out so that a change finds what it triggers without a search. All numbers are positions in {@link Plan.nodes}. */
export interface TypePlan {
	nodes: number[];
	/** By index of the field that changed. */
	watchers: number[][];
	/** By index of the field written; -1 for fields that no rule writes. */
	position: Int32Array;
	/** Nodes with a Locked claim, and with a Fill claim. */
	locked: number[];
	filling: number[];
}

export interface Plan {
	schema: Schema;
	/** In the order in which they are settled. */
	nodes: PlanNode[];
	/** By record type; types without rules are there too. */
	types: ReadonlyMap<string, TypePlan>;
	problems: Problem[];
	/** Every claim by id, those with problems left out. */
	claims: ReadonlyMap<string, Claim>;
}

/** Compiles a rule set. Rules with problems are left out and listed; the rest works. */
export function compilePlan(schema: Schema, set: RuleSet): Plan {
	const problems: Problem[] = [];
	const byField = new Map<string, Claim[]>();
	const sources = new Map<string, Set<string>>();
	for (const rule of set.rules) {
		if (rule.off) continue;
		const before = problems.length;
		const made = new RuleCompiler(schema, rule, problems).claims();
		if (problems.length > before) continue;
		for (const { claim, edges } of made) {
			const key = refKey(rule.type, claim.output.field);
			byField.set(key, [...(byField.get(key) ?? []), claim]);
			const s = sources.get(key) ?? new Set();
			edges.forEach((e) => s.add(e));
			sources.set(key, s);
		}
	}
	for (const [key, list] of byField) sortClaims(list, set.order[key] ?? []);

	const { sorted, cycle } = topologicalOrder(
		fieldKeys(schema).filter((k) => byField.has(k)),
		(k) => sources.get(k) ?? []
	);
	if (cycle) reportCycle(cycle, byField, schema, problems);

	const nodes: PlanNode[] = [];
	for (const key of sorted) {
		const claims = byField.get(key)!;
		addUpperGuards(claims);
		const [type] = key.split('.');
		const { field, target } = claims[0];
		nodes.push({
			type,
			field,
			index: target,
			claims,
			hasLocked: claims.some((c) => c.output.hold === 'locked'),
			hasFill: claims.some((c) => c.output.hold === 'fill'),
			restricts: claims.some((c) => c.output.hold === 'locked' || c.output.closed)
		});
	}
	return index(schema, nodes, problems);
}

function index(schema: Schema, nodes: PlanNode[], problems: Problem[]): Plan {
	const types = new Map<string, TypePlan>(
		schema.model.types.map((t) => [
			t.id,
			{
				nodes: [],
				watchers: t.fields.map(() => []),
				position: new Int32Array(t.fields.length).fill(-1),
				locked: [],
				filling: []
			}
		])
	);
	const claims = new Map<string, Claim>();
	nodes.forEach((node, i) => {
		const t = types.get(node.type)!;
		t.nodes.push(i);
		t.position[node.index] = i;
		if (node.hasLocked) t.locked.push(i);
		if (node.hasFill) t.filling.push(i);
		for (const c of node.claims) {
			claims.set(c.id, c);
			for (const f of [...c.triggers, ...c.triggersSent])
				if (!t.watchers[f].includes(i)) t.watchers[f].push(i);
		}
	});
	return { schema, nodes, types, problems, claims };
}

const fieldKeys = (schema: Schema) =>
	schema.model.types.flatMap((t) => t.fields.map((f) => refKey(t.id, f.id)));

function sortClaims(claims: Claim[], ids: string[]) {
	const place = (c: Claim) => {
		const i = ids.indexOf(c.id);
		return i < 0 ? ids.length : i;
	};
	const ranked = claims.map((c, i) => ({ c, p: place(c), i }));
	ranked.sort((a, b) => a.p - b.p || a.i - b.i);
	ranked.forEach((r, i) => (claims[i] = r.c));
}

/** A claim moves on when a claim above it lets go, so it is also triggered by what guards above it read. */
function addUpperGuards(claims: Claim[]) {
	const above = new Set<number>();
	for (const c of claims) {
		const own = (c as Claim & { guardReads: number[] }).guardReads;
		c.triggers = [...new Set([...c.triggers, ...above])];
		own.forEach((f) => above.add(f));
	}
}

function reportCycle(
	cycle: string[],
	byField: Map<string, Claim[]>,
	schema: Schema,
	problems: Problem[]
) {
	const say = (key: string) => {
		const [type, field] = key.split('.');
		const t = schema.type(type).type;
		return `${t.label}: ${schema.field(type, field)!.label}`;
	};
	const path = [...cycle, cycle[0]].map(say).join(' → ');
	const rules = new Set(cycle.flatMap((k) => byField.get(k)!.map((c) => c.rule.id)));
	for (const rule of rules)
		problems.push({
			rule,
			place: 'order',
			message: `These fields depend on each other in a circle: ${path}. Read was. or sent. of one of them instead.`
		});
}

/** What a formula says, with its faults, for the editor and the compiler alike. */
export function readFormula(
	f: Formula,
	scope: { schema: Schema; type: string; expected?: Ty; before?: boolean }
): { text: string; compiled: Compiled | null; faults: Fault[] } {
	let text: string;
	let expr: Expr;
	if ('expr' in f) ({ text, expr } = printExpression(f.expr, scope.schema));
	else {
		text = f.text;
		if (!text.trim())
			return {
				text,
				compiled: null,
				faults: [{ message: 'A formula is missing.', from: 0, to: 0 }]
			};
		try {
			expr = parseExpression(text, { schema: scope.schema, type: scope.type });
		} catch (e) {
			if (e instanceof FormulaError) return { text, compiled: null, faults: [e.fault] };
			throw e;
		}
	}
	const compiled = compileExpression(expr, scope);
	return { text, compiled, faults: compiled.faults };
}

interface Made {
	claim: Claim & { guardReads: number[] };
	/** Fields (`type.field`) whose settled values must be there first. */
	edges: string[];
}

class RuleCompiler {
	constructor(
		private readonly schema: Schema,
		private readonly rule: Rule,
		private readonly problems: Problem[]
	) {}

	private problem(place: Place, message: string, span?: Fault) {
		this.problems.push({
			rule: this.rule.id,
			place,
			message,
			...(span ? { span: { from: span.from, to: span.to } } : {})
		});
	}

	private formula(f: Formula, place: Place, expected?: Ty, before = false): Compiled | null {
		const r = readFormula(f, { schema: this.schema, type: this.rule.type, expected, before });
		for (const fault of r.faults) this.problem(place, fault.message, fault);
		return r.faults.length ? null : r.compiled;
	}

	claims(): Made[] {
		const { rule, schema } = this;
		if (!schema.types.has(rule.type)) {
			this.problem('outputs', 'The record type of this rule is no longer there.');
			return [];
		}
		const t = schema.type(rule.type);
		const guard = rule.guard && this.formula(rule.guard, 'guard', BOOLEAN);
		const before =
			rule.guard && guard && rule.entering
				? this.formula(rule.guard, 'guard', BOOLEAN, true)
				: null;
		if (rule.entering && !rule.guard)
			this.problem('guard', 'A rule that applies on entering needs a guard.');
		if (
			rule.entering &&
			guard &&
			(guard.reads.some((r) => r.image === 'was') || guard.events.length)
		)
			this.problem(
				'guard',
				'On entering compares before and after by itself; its guard cannot read was. or changed().'
			);
		if (!rule.outputs.length) this.problem('outputs', 'This rule writes no field yet.');

		const made: Made[] = [];
		rule.outputs.forEach((output, i) => {
			const field = schema.field(rule.type, output.field);
			const target = t.at.get(output.field);
			if (!field || target === undefined) {
				this.problem('outputs', 'The field this rule writes is no longer there.');
				return;
			}
			const body = this.body(rule.body, i, field);
			if (!body) return;
			const reads = [...(guard?.reads ?? []), ...body.reads];
			const own = refKey(rule.type, output.field);
			const settledReads = reads.filter((r) => r.image === 'settled');
			const edges = settledReads.flatMap((r) => [
				refKey(r.type, r.field),
				...r.via.map((v) => refKey(v.type, v.field))
			]);
			if (edges.includes(own)) {
				this.problem(
					rule.body.kind === 'formula' ? `formula ${i}` : 'input',
					`This reads ${field.label}, the field it writes. Read was.${field.label.toLowerCase()} (before the change) or sent.${field.label.toLowerCase()} (what was entered).`
				);
				return;
			}
			const at = (r: FieldRef) => t.at.get(r.field)!;
			const isOwn = (r: FieldRef & { via: FieldRef[] }) => r.type === rule.type && !r.via.length;
			const firstLink = (r: { via: FieldRef[] }) =>
				r.via.filter((v) => v.type === rule.type).slice(0, 1);
			let triggers = unique([
				...settledReads.filter(isOwn).map(at),
				...settledReads.flatMap(firstLink).map(at),
				...[...(guard?.events ?? []), ...body.events].map(at)
			]);
			const triggersSent = unique(reads.filter((r) => r.image === 'sent' && isOwn(r)).map(at));
			if (rule.watch) {
				triggers = [];
				for (const id of rule.watch) {
					const j = t.at.get(id);
					if (j === undefined) this.problem('watch', 'A watched field is no longer there.');
					else triggers.push(j);
				}
			}
			const outside = new Set([...(guard?.outside ?? []), ...body.outside]);
			const eventful =
				rule.entering ||
				outside.has('now') ||
				reads.some((r) => r.image !== 'settled') ||
				!!guard?.events.length ||
				!!body.events.length;
			if (output.hold === 'locked') this.checkLocked(output, field, reads, outside, eventful);
			made.push({
				claim: {
					id: claimId(rule.id, output.id),
					rule,
					output,
					target,
					field,
					guard: guard?.run ?? null,
					guardBefore: before?.run ?? null,
					guardParts: guard ? this.parts(guard.expr) : [],
					run: body.run,
					triggers,
					triggersSent,
					reads: dedupe(reads),
					readsOwnSent: triggersSent.includes(target),
					eventful,
					guardReads: guard
						? unique([
								...guard.reads.filter((r) => r.image === 'settled' && isOwn(r)).map(at),
								...guard.events.map(at)
							])
						: []
				},
				edges
			});
		});
		return made;
	}

	/** A Locked field always equals its claim, so the claim may depend on settled values only. */
	private checkLocked(
		output: Output,
		field: Field,
		reads: { image: string }[],
		outside: Set<string>,
		eventful: boolean
	) {
		const { rule } = this;
		const say = (m: string) =>
			this.problem('outputs', `${field.label} is Locked: it always equals this rule. ${m}`);
		if (
			eventful ||
			reads.some((r) => r.image !== 'settled') ||
			outside.has('today') ||
			outside.has('person') ||
			outside.has('entry point')
		)
			say(
				'So the rule may read settled values only, not was., sent., now, today, the person or the entry point; use Follow.'
			);
		if (rule.watch) say('So its watched fields cannot be narrowed; use Follow.');
		if (rule.entryPoints || rule.moments.length < 3)
			say('So it holds on every entry point and at every moment; use Follow to narrow it.');
		if (output.none === 'leave')
			say('So without a result it passes on or clears; it cannot leave the field.');
	}

	private parts(expr: Expr): GuardPart[] {
		const out: GuardPart[] = [];
		const visit = (e: Expr) => {
			if (e.k === 'and' || e.k === 'or') e.items.forEach(visit);
			else if (e.k === 'call' && e.fn === 'not' && e.args.length === 1) visit(e.args[0]);
			else {
				const { text, expr: shown } = printExpression(e, this.schema);
				const c = compileExpression(shown, {
					schema: this.schema,
					type: this.rule.type,
					expected: BOOLEAN
				});
				out.push({ text, run: c.run, reads: dedupe(c.reads) });
			}
		};
		visit(expr);
		return out;
	}

	private constant(json: JsonValue, field: Field, place: Place): Value {
		const r = fromJson(field, json, this.schema);
		if (r.ok) return r.value;
		this.problem(place, r.message);
		return null;
	}

	private blank(blank: Blank, i: number, field: Field): BodyResult {
		if (blank && 'give' in blank) {
			const value = this.constant(blank.give[i] ?? null, field, 'blank');
			return value === null
				? { got: false, why: 'blank', row: 'blank' }
				: { got: true, value, row: 'blank' };
		}
		return { got: false, why: 'blank', row: 'blank' };
	}

	private body(
		body: Body,
		i: number,
		field: Field
	): (Pick<Compiled, 'reads' | 'events' | 'outside'> & { run: Claim['run'] }) | null {
		switch (body.kind) {
			case 'formula': {
				const c = this.formula(
					body.formulas[i] ?? { text: '' },
					`formula ${i}`,
					typeOfField(field)
				);
				if (!c) return null;
				const run: Claim['run'] = (env) => {
					const value = c.run(env);
					return value === null ? { got: false, why: 'null' } : { got: true, value };
				};
				return { ...c, run };
			}
			case 'bands':
				return this.bands(body, i, field);
			case 'options':
				return this.options(body, i, field);
		}
	}

	private bands(body: Body & { kind: 'bands' }, i: number, field: Field) {
		const input = this.formula(body.input, 'input');
		if (!input) return null;
		const { ty } = input;
		if (ty.t !== 'number' && ty.t !== 'date' && ty.t !== 'any') {
			this.problem('input', 'Bands part numbers, amounts or dates.');
			return null;
		}
		const limitField: Field = {
			id: 'limit',
			label: 'The limit',
			group: '',
			type: ty.t === 'date' ? 'date' : 'number'
		};
		const limits = body.limits.map((l, k) => ({
			at: this.constant(l.at, limitField, `result ${k}`),
			above: l.belongs === 'above'
		}));
		for (let k = 1; k < limits.length; k++) {
			const o = order(limits[k - 1].at, limits[k].at);
			if (o === null || o > 0 || (o === 0 && !(limits[k - 1].above && !limits[k].above)))
				this.problem(
					`result ${k}`,
					`The limits must rise: ${body.limits[k].at} stands behind ${body.limits[k - 1].at}.`
				);
		}
		if (body.results.length !== limits.length + 1) {
			this.problem('input', 'There must be one band more than there are limits.');
			return null;
		}
		const results = body.results.map((r, k): BodyResult => {
			if (!r) return { got: false, why: 'no row', row: k };
			const value = this.constant(r[i] ?? null, field, `result ${k}`);
			return value === null ? { got: false, why: 'null', row: k } : { got: true, value, row: k };
		});
		const blank = this.blank(body.blank, i, field);
		const run: Claim['run'] = (env) => {
			const v = input.run(env);
			if (v === null) return blank;
			return results[bandOf(v as Num | LocalDate, limits)];
		};
		return { ...input, run };
	}

	private options(body: Body & { kind: 'options' }, i: number, field: Field) {
		const source = this.schema.field(this.rule.type, body.input);
		if (!source) {
			this.problem('input', 'The field this rule maps from is not chosen or no longer there.');
			return null;
		}
		if (source.type !== 'choice' && source.type !== 'yesno') {
			this.problem('input', `${source.label} is neither a choice nor yes/no.`);
			return null;
		}
		const rows = new Map<string, BodyResult>();
		for (const [key, r] of Object.entries(body.rows)) {
			if (source.type === 'choice' && !this.schema.option(source.list!, key)) {
				this.problem('input', `${source.label} has no option “${key}”.`);
				continue;
			}
			const value = this.constant(r[i] ?? null, field, `result ${0}`);
			rows.set(
				key,
				value === null ? { got: false, why: 'null', row: key } : { got: true, value, row: key }
			);
		}
		const blank = this.blank(body.blank, i, field);
		const expr: Expr = { k: 'field', image: 'settled', type: this.rule.type, field: source.id };
		const c = compileExpression(expr, { schema: this.schema, type: this.rule.type, expected: ANY });
		const run: Claim['run'] = (env) => {
			const v = c.run(env);
			if (v === null) return blank;
			return rows.get(String(v)) ?? { got: false, why: 'no row', row: String(v) };
		};
		return { ...c, run };
	}
}

/** Index of the band a value falls in: band k lies between limit k-1 and limit k. */
export function bandOf(v: Value, limits: readonly { at: Value; above: boolean }[]): number {
	let k = 0;
	for (; k < limits.length; k++) {
		const o = order(v, limits[k].at);
		if (o === null) break;
		if (o < 0 || (o === 0 && !limits[k].above)) break;
	}
	return k;
}

/** A band as a FEEL range: `[10..50)`, `< 10`, `>= 250`. */
export function bandText(
	limits: readonly { at: string; belongs: 'above' | 'below' }[],
	k: number
): string {
	const lo = limits[k - 1];
	const hi = limits[k];
	if (!lo && !hi) return 'any number';
	if (!lo) return `${hi.belongs === 'above' ? '<' : '<='} ${hi.at}`;
	if (!hi) return `${lo.belongs === 'above' ? '>=' : '>'} ${lo.at}`;
	return `${lo.belongs === 'above' ? '[' : '('}${lo.at}..${hi.at}${hi.belongs === 'above' ? ')' : ']'}`;
}

const unique = (xs: number[]) => [...new Set(xs)];

function dedupe(reads: readonly FieldRef[]): FieldRef[] {
	const seen = new Map<string, FieldRef>();
	for (const r of reads) seen.set(refKey(r.type, r.field), r);
	return [...seen.values()];
}
