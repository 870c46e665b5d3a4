/** Analyses a rule set and runs its trials in a thread of the server, once. */
import { parentPort, workerData } from 'node:worker_threads';
import type { Checked, Model, Overruled, RuleSet, Trial } from '../core';
import { Schema, analyse, compilePlan, cover, runTrial, strengthOf } from '../core';
import { zones } from '../runtime/zones';

export interface AnalysisJob {
	model: Model;
	set: RuleSet;
	trials: readonly Trial[];
	overruled: Readonly<Record<string, Overruled>>;
	/** How strong the trials are is asked too, which takes some seconds. */
	strength?: boolean;
}

export interface AnalysisAnswer {
	checked: Checked;
	/** The ids of the trials that do not hold. */
	failing: string[];
	/** Points of the rules that are tried. */
	tried: { n: number; of: number };
	/** Small mistakes that trials notice, where that was asked. */
	noticed: { n: number; of: number } | null;
}

const { model, set, trials, overruled, strength } = (workerData as { job: AnalysisJob }).job;
const plan = compilePlan(new Schema(model), set);
const failing = trials.filter((t) => !runTrial(plan, t, zones).held).map((t) => t.id);
const points = cover(plan, set, trials, zones, () => '').flatMap((r) => r.points);

function noticed(): AnalysisAnswer['noticed'] {
	const holding = trials.filter((t) => !failing.includes(t.id));
	const covered = new Set(points.map((p) => p.rule));
	const all = set.rules
		.filter((r) => covered.has(r.id))
		.flatMap((r) => [...strengthOf(plan, set, r, holding, zones)]);
	return { n: all.filter((x) => x.by !== undefined).length, of: all.length };
}

parentPort!.postMessage({
	checked: analyse(plan, set, zones, { trials, overruled }),
	failing,
	tried: { n: points.filter((p) => p.trials.length).length, of: points.length },
	noticed: strength ? noticed() : null
} satisfies AnalysisAnswer);
