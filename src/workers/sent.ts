/**
 * How a draft goes to a worker: what changed since the last time, and no more. At the other side what did
 * not change stays the very same object, so that the core compiles again only what was edited.
 */
import type { Model, Plan, Rule, RuleSet } from '../core';
import { Schema, canonicalJson, compilePlan } from '../core';

type Rest = Omit<RuleSet, 'rules'>;

/** A draft, by what was sent before. */
export interface Sent {
	/** Left out where it is as before. */
	model?: Model;
	/** Each rule, or the place it had in what was sent before. */
	rules: (Rule | number)[];
	/** What else changed, and what is no longer there. */
	rest: Partial<Rest>;
	gone: (keyof Rest)[];
}

/** At the side that sends: one for each worker. */
export class Sending {
	#model: Model | null = null;
	#set: RuleSet = { rules: [], order: {} };

	/** The next message: it must be posted, each follows on the one before. */
	next(model: Model, set: RuleSet): Sent {
		const places = new Map(this.#set.rules.map((r, i) => [r, i]));
		const { rules, ...rest } = set;
		const { rules: _, ...before } = this.#set;
		const keys = Object.keys(rest) as (keyof Rest)[];
		const sent: Sent = {
			...(model === this.#model ? {} : { model }),
			rules: rules.map((r) => places.get(r) ?? r),
			rest: Object.fromEntries(keys.filter((k) => rest[k] !== before[k]).map((k) => [k, rest[k]])),
			gone: (Object.keys(before) as (keyof Rest)[]).filter((k) => !(k in rest))
		};
		this.#model = model;
		this.#set = set;
		return sent;
	}
}

/** The one of before, where it says the same. */
const known = <T>(before: T | undefined, now: T): T =>
	before !== undefined && canonicalJson(before) === canonicalJson(now) ? before : now;

/** At the side that receives. */
export class Received {
	#schema: Schema | null = null;
	#set: RuleSet = { rules: [], order: {} };
	#last: { plan: Plan; set: RuleSet } | null = null;

	/** Takes what was sent, and compiles it; where nothing changed, what it gave before. */
	take({ model, rules, rest, gone }: Sent): { plan: Plan; set: RuleSet } {
		const before = this.#set;
		const same =
			!model &&
			!gone.length &&
			!Object.keys(rest).length &&
			rules.length === before.rules.length &&
			rules.every((r, i) => r === i);
		if (same && this.#last) return this.#last;
		// whoever loads the page's draft anew sends the same rules as other objects
		const fresh = rules.some((r) => typeof r !== 'number');
		// (a broken draft may hold several of one identity)
		const byId = new Map<string, Rule[]>();
		if (fresh) for (const r of before.rules) byId.set(r.id, [...(byId.get(r.id) ?? []), r]);
		const set: RuleSet = {
			...before,
			rules: rules.map((r) =>
				typeof r === 'number'
					? before.rules[r]
					: (byId.get(r.id) ?? []).reduce((now, had) => known(had, now), r)
			)
		};
		for (const k of gone) delete set[k];
		for (const k of Object.keys(rest) as (keyof Rest)[])
			Object.assign(set, { [k]: known(before[k], rest[k]) });
		this.#set = set;
		if (model && (!this.#schema || known(this.#schema.model, model) === model))
			this.#schema = new Schema(model);
		this.#schema = this.#schema!.with(set);
		this.#last = { plan: compilePlan(this.#schema, set), set };
		return this.#last;
	}
}
