/** Where definitions and tables are used. */
import type { RuleSet } from '../model/rules';

/** A rule or definition that uses something. */
export interface Use {
	part: 'rule' | 'definition';
	id: string;
	name: string;
}

/** The rules and definitions whose formulas use a definition, or whose look-ups use a table. */
export function usesOf(set: RuleSet, what: { definition: string } | { table: string }): Use[] {
	const found = (doc: unknown): boolean => {
		if (Array.isArray(doc)) return doc.some(found);
		if (typeof doc !== 'object' || doc === null) return false;
		if ('definition' in what && 'k' in doc && doc.k === 'use')
			if ((doc as { definition?: unknown }).definition === what.definition) return true;
		if ('table' in what && 'kind' in doc && doc.kind === 'lookup')
			if ((doc as { table?: unknown }).table === what.table) return true;
		return Object.values(doc).some(found);
	};
	return [
		...set.rules.filter(found).map((r): Use => ({ part: 'rule', id: r.id, name: r.name })),
		...(set.definitions ?? [])
			.filter(found)
			.map((d): Use => ({ part: 'definition', id: d.id, name: d.name }))
	];
}
