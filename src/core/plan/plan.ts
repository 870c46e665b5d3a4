/**
 * Compiles a rule set into a plan: for every field that rules write, its claims in order and its
 * rank, so that one ordered pass settles a change. Nothing here runs a rule.
 */
import type { Field, Schema } from '../model/model';
import { refKey } from '../model/model';
import type { MatchBody, MatchHow, Rule, RuleSet } from '../model/rules';
import type { OfGuard } from './compile-rule';
import { RuleCompiler } from './compile-rule';
import { topologicalOrder } from './order';
import type {
	Claim,
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
	BodyResult,
	Claim,
	MessageRule,
	Plan,
	PlanNode,
	Place,
	Problem,
	Reach,
	ReachedField,
	Seen,
	TableTrace,
	TypePlan,
	Validator
} from './types';
export { ruleOf } from './types';
export { bandOf, bandText } from './bands';
export { readFormula } from './read-formula';

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
		const before = problems.length;
		const compiler = new RuleCompiler(schema, rule, problems);
		if (rule.body.kind === 'message') {
			const message = compiler.message(rule.body);
			if (message) messages.push(message);
			continue;
		}
		if (rule.kind === 'validate') {
			const made = compiler.validators();
			if (problems.length === before) made.forEach((m) => addValidator(m));
			continue;
		}
		const made = compiler.claims();
		if (problems.length > before) continue;
		for (const { claim, edges } of made) {
			const key = refKey(rule.type, claim.output.field);
			byField.set(key, [...(byField.get(key) ?? []), claim]);
			depend(key, edges);
		}
	}
	const amounts = amountsByCurrency(schema);
	for (const [key, a] of amounts) depend(key, [a.source]);
	for (const [key, list] of byField) sortClaims(list, set.order[key] ?? []);

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
			hasFill: claims.some((c) => c.output.hold === 'fill'),
			restricts: claims.some((c) => c.output.hold === 'locked' || c.output.closed),
			currency: amount?.currency ?? -1,
			limits: limited
		});
	}
	return index(schema, nodes, validators, messages, problems);
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
				filling: [],
				validators: checks.filter((v) => v.rule.type === t.id),
				messages: []
			}
		])
	);
	const claims = new Map<string, Claim>();
	const validators = new Map<string, Validator>(checks.map((v) => [v.id, v]));
	nodes.forEach((node, i) => {
		const t = types.get(node.type)!;
		t.nodes.push(i);
		t.position[node.index] = i;
		if (node.hasLocked) t.locked.push(i);
		if (node.hasFill) t.filling.push(i);
		for (const c of [...node.claims, ...node.adders]) claims.set(c.id, c);
		for (const v of node.limits) validators.set(v.id, v);
		if (node.currency >= 0) t.watchers[node.currency].push(i);
		for (const c of [...node.claims, ...node.adders, ...node.limits])
			for (const f of [...c.triggers, ...c.triggersSent])
				if (!t.watchers[f].includes(i)) t.watchers[f].push(i);
	});
	messages.forEach((m, k) => {
		const t = types.get(m.rule.type)!;
		const i = nodes.length + k;
		t.messages.push(i);
		for (const f of [...m.triggers, ...m.triggersSent])
			if (!t.watchers[f].includes(i)) t.watchers[f].push(i);
	});
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
		for (const { field, how } of body.kind === 'match' ? body.on : []) {
			const key = refKey((body as MatchBody).type, field);
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

function reportCycle(
	cycle: string[],
	rulesOn: (key: string) => string[],
	schema: Schema,
	problems: Problem[]
) {
	const say = (key: string) => {
		const [type, field] = key.split('.');
		const t = schema.type(type).type;
		return `${t.label}: ${schema.field(type, field)!.label}`;
	};
	const path = [...cycle, cycle[0]].map(say).join(' → ');
	const rules = new Set(cycle.flatMap(rulesOn));
	for (const rule of rules)
		problems.push({
			rule,
			place: 'order',
			message: `These fields depend on each other in a circle: ${path}. Read was. or sent. of one of them instead.`
		});
}
