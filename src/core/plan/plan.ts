/**
 * Compiles a rule set into a plan: for every field that rules write, its claims in order and its
 * rank, so that one ordered pass settles a change. Nothing here runs a rule.
 */
import type { Field, Schema } from '../document/model';
import { refKey } from '../document/model';
import type { MatchHow, NoResult, Output, Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';
import { own } from '../value/own';
import { kindOf, writerOf } from '../kinds';
import type { Made, OfGuard } from './compile-rule';
import { RuleCompiler } from './compile-rule';
import { topologicalOrder } from './order';
import type {
	Claim,
	Joins,
	MessageRule,
	Plan,
	PlanNode,
	Problem,
	Reach,
	ReachedField,
	TypePlan,
	Validator
} from './types';

export type {
	GuardPart,
	Claim,
	Joins,
	MessageRule,
	PilotPlan,
	Plan,
	PlanNode,
	Problem,
	Reach,
	ReachedField,
	Seen,
	TypePlan,
	Validator
} from './types';
export { ruleOf, rulesOfRecord } from './types';

/** What one rule compiles to, whatever other rules there are. */
interface RuleMade {
	problems: readonly Problem[];
	message: MessageRule | null;
	validators: readonly { validator: Validator; edges: string[] }[];
	claims: readonly Made[];
}

/** Rules as they were compiled, by schema: an edit of one rule compiles that rule and no other. */
const compiled = new WeakMap<Schema, WeakMap<Rule, RuleMade>>();

/** Compiles a rule, once for each schema. One with problems makes nothing. */
function compileRule(schema: Schema, rule: Rule): RuleMade {
	const known = compiled.get(schema) ?? new WeakMap<Rule, RuleMade>();
	const had = known.get(rule);
	if (had) return had;
	const problems: Problem[] = [];
	const compiler = new RuleCompiler(schema, rule, problems);
	const kind = kindOf(rule.body);
	const message = kind.does === 'sends' ? compiler.message() : null;
	const validators = kind.does !== 'sends' && rule.kind === 'validate' ? compiler.validators() : [];
	const claims = kind.does !== 'sends' && rule.kind !== 'validate' ? compiler.claims() : [];
	const made: RuleMade = problems.length
		? { problems, message: null, validators: [], claims: [] }
		: { problems, message, validators, claims };
	// only what was compiled to the end is kept
	known.set(rule, made);
	compiled.set(schema, known);
	return made;
}

/** Compiles a rule set. Rules with problems are left out and listed; the rest works. */
export function compilePlan(model: Schema, set: RuleSet): Plan {
	const schema = model.with(set);
	const problems: Problem[] = [];
	const byField = new Map<string, Claim[]>();
	const sources = new Map<string, Set<string>>();
	const limits = new Map<string, Validator[]>();
	const validators: Validator[] = [];
	const messages: MessageRule[] = [];
	const depend = (key: string, edges: string[]) => {
		const s = sources.get(key) ?? new Set();
		edges.forEach((e) => s.add(e));
		sources.set(key, s);
	};
	const addValidator = ({ validator: v, edges }: { validator: Validator; edges: string[] }) => {
		if (v.kind !== 'limited' && v.kind !== 'read-only') {
			validators.push(v);
			return;
		}
		const key = refKey(v.rule.type, v.field.id);
		limits.set(key, [...(limits.get(key) ?? []), v]);
		depend(key, edges);
	};
	const seen = new Set<string>();
	for (const rule of set.rules) {
		if (seen.has(rule.id)) {
			const message = `Two rules have the identity “${rule.id}”; the first counts.`;
			problems.push({ rule: rule.id, place: 'outputs', message });
			continue;
		}
		seen.add(rule.id);
		if (rule.off) continue;
		const made = compileRule(schema, rule);
		problems.push(...made.problems);
		if (made.message) messages.push(made.message);
		made.validators.forEach(addValidator);
		for (const { claim, edges } of made.claims) {
			const key = refKey(rule.type, claim.output.field);
			// a plan adds to its claims what stands above them, so each plan has its own
			byField.set(key, [...(byField.get(key) ?? []), { ...claim }]);
			depend(key, edges);
		}
	}
	const amounts = amountsByCurrency(schema);
	for (const [key, a] of amounts) depend(key, [a.source]);
	for (const [key, list] of byField) sortClaims(list, own(set.order, key) ?? []);

	const { sorted, cycle } = topologicalOrder(
		fieldKeys(schema).filter((k) => byField.has(k) || limits.has(k) || amounts.has(k)),
		(k) => sources.get(k) ?? []
	);
	if (cycle)
		reportCycle(
			cycle,
			(k) => [...(byField.get(k) ?? []), ...(limits.get(k) ?? [])].map((c) => c.rule.id),
			schema,
			problems
		);

	const nodes: PlanNode[] = [];
	for (const key of sorted) {
		const all = byField.get(key) ?? [];
		const claims = all.filter((c) => !c.output.adds);
		const adders = all.filter((c) => c.output.adds);
		const limited = limits.get(key) ?? [];
		addUpperGuards(claims);
		const [type] = key.split('.');
		const amount = amounts.get(key);
		const { field, target } = all[0] ?? limited[0] ?? amount!;
		nodes.push({
			type,
			field,
			index: target,
			claims,
			adders,
			hasLocked: claims.some((c) => c.output.hold === 'locked'),
			restricts: claims.some((c) => c.output.hold === 'locked' || c.output.closed),
			currency: amount?.currency ?? -1,
			limits: limited,
			sources: [...(sources.get(key) ?? [])]
		});
	}
	return index(schema, nodes, validators, messages, problems);
}

/** The key of a node: `type.field`. */
export const nodeKey = (n: PlanNode): string => refKey(n.type, n.field.id);

/** A plan of some of its parts alone. @param with checks and states, and messages; none where none are named */
export function planOf(
	plan: Plan,
	keep: (node: PlanNode) => boolean,
	{ checks = [], messages = [] }: { checks?: Validator[]; messages?: MessageRule[] } = {}
): Plan {
	return index(plan.schema, plan.nodes.filter(keep), checks, messages, []);
}

/** What a side of a pilot has where only the other writes a field. */
const nothingAt = ({ type, field, index }: PlanNode): PlanNode => ({
	type,
	field,
	index,
	claims: [],
	adders: [],
	hasLocked: false,
	restricts: false,
	currency: -1,
	limits: [],
	sources: []
});

/**
 * Two plans of one model side by side: one decides the records of a pilot, the other all the rest. They get one order
 * of fields, since values run on from the records of either to those of the other.
 * @returns null with the path of fields, where their rules together depend on each other in a circle
 */
export function joinPlans(
	base: Plan,
	pilot: Plan,
	joins: Joins
): { plan: Plan; circle: null } | { plan: null; circle: string } {
	const sides = [base, pilot].map((p) => new Map(p.nodes.map((n) => [nodeKey(n), n])));
	const at = (key: string) => sides.flatMap((s) => s.get(key) ?? []);
	const { sorted, cycle } = topologicalOrder(
		fieldKeys(base.schema).filter((k) => at(k).length),
		(k) => at(k).flatMap((n) => n.sources)
	);
	if (cycle) return { plan: null, circle: circleOf(cycle, base.schema) };
	const [one, other] = [base, pilot].map((p, i) =>
		index(
			p.schema,
			sorted.map((k) => sides[i].get(k) ?? nothingAt(at(k)[0])),
			[...p.types.values()].flatMap((t) => t.validators),
			[...p.messages],
			p.problems
		)
	);
	return { plan: { ...one, pilot: { plan: other, joins } }, circle: null };
}

/** The plan with its Locked claims and its checks alone: what has to be so whatever is written. Nothing comes to belong to a pilot by it. */
export function lockedOnly(plan: Plan): Plan {
	const { pilot } = plan;
	// a field has one position in both
	const locked = plan.nodes.map((n, i) => n.hasLocked || !!pilot?.plan.nodes[i].hasLocked);
	const of = (p: Plan): Plan => {
		const nodes = p.nodes
			.filter((_, i) => locked[i])
			.map((n) => ({
				...n,
				claims: n.claims.filter((c) => c.output.hold === 'locked'),
				adders: []
			}));
		const checks = [...p.types.values()].flatMap((t) => t.validators);
		return index(p.schema, nodes, checks, [], []);
	};
	const nobody: Joins = { created: new Map(), brought: null };
	return { ...of(plan), ...(pilot ? { pilot: { plan: of(pilot.plan), joins: nobody } } : {}) };
}

/** The plan without the claims of one field: whoever writes there is trusted to know what those would have given. */
export function openField(plan: Plan, type: string, field: string): Plan {
	const key = refKey(type, field);
	const of = (p: Plan): Plan =>
		index(
			p.schema,
			// the same positions on both sides of a pilot
			p.nodes.map((n) => (nodeKey(n) === key ? { ...nothingAt(n), limits: n.limits } : n)),
			[...p.types.values()].flatMap((t) => t.validators),
			[...p.messages],
			[]
		);
	const { pilot } = plan;
	return { ...of(plan), ...(pilot ? { pilot: { ...pilot, plan: of(pilot.plan) } } : {}) };
}

/** Amounts whose currency another field tells, by `type.field`. */
function amountsByCurrency(schema: Schema) {
	const out = new Map<string, { field: Field; target: number; currency: number; source: string }>();
	for (const { type, at } of schema.types.values())
		for (const field of type.fields) {
			const currency = at.get(field.currencyField ?? '');
			if (field.type !== 'money' || currency === undefined) continue;
			const source = refKey(type.id, field.currencyField!);
			out.set(refKey(type.id, field.id), { field, target: at.get(field.id)!, currency, source });
		}
	return out;
}

function index(
	schema: Schema,
	nodes: PlanNode[],
	checks: Validator[],
	messages: MessageRule[],
	problems: Problem[]
): Plan {
	const types = new Map<string, TypePlan>(
		schema.model.types.map((t) => [
			t.id,
			{
				nodes: [],
				watchers: t.fields.map(() => []),
				position: new Int32Array(t.fields.length).fill(-1),
				reach: [],
				locked: [],
				validators: [],
				judges: t.fields.map(() => []),
				always: [],
				standing: [],
				zeros: t.fields.map(() => 0),
				nobody: t.fields.map(() => null),
				reported: [],
				messages: []
			}
		])
	);
	for (const v of checks) {
		const t = types.get(v.rule.type)!;
		const k = t.validators.push(v) - 1;
		for (const f of new Set([...v.triggers, ...v.triggersSent])) t.judges[f].push(k);
		if (v.always) t.always.push(k);
		if (v.kind !== 'check') t.standing.push(k);
	}
	const claims = new Map<string, Claim>();
	const validators = new Map<string, Validator>(checks.map((v) => [v.id, v]));
	const watch = (t: TypePlan, i: number, fields: Iterable<number>) => {
		for (const f of fields) if (t.watchers[f].at(-1) !== i) t.watchers[f].push(i);
	};
	nodes.forEach((node, i) => {
		const t = types.get(node.type)!;
		t.nodes.push(i);
		t.position[node.index] = i;
		if (node.hasLocked) t.locked.push(i);
		for (const c of [...node.claims, ...node.adders]) claims.set(c.id, c);
		for (const v of node.limits) validators.set(v.id, v);
		if (node.currency >= 0) watch(t, i, [node.currency]);
		for (const c of [...node.claims, ...node.adders, ...node.limits]) {
			watch(t, i, c.triggers);
			watch(t, i, c.triggersSent);
		}
	});
	messages.forEach((m, k) => {
		const t = types.get(m.rule.type)!;
		const i = nodes.length + k;
		t.messages.push(i);
		watch(t, i, m.triggers);
		watch(t, i, m.triggersSent);
	});
	for (const t of types.values()) {
		const of = t.nodes.map((n) => nodes[n]);
		t.reported = [
			...of.flatMap((n) => [...n.claims, ...n.adders]),
			...of.flatMap((n) => n.limits),
			...t.validators,
			...t.messages.map((n) => messages[n - nodes.length])
		];
	}
	const matched = matchedBy([...claims.values()].map((c) => c.rule));
	const reach = reachOf(nodes, messages);
	for (const [id, t] of types)
		t.reach = schema.type(id).type.fields.map((f) => reach.get(refKey(id, f.id)));
	return { schema, nodes, types, problems, claims, validators, reach, messages, matched };
}

/** Fields by which rules find records. */
function matchedBy(rules: readonly Rule[]): Map<string, MatchHow[]> {
	const out = new Map<string, MatchHow[]>();
	for (const { body } of rules)
		for (const { type, field, how } of writerOf(body)?.finds(body) ?? []) {
			const key = refKey(type, field);
			out.set(key, [...new Set([...(out.get(key) ?? []), how])]);
		}
	return out;
}

/** Turned round: from each field to what depends on it at other records. */
function reachOf(
	nodes: readonly PlanNode[],
	messages: readonly MessageRule[]
): Map<string, Reach[]> {
	const out = new Map<string, Reach[]>();
	const seen = new Set<string>();
	const add = (i: number, own: string, reached: readonly ReachedField[]) => {
		for (const { type, field, via, key } of reached) {
			const once = `${i} ${key}`;
			if (seen.has(once)) continue;
			seen.add(once);
			const at = refKey(type, field);
			out.set(at, [...(out.get(at) ?? []), { key, via, node: i, type: own }]);
		}
	};
	nodes.forEach((node, i) => {
		for (const c of [...node.claims, ...node.adders]) add(i, node.type, c.reached);
	});
	messages.forEach((m, k) => {
		// one that leaves reached records out has nothing to wait for there
		if (!m.rule.submittedOnly) add(nodes.length + k, m.rule.type, m.reached);
	});
	return out;
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
	const far: ReachedField[] = [];
	for (const c of claims as (Claim & OfGuard)[]) {
		c.triggers = [...new Set([...c.triggers, ...above])];
		c.reached = [...c.reached, ...far];
		c.guardReads.forEach((f) => above.add(f));
		far.push(...c.guardReached);
	}
}

/** The fields of a circle, as they are called. */
function circleOf(cycle: readonly string[], schema: Schema): string {
	const say = (key: string) => {
		const [type, field] = key.split('.');
		const t = schema.type(type).type;
		return `${t.label}: ${schema.field(type, field)!.label}`;
	};
	return [...cycle, cycle[0]].map(say).join(' → ');
}

function reportCycle(
	cycle: string[],
	rulesOn: (key: string) => string[],
	schema: Schema,
	problems: Problem[]
) {
	const path = circleOf(cycle, schema);
	const rules = new Set(cycle.flatMap(rulesOn));
	for (const rule of rules)
		problems.push({
			rule,
			place: 'order',
			message: `These fields depend on each other in a circle: ${path}. Read was. or sent. of one of them instead.`
		});
}

/**
 * What an output does in the end where it has no result: *next* means that another claim of the field
 * takes over; where none follows, a Locked field is cleared and any other is left as it is.
 */
export function withoutResult(plan: Plan, rule: Rule, output: Output): NoResult {
	if (output.none !== 'next') return output.none;
	const node = plan.nodes.find((n) => n.type === rule.type && n.field.id === output.field);
	const claims = node?.claims ?? [];
	const place = claims.findIndex((c) => c.id === claimId(rule.id, output.id));
	if (place < claims.length - 1) return 'next';
	return output.hold === 'locked' ? 'clear' : 'leave';
}
