/** What differs between two rule sets, in terms of rules. */
import { own } from '../value/own';
import { canonicalJson } from '../document/canonical';
import type { RuleSet } from '../document/rules';

export interface RuleChange {
	/** Id of the rule, definition or table; of a changed claim order, its field (`type.field`). */
	id: string;
	part: 'rule' | 'definition' | 'table' | 'order';
	what: 'new' | 'changed' | 'removed' | 'order';
	name: string;
}

/** What differs between two sets: rules, definitions and tables added, changed or taken out, and claim orders. */
export function changedRules(before: RuleSet, after: RuleSet): RuleChange[] {
	const out = [
		...differing('rule', before.rules, after.rules, (r) => r.name),
		...differing('definition', before.definitions ?? [], after.definitions ?? [], (d) => d.name),
		...differing('table', before.tables ?? [], after.tables ?? [], (t) => t.label)
	];
	for (const key of new Set([...Object.keys(before.order), ...Object.keys(after.order)])) {
		const [a, b] = [own(before.order, key) ?? [], own(after.order, key) ?? []];
		if (a.join() !== b.join())
			out.push({ id: key, part: 'order', what: 'order', name: `Order of the rules on ${key}` });
	}
	return out;
}

/** Each document as text, worked out once: it is compared again at every edit of another. */
const spellings = new WeakMap<object, string>();
function spelled(doc: object): string {
	const had = spellings.get(doc) ?? canonicalJson(doc);
	spellings.set(doc, had);
	return had;
}

function differing<T extends { id: string }>(
	part: RuleChange['part'],
	before: readonly T[],
	after: readonly T[],
	name: (x: T) => string
): RuleChange[] {
	const old = new Map(before.map((x) => [x.id, x]));
	const out: RuleChange[] = [];
	for (const x of after) {
		const o = old.get(x.id);
		old.delete(x.id);
		if (!o) out.push({ id: x.id, part, what: 'new', name: name(x) });
		else if (o !== x && spelled(o) !== spelled(x))
			out.push({ id: x.id, part, what: 'changed', name: name(x) });
	}
	for (const x of old.values()) out.push({ id: x.id, part, what: 'removed', name: name(x) });
	return out;
}
