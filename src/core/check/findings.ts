/**
 * What can be proven wrong about a rule set before anybody uses it. A finding that a record can
 * show carries that record, and it was run through the engine before it is shown; another carries
 * what proves it. What could not be analysed is listed beside, and never taken for sound.
 */
import type { Rule, RuleSet } from '../model/rules';
import { refKey } from '../model/model';
import type { Plan } from '../plan/plan';
import { compilePlan } from '../plan/plan';
import type { ZoneClock } from '../value/temporal';
import { claimFindings } from './claims';
import { checkFindings, clashes, guardFindings, retiredOptions, watchFindings } from './conditions';
import { Context, ofRule } from './context';
import { inTrees } from './formulas';
import { mixedCurrencies } from './currencies';
import { decisionTable } from './decision';
import type { Checked, Finding, Overruled } from './types';
import { undecided } from './undecided';
import { definitionFaults, tableFaults } from './vocabulary';

export type { Checked, Finding, NotAnalysed, Overruled, Repair } from './types';

/**
 * Everything found in a rule set, the problems of compiling first, and what could not be analysed.
 * @param given the rule set, compiled
 * @param overruled by claim: what history tells of values that people set otherwise
 */
export function analyse(
	given: Plan,
	stored: RuleSet,
	zones: ZoneClock,
	overruled: Readonly<Record<string, Overruled>> = {}
): Checked {
	const set = inTrees(stored, given.schema);
	const plan = set === stored ? given : compilePlan(given.schema, set);
	const c = new Context(plan, zones);
	const byRule = new Map(set.rules.map((r) => [r.id, r]));
	const findings: Finding[] = plan.problems.map((p) => ({
		...ofRule(byRule.get(p.rule)!, p.place, `problem ${p.place}`),
		severity: 'blocking',
		message: p.message,
		certificate:
			p.place === 'order'
				? 'the fields in the order in which they read each other'
				: 'the rule was read'
	}));
	findings.push(...definitionFaults(plan.schema), ...tableFaults(plan.schema));
	const broken = new Set(plan.problems.map((p) => p.rule));
	for (const rule of set.rules)
		if (!rule.off && !broken.has(rule.id)) findings.push(...ofOne(c, rule, overruled));
	findings.push(...clashes(c));
	const seen = new Map<string, number>();
	for (const f of findings) {
		const times = seen.get(f.id) ?? 0;
		seen.set(f.id, times + 1);
		if (times) f.id = `${f.id}-${times + 1}`;
	}
	return { findings, open: c.open };
}

function ofOne(c: Context, rule: Rule, overruled: Readonly<Record<string, Overruled>>): Finding[] {
	return [
		...watchFindings(c, rule),
		...mixedCurrencies(c, rule),
		...retiredOptions(c, rule),
		...guardFindings(c, rule),
		...checkFindings(c, rule),
		...claimFindings(c, rule, overruled),
		...undecided(c, rule),
		...(rule.body.kind === 'table' ? decisionTable(c, rule, rule.body) : [])
	];
}

/** How many claims write each field, and how firmly, for the ledger. */
export function claimCounts(set: RuleSet): Map<string, { count: number; firmest: string }> {
	const rank = ['check', 'once', 'fill', 'follow', 'locked'];
	const out = new Map<string, { count: number; firmest: string }>();
	for (const rule of set.rules)
		for (const o of rule.off ? [] : rule.outputs) {
			const key = refKey(rule.type, o.field);
			const had = out.get(key);
			const hold = rule.kind === 'validate' ? 'check' : o.hold;
			const firmest = had && rank.indexOf(had.firmest) > rank.indexOf(hold) ? had.firmest : hold;
			out.set(key, { count: (had?.count ?? 0) + 1, firmest });
		}
	return out;
}
