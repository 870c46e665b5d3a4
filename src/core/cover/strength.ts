/**
 * How strong the trials are: rule sets with one small mistake each, held against all trials. A mistake
 * that no trial notices is shown with a record that tells it apart, and the trial that would notice it.
 */
import type { Rule, RuleSet } from '../document/rules';
import { toJson } from '../fields/codec';
import type { Plan } from '../plan/plan';
import { compilePlan } from '../plan/plan';
import type { SettledRecord } from '../settle/settle';
import { runSteps, runTrial, type Expectation, type Trial } from '../trials/trials';
import type { ZoneClock } from '../value/temporal';
import { same } from '../value/value';
import { provenAlike } from './alike';
import { alterationsOf, type Alteration, type Slip } from './alter';
import { drafts } from './drafts';
import { expectedOf } from './propose';

/** What became of one alteration. */
export interface Notice {
	key: string;
	rule: string;
	slip: Slip;
	/** The rule with the mistake; null where it is switched off or only the order is another. */
	altered: Rule | null;
	/** The trial that noticed it. */
	by?: string;
	/** Where none did: the trial that would, with what the rules as they are give. */
	would?: Trial;
	/** Changes that were tried to tell it apart, where none did. */
	tried: number;
}

/** Most alterations of one rule; of more, some are drawn. */
const MOST_OF_RULE = 60;
/** Most changes that are tried to tell an alteration apart. */
const MOST_APART = 250;

/** A number in [0, 1) from a seed, each the next: the same on every machine (mulberry32). */
function drawn(seed: number): () => number {
	let a = seed >>> 0;
	return () => {
		a = (a + 0x6d2b79f5) >>> 0;
		let t = Math.imul(a ^ (a >>> 15), 1 | a);
		t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
		return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
	};
}

/** The alterations of a rule that are held against the trials; where there are too many, some by a seed. */
export function drawnAlterations(plan: Plan, set: RuleSet, rule: Rule, seed: number): Alteration[] {
	const all = alterationsOf(set, rule, plan.schema);
	if (all.length <= MOST_OF_RULE) return all;
	const next = drawn(seed);
	const keys = all.map((a) => ({ a, by: next() }));
	const chosen = new Set(
		keys
			.sort((x, y) => x.by - y.by)
			.slice(0, MOST_OF_RULE)
			.map((x) => x.a)
	);
	return all.filter((a) => chosen.has(a));
}

/**
 * Holds the alterations of one rule against the trials, one after the other. Those that do not compile
 * are no alterations: nobody could release them. Nor are those that are proven to come to the same.
 * @param trials those that hold on the rules as they are
 */
export function* strengthOf(
	plan: Plan,
	set: RuleSet,
	rule: Rule,
	trials: readonly Trial[],
	zones: ZoneClock,
	seed = 1
): Generator<Notice> {
	const order = nearest(rule, trials);
	// the same changes tell all of them apart: each is settled once by the rules as they are
	let apart: { trial: Trial; given: string }[] | null = null;
	for (const x of drawnAlterations(plan, set, rule, seed)) {
		const other = compilePlan(plan.schema, x.set);
		if (other.problems.length > plan.problems.length) continue;
		const { key, slip, altered } = x;
		const told = { key, rule: rule.id, slip, altered };
		const by = order.find((t) => !runTrial(other, t, zones).held);
		if (by) {
			yield { ...told, by: by.id, tried: 0 };
			continue;
		}
		apart ??= drawnChanges(plan, rule, zones);
		let would: Trial | null = null;
		for (const d of apart) {
			if (cameTo(other, d.trial, zones) !== d.given)
				would = wouldNotice(plan, other, rule, d.trial, zones);
			if (would) break;
		}
		// one that comes to the same on every record is no mistake, and none could notice it
		if (!would && provenAlike(plan, other, rule, x, zones)) continue;
		yield { ...told, ...(would ? { would } : {}), tried: would ? 0 : apart.length };
	}
}

/** Trials that expect something of what a rule writes first: they notice most. */
function nearest(rule: Rule, trials: readonly Trial[]): Trial[] {
	const fields = new Set(rule.outputs.map((o) => o.field));
	const near = (t: Trial) =>
		(t.type === rule.type ? 2 : 0) +
		([t, ...(t.then ?? []), ...(t.rows ?? [])].some((s) =>
			s.expect.some((x) => 'field' in x && x.field !== undefined && fields.has(x.field))
		)
			? 1
			: 0);
	return [...trials].sort((a, b) => near(b) - near(a));
}

/** Changes made from what a rule reads, each with what the rules as they are make of it. */
function drawnChanges(plan: Plan, rule: Rule, zones: ZoneClock) {
	const out: { trial: Trial; given: string }[] = [];
	for (const trial of drafts(plan, rule, [], zones)) {
		if (out.length >= MOST_APART) break;
		const given = cameTo(plan, trial, zones);
		if (given !== null) out.push({ trial, given });
	}
	return out;
}

/** All that a change comes to, as one text; null where it cannot be run. */
function cameTo(plan: Plan, trial: Trial, zones: ZoneClock): string | null {
	try {
		const [{ records }] = runSteps(plan, trial, zones);
		return JSON.stringify(records.map(outcome));
	} catch {
		return null;
	}
}

const outcome = (r: SettledRecord) => [
	r.values.map((v, i) => (same(v, r.was[i]) ? 0 : String(v))),
	r.messages.map((m) => [m.field, m.blocking, m.text]),
	r.sends.map((s) => [s.to, s.subject, s.text, s.once]),
	[...r.required],
	[...r.hidden],
	r.setAside.map((s) => [s.field, s.claim])
];

/**
 * A change as a trial with what the rules as they are make of it: of what the rule writes, else of the
 * fields that come out otherwise with the mistake. Null where a trial has no words for what differs.
 */
function wouldNotice(
	plan: Plan,
	other: Plan,
	rule: Rule,
	trial: Trial,
	zones: ZoneClock
): Trial | null {
	const [run] = runSteps(plan, trial, zones);
	const [here] = run.records;
	const [there] = runSteps(other, trial, zones)[0].records;
	const { fields } = plan.schema.type(rule.type).type;
	const differ = fields.flatMap((f, i): Expectation[] =>
		same(here.values[i], there.values[i]) ? [] : [{ field: f.id, value: toJson(here.values[i]) }]
	);
	for (const expect of [expectedOf(plan, rule, run), differ]) {
		const would = { ...trial, expect };
		if (runTrial(plan, would, zones).held && !runTrial(other, would, zones).held) return would;
	}
	return null;
}
