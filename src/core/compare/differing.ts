/**
 * What two rule sets can give otherwise, without asking any record: the fields whose rules differ, and those
 * that depend on them. All others come out the same, whatever a record holds.
 */
import { canonicalJson } from '../document/canonical';
import type { Rule } from '../document/rules';
import { nodeKey, planOf } from '../plan/plan';
import { refKey, type Schema } from '../document/model';
import type { MessageRule, Plan, PlanNode, Validator } from '../plan/types';

/** Two plans of the fields in question and of what these are made of, and which fields are in question. */
export interface Differing {
	/** Fields (`type.field`) that may come out otherwise. */
	fields: ReadonlySet<string>;
	/** Those of them of which the rules themselves differ: the others follow from these. */
	edited: ReadonlySet<string>;
	/** What a field is made of (`type.field`), by either rule set. */
	sources: (field: string) => readonly string[];
	before: Plan;
	after: Plan;
	/**
	 * Of either rule set only the checks and required fields that may refuse otherwise, with what hides their
	 * fields; and the types on which there are any.
	 */
	checks: { before: Plan; after: Plan; types: ReadonlySet<string> };
}

/** The fields of two rule sets on one model, which of them differ, and which follow from these. */
function inQuestion(before: Plan, after: Plan, said: Sayings) {
	const nodes = [before, after].map((p) => new Map(p.nodes.map((n) => [nodeKey(n), n])));
	const keys = new Set(nodes.flatMap((m) => [...m.keys()]));
	const fields = new Set(
		[...keys].filter((k) => {
			const [a, b] = nodes.map((m) => m.get(k));
			return !a || !b || said.of(a, 0) !== said.of(b, 1);
		})
	);
	const edited = new Set(fields);
	const sourcesOf = (k: string) => nodes.flatMap((m) => m.get(k)?.sources ?? []);
	// what depends on one that differs may differ as well
	spread(fields, keys, sourcesOf);
	return { fields, edited, sourcesOf };
}

/** What an edit can make come out otherwise. */
export interface Touching {
	/** Fields (`type.field`). */
	fields: ReadonlySet<string>;
	/** Record types of which checks, states or limits say something else, or read a field that comes out otherwise. */
	checks: ReadonlySet<string>;
	/** Record types of which messages do. */
	messages: ReadonlySet<string>;
	/** Definitions and tables that say something else, by identity. */
	parts: ReadonlySet<string>;
	/** The models differ, so anything may. */
	all: boolean;
}

/** What can come out otherwise by one of two rule sets. */
export function touching(before: Plan, after: Plan): Touching {
	const said = new Sayings(before, after);
	const { fields } = inQuestion(before, after, said);
	const readsOne = (x: { reads: readonly { type: string; field: string }[] }) =>
		x.reads.some((r) => fields.has(refKey(r.type, r.field)));
	/** Types of those that differ between the two sides. */
	const typesOf = (of: (p: Plan) => readonly (Validator | MessageRule)[]) => {
		const [had, now] = [before, after].map(of);
		const earlier = new Map(had.map((v) => [v.id, v]));
		const later = new Set(now.map((v) => v.id));
		return new Set(
			[
				...had.filter((v) => !later.has(v.id)),
				...now.filter((v) => {
					const was = earlier.get(v.id);
					return !was || said.ofCheck(was, 0) !== said.ofCheck(v, 1) || readsOne(v);
				})
			].map((v) => v.rule.type)
		);
	};
	return {
		fields,
		checks: typesOf((p) => [...p.validators.values()]),
		messages: typesOf((p) => p.messages),
		parts: said.words,
		all: !said.sameModel
	};
}

/** Two rule sets on one model, as far as they can differ in what they give. */
export function differing(before: Plan, after: Plan): Differing {
	const said = new Sayings(before, after);
	const { fields, edited, sourcesOf } = inQuestion(before, after, said);
	const ids = refusing(before, after, said, fields);
	const judges = [before, after].map((p) =>
		[...p.types.values()].flatMap((t) => t.validators).filter((v) => ids.has(v.id))
	);
	// what these are made of; a search among records reads what they are found by
	const needed = new Set([...fields, ...before.matched.keys(), ...after.matched.keys()]);
	for (const v of judges.flat())
		for (const { type, field } of [...v.reads, { type: v.rule.type, field: v.field.id }])
			needed.add(refKey(type, field));
	for (const k of needed) for (const s of sourcesOf(k)) needed.add(s);
	const keep = (n: PlanNode) => needed.has(nodeKey(n));
	const none = () => false;
	return {
		fields,
		edited,
		sources: sourcesOf,
		before: planOf(before, keep),
		after: planOf(after, keep),
		checks: {
			before: planOf(before, none, { checks: judges[0] }),
			after: planOf(after, none, { checks: judges[1] }),
			types: new Set(judges.flat().map((v) => v.rule.type))
		}
	};
}

/**
 * The checks and states of the later rules that differ from the earlier, or read a field that does, with what hides
 * the same fields, by identity.
 */
function refusing(
	before: Plan,
	after: Plan,
	said: Sayings,
	fields: ReadonlySet<string>
): ReadonlySet<string> {
	const [had, now] = [before, after].map((p) => [...p.types.values()].flatMap((t) => t.validators));
	const earlier = new Map(had.map((v) => [v.id, v]));
	const at = (v: Validator) => refKey(v.rule.type, v.field.id);
	const another = (v: Validator) => {
		const was = earlier.get(v.id);
		return !was || said.ofCheck(was, 0) !== said.ofCheck(v, 1);
	};
	// what no longer hides a field lets a required one speak
	const gone = had.filter((v) => v.kind === 'hidden' && !now.some((x) => x.id === v.id));
	const targets = new Set(gone.map(at));
	const asked = now.filter(
		(v) =>
			another(v) ||
			targets.has(at(v)) ||
			fields.has(at(v)) ||
			v.reads.some((r) => fields.has(refKey(r.type, r.field)))
	);
	for (const v of asked) targets.add(at(v));
	const hiding = [...had, ...now].filter((v) => v.kind === 'hidden' && targets.has(at(v)));
	// what is hidden otherwise makes a required field of the same refuse otherwise
	const hides = new Set([...asked, ...gone].filter((v) => v.kind === 'hidden').map((v) => at(v)));
	const required = now.filter((v) => v.kind === 'required' && hides.has(at(v)));
	return new Set([...asked, ...hiding, ...required].map((v) => v.id));
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
	readonly words: ReadonlySet<string>;
	readonly sameModel: boolean;

	constructor(before: Plan, after: Plan) {
		const sides = [before.schema, after.schema];
		const models = sides.map((s) => s.model);
		this.sameModel =
			models[0] === models[1] || canonicalJson(models[0]) === canonicalJson(models[1]);
		const words = new Set<string>();
		for (const of of [(s: Schema) => s.definitions, (s: Schema) => s.tables]) {
			const [had, now] = sides.map((s): ReadonlyMap<string, object> => of(s));
			for (const id of new Set([...had.keys(), ...now.keys()])) {
				const [a, b] = [had.get(id), now.get(id)];
				if (a !== b && (!a || !b || canonicalJson(a) !== canonicalJson(b))) words.add(id);
			}
		}
		// a definition that uses one that differs differs too
		const uses = sides.flatMap((s) => [...s.definitions.values()]);
		for (let n = -1; words.size && n !== words.size;) {
			n = words.size;
			for (const d of uses) if (mentions(canonicalJson(d), words)) words.add(d.id);
		}
		this.words = words;
	}

	/** @param side 0 of the plan before, 1 of the one after: where they may differ unseen, no two are the same */
	of(node: PlanNode, side: 0 | 1): string {
		const texts = [...node.claims, ...node.adders, ...node.limits].map(
			(c) => `${c.id} ${plainly(c.rule)}`
		);
		const unsure = !this.sameModel || texts.some((t) => mentions(t, this.words));
		return `${unsure ? side : ''} ${node.currency} ${texts.join('\n')}`;
	}

	/** The same of a check, a state or a message. */
	ofCheck(v: Validator | MessageRule, side: 0 | 1): string {
		const text = `${v.id} ${plainly(v.rule)}`;
		return `${!this.sameModel || mentions(text, this.words) ? side : ''} ${text}`;
	}
}

const said = new WeakMap<Rule, string>();
/** A rule without what only people read, as text. */
function plainly(rule: Rule): string {
	const had = said.get(rule);
	if (had !== undefined) return had;
	const { name: _name, why: _why, ...rest } = rule;
	const text = canonicalJson(rest);
	said.set(rule, text);
	return text;
}

/** Whether a document names one of some parts; one that is written as text names them by words, so it may. */
function mentions(text: string, ids: ReadonlySet<string>): boolean {
	if (!ids.size) return false;
	if (text.includes('"text":')) return true;
	for (const id of ids) if (text.includes(JSON.stringify(id))) return true;
	return false;
}
