/** Where definitions and tables are used. */
import type { Rule, RuleSet } from '../document/rules';
import { walk } from '../document/walk';
import { kindOf } from '../kinds';

/** A rule or definition that uses something. */
export interface Use {
	part: 'rule' | 'definition';
	id: string;
	name: string;
}

/** The rules and definitions whose formulas use a definition, or whose look-ups use a table. */
export function usesOf(set: RuleSet, what: { definition: string } | { table: string }): Use[] {
	const speaks = (doc: unknown): boolean => {
		let found = false;
		walk(doc, (e) => {
			if (e.k === 'use' && 'definition' in what && e.definition === what.definition) found = true;
			return !found;
		});
		return found;
	};
	const uses = (r: Rule) =>
		'table' in what
			? kindOf(r.body).tables(r.body).includes(what.table)
			: speaks([r.guard, r.body]);
	const definitions = 'table' in what ? [] : (set.definitions ?? []).filter(speaks);
	return [
		...set.rules.filter(uses).map((r): Use => ({ part: 'rule', id: r.id, name: r.name })),
		...definitions.map((d): Use => ({ part: 'definition', id: d.id, name: d.name }))
	];
}
