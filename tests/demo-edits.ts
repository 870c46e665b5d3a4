/** Edits of the demo's rules, for what holds two rule sets against each other. */
import { demoDraft, demoReleases } from '../demo/rules';
import type { Rule, RuleSet } from '../src/core';

const { set: start } = demoReleases[2];

/** A rule set with one rule changed. @param set the release in force of the demo where none is given */
export const edited = (id: string, change: (r: Rule) => Rule, set = start): RuleSet => ({
	...set,
	rules: set.rules.map((r) => (r.id === id ? change(r) : r))
});

/** Edits of rules that others depend on, within a record and along links in both directions. */
export const EDITS: readonly RuleSet[] = [
	demoDraft,
	edited('size_class', (r) => ({ ...r, guard: { text: 'Country = "Netherlands"' } })),
	edited('order_value', (r) => ({
		...r,
		body: { kind: 'formula', formulas: [{ text: 'count(deals) * 1000' }] }
	})),
	edited('size_class', (r) => ({ ...r, off: true })),
	{ ...start, rules: start.rules.filter((_, i) => i % 3) }
];
