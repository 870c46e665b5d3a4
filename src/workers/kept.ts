/**
 * What a worker was sent last. What comes is a copy each time; where it says the same as before, the
 * objects of before are taken, so that the core compiles again only what was edited.
 */
import type { Model, Plan, RuleSet } from '../core';
import { Schema, acceptedAs, applied, canonicalJson, compilePlan, editBetween } from '../core';

let last: { model: string; schema: Schema; set: RuleSet } | null = null;

/** Compiles what was sent. */
export function compileSent(model: Model, sent: RuleSet): { plan: Plan; set: RuleSet } {
	const said = canonicalJson(model);
	const set = last
		? acceptedAs(applied(last.set, editBetween('', last.set, sent).pieces).set, sent)
		: sent;
	const base = last?.model === said ? last.schema : new Schema(model);
	const schema = base.with(set);
	last = { model: said, schema, set };
	return { plan: compilePlan(schema, set), set };
}
