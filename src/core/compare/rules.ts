/** What differs between two rule sets, in terms of rules. */
import { canonicalJson } from '../formats/canonical';
import type { RuleSet } from '../model/rules';

export interface RuleChange {
	/** Id of the rule; of a changed claim order, its field (`type.field`). */
	id: string;
	what: 'new' | 'changed' | 'removed' | 'order';
	name: string;
}

/** Rules that differ between two sets: added, changed, taken out, or in another claim order. */
export function changedRules(before: RuleSet, after: RuleSet): RuleChange[] {
	const old = new Map(before.rules.map((r) => [r.id, r]));
	const out: RuleChange[] = [];
	for (const r of after.rules) {
		const o = old.get(r.id);
		old.delete(r.id);
		if (!o) out.push({ id: r.id, what: 'new', name: r.name });
		else if (o !== r && canonicalJson(o) !== canonicalJson(r))
			out.push({ id: r.id, what: 'changed', name: r.name });
	}
	for (const r of old.values()) out.push({ id: r.id, what: 'removed', name: r.name });
	for (const key of new Set([...Object.keys(before.order), ...Object.keys(after.order)])) {
		const [a, b] = [before.order[key] ?? [], after.order[key] ?? []];
		if (a.join() !== b.join())
			out.push({ id: key, what: 'order', name: `Order of the rules on ${key}` });
	}
	return out;
}
