/**
 * Trials for what nobody tried: records made from what a rule reads, run through the engine; one that
 * gets to an untried point is proposed with what the draft makes of it, to be told right or wrong.
 */
import type { Rule, RuleSet } from '../document/rules';
import { toJson } from '../fields/codec';
import type { Plan } from '../plan/plan';
import { runSteps, type Expectation, type StepRun, type Trial } from '../trials/trials';
import type { ZoneClock } from '../value/temporal';
import { same } from '../value/value';
import { metBy } from './cover';
import { drafts } from './drafts';
import { compiledOf, type Point } from './points';

/** A trial that is proposed, and the points that it is the first to try. */
export interface Proposal {
	trial: Trial;
	points: string[];
}

/** Most changes that are tried for one rule. */
const MOST_TRIED = 600;

/**
 * Proposes trials of a rule that get to points nobody tried, each for as many as it can.
 * @param open the keys of the points to get to
 */
export function propose(
	plan: Plan,
	set: RuleSet,
	rule: Rule,
	open: readonly Point[],
	zones: ZoneClock
): Proposal[] {
	const byId = new Map(set.rules.map((r) => [r.id, r]));
	const wanted = new Set(open.map((p) => p.key));
	const found = new Map<string, { trial: Trial; size: number }>();
	let tried = 0;
	for (const trial of drafts(plan, rule, open, zones)) {
		if (tried++ >= MOST_TRIED || found.size === wanted.size) break;
		const run = ran(plan, trial, zones);
		if (!run) continue;
		const met = metBy(plan, byId, { ...run, expect: [...everything(plan, rule), ...trial.expect] });
		for (const key of met)
			if (wanted.has(key) && sizeOf(trial) < (found.get(key)?.size ?? Infinity))
				found.set(key, { trial, size: sizeOf(trial) });
	}
	// one trial for all the points that it gets to, those that get furthest first
	const chosen: Proposal[] = [];
	const left = new Set(found.keys());
	const all = [...new Set([...found.values()].map((f) => f.trial))].flatMap((trial) => {
		const expect = ran(plan, trial, zones);
		const expected = expect && expectedOf(plan, rule, expect);
		if (!expected?.length) return [];
		const told = { ...trial, expect: expected };
		const run = ran(plan, told, zones)!;
		return [{ trial: told, points: metBy(plan, byId, run).filter((k) => wanted.has(k)) }];
	});
	while (left.size) {
		let best: Proposal | null = null;
		for (const p of all) {
			const points = p.points.filter((k) => left.has(k));
			if (points.length > (best?.points.length ?? 0)) best = { trial: p.trial, points };
		}
		if (!best) break;
		best.points.forEach((k) => left.delete(k));
		chosen.push(best);
	}
	return chosen;
}

const sizeOf = (t: Trial) =>
	t.sent.length + Object.keys(t.was ?? {}).length + (t.near?.length ?? 0) * 2;

function ran(plan: Plan, trial: Trial, zones: ZoneClock): StepRun | null {
	try {
		return runSteps(
			plan,
			{ ...trial, expect: trial.expect.length ? trial.expect : ANYTHING },
			zones
		)[0];
	} catch {
		return null;
	}
}

/** Asks for everything that can be told, so that all of it is worked out. */
const ANYTHING: Expectation[] = [{ refused: true }, { messages: 0 }];

/** As if a trial expected something of all that a rule is about. */
function everything(plan: Plan, rule: Rule): Expectation[] {
	const about = plan.messages.some((m) => m.rule.id === rule.id)
		? [{ messages: 0 }]
		: [{ rule: rule.id, writes: true }];
	return [...about, { refused: true }];
}

/** What the draft makes of a change, as a trial expects it: of what the rule is about. */
export function expectedOf(plan: Plan, rule: Rule, { records }: StepRun): Expectation[] {
	const [rec] = records;
	const out: Expectation[] = [];
	if (rule.each)
		return records.slice(1).flatMap((other) => {
			if (other.type !== rule.type) return [];
			const at = { type: other.type, id: other.id };
			return rule.outputs.map(({ field }): Expectation => {
				const v = other.values[plan.schema.type(rule.type).at.get(field)!];
				return { field, value: toJson(v), at };
			});
		});
	for (const c of compiledOf(plan, rule)) {
		if ('to' in c) {
			const mine = rec.messages.some((m) => m.blocking) ? [] : rec.sends;
			out.push({ messages: mine.length });
			continue;
		}
		const field = c.field.id;
		const v = rec.values[c.target];
		const value = toJson(v);
		if ('output' in c) {
			const sent = rec.changes.some((x) => x.field === field);
			const idle = !rec.created && !sent && same(v, rec.was[c.target]);
			out.push(idle ? { field, stays: true } : { field, value });
			continue;
		}
		const said = rec.messages.find((m) => m.claim === c.id);
		if (c.kind === 'check')
			out.push(
				c.blocking
					? { refused: Boolean(said), field, ...(said ? { text: said.text } : {}) }
					: { field, advised: Boolean(said), ...(said ? { text: said.text } : {}) }
			);
		else if (c.kind === 'required') out.push({ refused: Boolean(said), field });
		else if (c.kind === 'hidden') out.push({ field, state: 'hidden', is: rec.hidden.has(field) });
		else out.push({ field, value });
	}
	return out;
}
