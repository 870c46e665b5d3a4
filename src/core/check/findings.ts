/**
 * What can be proven wrong about a rule set before anybody uses it. A finding that a record can
 * show carries that record, and it was run through the engine before it is shown; another carries
 * what proves it. What could not be analysed is listed beside, and never taken for sound.
 */
import { canonicalJson } from '../document/canonical';
import { refKey } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';
import { judgeOf, kindOf } from '../kinds';
import type { Plan } from '../plan/plan';
import { compilePlan } from '../plan/plan';
import { own } from '../value/own';
import type { ZoneClock } from '../value/temporal';
import { withAcceptances } from './accepted';
import { Bearing } from './bearing';
import { claimFindings } from './claims';
import {
	checkFindings,
	clashes,
	guardFindings,
	recipientFindings,
	retiredOptions,
	watchFindings
} from './conditions';
import { Context, ofRule } from './context';
import { inTrees } from './formulas';
import type { Beside } from './kept';
import { Kept } from './kept';
import { mixedCurrencies } from './currencies';
import { goneFromDefinitions, goneFromForms, goneFromTable, goneFromTrials } from './gone';
import { bodyFindings, together } from './flaws';
import { momentFindings } from './moments';
import { shapeFindings } from './shapes';
import { stateFindings } from './states';
import type { Checked, Finding, NotAnalysed, Overruled } from './types';
import { TooMuch } from './probe';
import { unfinished } from './unfinished';
import { definitionFaults, tableFaults } from './vocabulary';

export { isAbout } from './flaws';
export { Kept, type Beside } from './kept';
export { mayBeAccepted, restsOn, standsIn, timesOf } from './accepted';
export { isAccepted, stopsRelease } from './types';
export type { Checked, Finding, NotAnalysed, Overruled, Repair } from './types';

/**
 * Everything found in a rule set, the problems of compiling first, and what could not be analysed.
 * Each rule is looked at with the rules that bear on it ({@link Bearing}) and no others.
 * @param given the rule set, compiled
 */
export function analyse(
	given: Plan,
	stored: RuleSet,
	zones: ZoneClock,
	beside: Beside = {}
): Checked {
	const { overruled = {}, trials = [], kept = new Kept() } = beside;
	const set = inTrees(stored, given.schema);
	const plan = set === stored ? given : compilePlan(given.schema, set);
	const { schema } = plan;
	const byRule = new Map(set.rules.map((r) => [r.id, r]));
	const storedAs = new Map(stored.rules.map((r) => [r.id, r]));
	const findings = [...problemsOf(plan, byRule), ...definitionFaults(schema)];
	for (const t of schema.tables.values())
		findings.push(
			...kept.table(t, schema.model, () => [...tableFaults(t, schema), ...goneFromTable(t, schema)])
		);
	findings.push(
		...goneFromDefinitions(schema),
		...goneFromForms(schema),
		...goneFromTrials(trials, schema)
	);
	const open: NotAnalysed[] = [];
	const bearing = new Bearing(plan, set);
	for (const rule of bearing.rules) {
		const { rules, fields } = bearing.of(rule);
		const order = Object.fromEntries(
			[...fields].flatMap((f) => (own(set.order, f) ? [[f, set.order[f]]] : []))
		);
		const on = [
			schema.model,
			...rules.map((r) => storedAs.get(r.id)),
			...rules.flatMap((r) =>
				kindOf(r.body)
					.tables(r.body)
					.map((t) => schema.tables.get(t))
			),
			rules.some((r) => speaksOfDefinitions(storedAs.get(r.id)!)) ? set.definitions : null,
			canonicalJson(order),
			canonicalJson(rule.outputs.map((o) => own(overruled, claimId(rule.id, o.id)) ?? null))
		];
		const said = kept.rule(rule.id, on, () => {
			const c = new Context(compilePlan(schema, { ...set, rules, order }), zones);
			return { findings: ofOne(c, rule, overruled), open: c.open };
		});
		findings.push(...said.findings);
		open.push(...said.open);
	}
	kept.only(set);
	const all = together(findings, (id) => byRule.get(id)?.name ?? id);
	return { findings: withAcceptances(all, set, schema, beside), open };
}

/** What keeps rules from being compiled. */
function problemsOf(plan: Plan, byRule: ReadonlyMap<string, Rule>): Finding[] {
	const said = new Set<string>();
	const told = new Set<string>();
	return plan.problems.flatMap((p): Finding[] => {
		if (p.open) {
			// what is still to be said of a rule is one finding
			if (told.has(p.rule)) return [];
			told.add(p.rule);
			return [unfinished(plan, byRule.get(p.rule)!)];
		}
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
}

const speaks = new WeakMap<Rule, boolean>();

/** Whether a rule uses a definition, or is written as a text that may. */
function speaksOfDefinitions(rule: Rule): boolean {
	const had = speaks.get(rule);
	if (had !== undefined) return had;
	const look = (x: unknown): boolean => {
		if (typeof x !== 'object' || x === null) return false;
		if ('k' in x ? x.k === 'use' : 'text' in x && typeof x.text === 'string') return true;
		return Object.values(x).some(look);
	};
	const found = look([rule.guard, rule.body]);
	speaks.set(rule, found);
	return found;
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
		clashes,
		recipientFindings,
		(_: Context, r: Rule) => claimFindings(c, r, overruled),
		bodyFindings
	].flatMap((look) => within(c, rule, look));
}

/** Looks for something within the steps there are; what takes more is noted as not analysed. */
function within(c: Context, rule: Rule, look: (c: Context, rule: Rule) => Finding[]): Finding[] {
	c.probe.effort.nextLook();
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
