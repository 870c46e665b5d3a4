/**
 * What two rule sets can give otherwise, without asking any record: the fields whose rules differ, and those
 * that depend on them. All others come out the same, whatever a record holds.
 */
import { canonicalJson } from '../document/canonical';
import type { Rule } from '../document/rules';
import { nodeKey, planOf } from '../plan/plan';
import type { Plan, PlanNode } from '../plan/types';

/** Two plans of the fields in question and of what these are made of, and which fields are in question. */
export interface Differing {
	/** Fields (`type.field`) that may come out otherwise. */
	fields: ReadonlySet<string>;
	before: Plan;
	after: Plan;
}

/** Two rule sets on one model, as far as they can differ in what they give. */
export function differing(before: Plan, after: Plan): Differing {
	const nodes = [before, after].map((p) => new Map(p.nodes.map((n) => [nodeKey(n), n])));
	const keys = new Set(nodes.flatMap((m) => [...m.keys()]));
	const said = new Sayings(before, after);
	const fields = new Set(
		[...keys].filter((k) => {
			const [a, b] = nodes.map((m) => m.get(k));
			return !a || !b || said.of(a, 0) !== said.of(b, 1);
		})
	);
	const sourcesOf = (k: string) => nodes.flatMap((m) => m.get(k)?.sources ?? []);
	// what depends on one that differs may differ as well
	spread(fields, keys, sourcesOf);
	// what these are made of; a search among records reads what they are found by
	const needed = new Set([...fields, ...before.matched.keys(), ...after.matched.keys()]);
	for (const k of needed) for (const s of sourcesOf(k)) needed.add(s);
	const keep = (n: PlanNode) => needed.has(nodeKey(n));
	return { fields, before: planOf(before, keep), after: planOf(after, keep) };
}

/** Adds to some keys all that depend on them, however far. */
function spread(some: Set<string>, all: ReadonlySet<string>, sources: (key: string) => string[]) {
	const readers = new Map<string, string[]>();
	for (const k of all) for (const s of sources(k)) readers.set(s, [...(readers.get(s) ?? []), k]);
	for (const k of some) for (const r of readers.get(k) ?? []) some.add(r);
}

/** What the rules of a field say, as text, so that two can be compared. */
class Sayings {
	/** Definitions and tables of which the two sides say something else, by identity. */
	private readonly words = new Set<string>();
	private readonly sameModel: boolean;
	private readonly rules = new Map<Rule, string>();

	constructor(before: Plan, after: Plan) {
		const sides = [before.schema, after.schema];
		const models = sides.map((s) => s.model);
		this.sameModel =
			models[0] === models[1] || canonicalJson(models[0]) === canonicalJson(models[1]);
		const parts = sides.flatMap((s, side) =>
			[s.definitions, s.tables].flatMap((all, kind) =>
				[...all.values()].map((d) => ({ id: d.id, side, kind, text: canonicalJson(d) }))
			)
		);
		for (const { id, kind, text } of parts) {
			const both = parts.filter((x) => x.id === id && x.kind === kind);
			if (both.length < 2 || both.some((x) => x.text !== text)) this.words.add(id);
		}
		// a definition that uses one that differs differs too
		for (let n = -1; n !== this.words.size;) {
			n = this.words.size;
			for (const { id, text } of parts) if (mentions(text, this.words)) this.words.add(id);
		}
	}

	/** @param side 0 of the plan before, 1 of the one after: where they may differ unseen, no two are the same */
	of(node: PlanNode, side: 0 | 1): string {
		const texts = [...node.claims, ...node.adders, ...node.limits].map(
			(c) => `${c.id} ${this.rule(c.rule)}`
		);
		const unsure = !this.sameModel || texts.some((t) => mentions(t, this.words));
		return `${unsure ? side : ''} ${node.currency} ${texts.join('\n')}`;
	}

	/** A rule without what only people read. */
	private rule(rule: Rule): string {
		const had = this.rules.get(rule);
		if (had !== undefined) return had;
		const { name: _name, why: _why, ...rest } = rule;
		const text = canonicalJson(rest);
		this.rules.set(rule, text);
		return text;
	}
}

/** Whether a document names one of some parts; one that is written as text names them by words, so it may. */
function mentions(text: string, ids: ReadonlySet<string>): boolean {
	if (!ids.size) return false;
	if (text.includes('"text":')) return true;
	for (const id of ids) if (text.includes(JSON.stringify(id))) return true;
	return false;
}
