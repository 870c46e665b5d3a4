/**
 * What can be proven wrong about a rule set before anybody uses it. A finding that a record can
 * show carries that record, and it was run through the engine before it is shown; another carries
 * what proves it. What could not be analysed is listed beside, and never taken for sound.
 */
import type { Rule, RuleSet } from '../document/rules';
import { refKey } from '../document/model';
import { judgeOf } from '../kinds';
import type { Plan } from '../plan/plan';
import { compilePlan } from '../plan/plan';
import type { ZoneClock } from '../value/temporal';
import { claimFindings } from './claims';
import { checkFindings, clashes, guardFindings, retiredOptions, watchFindings } from './conditions';
import { Context, ofRule } from './context';
import { inTrees } from './formulas';
import { mixedCurrencies } from './currencies';
import { bodyFindings, together } from './flaws';
import { momentFindings } from './moments';
import { shapeFindings } from './shapes';
import { stateFindings } from './states';
import type { Checked, Finding, Overruled } from './types';
import { TooMuch } from './probe';
import { definitionFaults, tableFaults } from './vocabulary';

export { isAbout } from './flaws';
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
	const said = new Set<string>();
	const findings: Finding[] = plan.problems.flatMap((p): Finding[] => {
		// a circle leaves out several rules and is one mistake
		if (p.place === 'order' && said.has(p.message)) return [];
		said.add(p.message);
		const others = plan.problems.filter(
			(x) => x !== p && x.place === 'order' && x.message === p.message
		);
		return [
			{
				...ofRule(byRule.get(p.rule)!, 'rule fault', p.place, p.place),
				message: p.message,
				certificate:
					p.place === 'order'
						? 'the fields in the order in which they read each other'
						: 'the rule was read',
				...(others.length ? { others: others.map((x) => x.rule) } : {})
			}
		];
	});
	findings.push(...definitionFaults(plan.schema), ...tableFaults(plan.schema));
	const broken = new Set(plan.problems.map((p) => p.rule));
	for (const rule of set.rules)
		if (!rule.off && !broken.has(rule.id)) findings.push(...ofOne(c, rule, overruled));
	findings.push(...within(c, set.rules[0], clashes));
	return { findings: together(findings, (id) => byRule.get(id)?.name ?? id), open: c.open };
}

function ofOne(c: Context, rule: Rule, overruled: Readonly<Record<string, Overruled>>): Finding[] {
	return [
		watchFindings,
		mixedCurrencies,
		retiredOptions,
		shapeFindings,
		stateFindings,
		momentFindings,
		guardFindings,
		checkFindings,
		(_: Context, r: Rule) => claimFindings(c, r, overruled),
		bodyFindings
	].flatMap((look) => within(c, rule, look));
}

/** Looks for something within the steps there are; what takes more is noted as not analysed. */
function within(c: Context, rule: Rule, look: (c: Context, rule: Rule) => Finding[]): Finding[] {
	c.probe.effort.nextRule();
	try {
		return look(c, rule);
	} catch (e) {
		if (!(e instanceof TooMuch)) throw e;
		c.notAnalysed(
			rule,
			'It computes too much to be tried on more records; what was not tried is not known.'
		);
		return [];
	}
}

/** How many claims write each field, and how firmly, for the ledger. */
export function claimCounts(set: RuleSet): Map<string, { count: number; firmest: string }> {
	const rank = ['check', 'once', 'fill', 'follow', 'locked'];
	const out = new Map<string, { count: number; firmest: string }>();
	for (const rule of set.rules)
		for (const o of rule.off ? [] : rule.outputs) {
			const key = refKey(rule.type, o.field);
			const had = out.get(key);
			const hold = judgeOf(rule.body) ? 'check' : o.hold;
			const firmest = had && rank.indexOf(had.firmest) > rank.indexOf(hold) ? had.firmest : hold;
			out.set(key, { count: (had?.count ?? 0) + 1, firmest });
		}
	return out;
}
