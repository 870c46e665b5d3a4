/** Which points of the rules the trials get to, and which nobody tried. */
import type { Rule, RuleSet } from '../document/rules';
import type { SayValue } from '../conditions/words';
import type { Plan } from '../plan/plan';
import type { ClaimReport } from '../settle/settle';
import { runSteps, type Expectation, type StepRun, type Trial } from '../trials/trials';
import type { ZoneClock } from '../value/temporal';
import { pointsMet, pointsOf, type Point } from './points';

/** A rule with its points; those tried name the trials that do. */
export interface RuleCover {
	rule: string;
	points: (Point & { trials: string[] })[];
}

/** Whether a trial expects something of what a rule writes or says at the sample, or at a record that it ran on to. */
function expectsOf(
	x: Expectation,
	rule: Rule,
	plan: Plan,
	at: { type: string; id: string } | null
): boolean {
	if (at)
		return (
			'value' in x &&
			x.at?.type === at.type &&
			x.at.id === at.id &&
			rule.outputs.some((o) => o.field === x.field)
		);
	if ('rule' in x) return x.rule === rule.id;
	if ('messages' in x) return plan.messages.some((m) => m.rule.id === rule.id);
	const fields = rule.outputs.map((o) => o.field);
	const judges = rule.outputs.some((o) => plan.validators.has(`${rule.id}:${o.id}`));
	if ('refused' in x) return judges && (x.field === undefined || fields.includes(x.field));
	if ('at' in x && x.at) return false;
	return fields.includes(x.field);
}

/**
 * The points that a run of one change gets to, by rule: of those alone of which the trial expects
 * something.
 * @param byId the rules of the plan
 */
export function metBy(plan: Plan, byId: ReadonlyMap<string, Rule>, run: StepRun): string[] {
	return run.records.flatMap((rec, i) => {
		const byRule = new Map<string, ClaimReport[]>();
		for (const r of rec.reports) {
			const had = byRule.get(r.rule);
			if (had) had.push(r);
			else byRule.set(r.rule, [r]);
		}
		return [...byRule].flatMap(([id, reports]) => {
			const rule = byId.get(id);
			const at = i ? rec : null;
			if (!rule || !run.expect.some((x) => expectsOf(x, rule, plan, at))) return [];
			return pointsMet(plan, rule, { rec, reports, entryPoint: run.change.entryPoint });
		});
	});
}

/** The points that a trial gets to; none where it cannot be run. */
export function triedBy(
	plan: Plan,
	byId: ReadonlyMap<string, Rule>,
	trial: Trial,
	zones: ZoneClock
): string[] {
	try {
		return [...new Set(runSteps(plan, trial, zones).flatMap((run) => metBy(plan, byId, run)))];
	} catch {
		// it tells that itself when it is run
		return [];
	}
}

/** What of each rule is tried, and by which trials; rules that do nothing now are left out. */
export function cover(
	plan: Plan,
	set: RuleSet,
	trials: readonly Trial[],
	zones: ZoneClock,
	say: SayValue
): RuleCover[] {
	const byId = new Map(set.rules.map((r) => [r.id, r]));
	const by = new Map<string, string[]>();
	for (const t of trials)
		for (const key of triedBy(plan, byId, t, zones)) by.set(key, [...(by.get(key) ?? []), t.id]);
	return set.rules.flatMap((rule) => {
		const points = pointsOf(plan, rule, say);
		if (!points.length) return [];
		return [{ rule: rule.id, points: points.map((p) => ({ ...p, trials: by.get(p.key) ?? [] })) }];
	});
}
