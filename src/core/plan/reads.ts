/** What a plan reads of records, so that nothing else of many of them has to be loaded. */
import { refKey } from '../document/model';
import type { Plan, Seen } from './types';

/** Fields by record type. */
export type FieldsRead = ReadonlyMap<string, ReadonlySet<string>>;

/**
 * All that the claims, limits and checks of a plan read or write, links that they follow included; what the texts of
 * checks say, and messages, are not among it.
 */
export function fieldsRead(plan: Plan): FieldsRead {
	const out = new Map<string, Set<string>>();
	const add = (type: string, field: string) => {
		const had = out.get(type);
		if (had) had.add(field);
		else out.set(type, new Set([field]));
	};
	const reading = (reads: readonly Seen[]) => {
		for (const r of reads) {
			add(r.type, r.field);
			for (const step of r.via) add(step.type, step.field);
		}
	};
	for (const { type, field, index, currency, claims, adders, limits } of plan.nodes) {
		const { fields } = plan.schema.type(type).type;
		add(type, field.id);
		if (currency >= 0) add(type, fields[currency].id);
		// what was sent for its own field is compared with what is stored
		for (const i of [index, ...[...claims, ...adders, ...limits].flatMap((c) => c.triggersSent)])
			add(type, fields[i].id);
		for (const c of [...claims, ...adders]) if (c.each >= 0) add(type, fields[c.each].id);
		reading(readsOf(claims, adders, limits));
	}
	for (const v of [...plan.types.values()].flatMap((t) => t.validators)) {
		const { fields } = plan.schema.type(v.rule.type).type;
		for (const i of [v.target, ...v.triggersSent]) add(v.rule.type, fields[i].id);
		reading(v.reads);
	}
	for (const key of plan.matched.keys()) {
		const [type, field] = key.split('.');
		add(type, field);
	}
	return out;
}

/** Fields that are read by any of several. */
export function readByAny(all: readonly FieldsRead[]): FieldsRead {
	const out = new Map<string, ReadonlySet<string>>();
	for (const one of all)
		for (const [type, fields] of one) out.set(type, new Set([...(out.get(type) ?? []), ...fields]));
	return out;
}

/** The sets of a type to which claims add: what they added has to be known to settle them. */
export const addedTo = (plans: readonly Plan[], type: string): string[] => [
	...new Set(
		plans.flatMap((p) =>
			p.nodes.flatMap((n) => (n.type === type && n.adders.length ? [n.field.id] : []))
		)
	)
];

/**
 * The links of a type's records that the claims and limits of its fields follow first. Of what points to a record often
 * no more than figures is asked, which is known when they are.
 */
export function firstLinks(plan: Plan, type: string): string[] {
	const out = new Set<string>();
	for (const n of plan.nodes)
		if (n.type === type)
			for (const { via } of readsOf(n.claims, n.adders, n.limits)) {
				const step = via.at(0);
				// a way may begin elsewhere: at the person's record, say
				if (step && !step.back && step.type === type) out.add(step.field);
			}
	return [...out];
}

/**
 * The fields, as `type.field`, by whose values records find one another: keys that are matched, what no two may have alike, and
 * links that are followed back from where they lead. As long as none of them changes, each record finds the same others.
 */
export function findingFields(plan: Plan): ReadonlySet<string> {
	const out = new Set(plan.matched.keys());
	for (const { id, fields } of plan.schema.model.types)
		for (const f of fields) if (f.unique) out.add(refKey(id, f.id));
	const ways = [
		...[...plan.reach.values()].flat(),
		...plan.nodes.flatMap((n) => readsOf(n.claims, n.adders, n.limits)),
		...readsOf(
			[...plan.types.values()].flatMap((t) => t.validators),
			plan.messages
		)
	];
	for (const { via } of ways)
		for (const step of via) if (step.back) out.add(refKey(step.type, step.field));
	if (plan.pilot) for (const key of findingFields(plan.pilot.plan)) out.add(key);
	return out;
}

const readsOf = (...of: readonly (readonly { reads: readonly Seen[] }[])[]): Seen[] =>
	of.flat().flatMap((c) => c.reads);
