/** Analyses a rule set and runs its trials in a thread of the server, once. */
import { parentPort, workerData } from 'node:worker_threads';
import type { Checked, Model, Overruled, RuleSet, Trial } from '../core';
import { Schema, analyse, compilePlan, runTrial } from '../core';
import { zones } from '../runtime/zones';

export interface AnalysisJob {
	model: Model;
	set: RuleSet;
	trials: readonly Trial[];
	overruled: Readonly<Record<string, Overruled>>;
}

export interface AnalysisAnswer {
	checked: Checked;
	/** The ids of the trials that do not hold. */
	failing: string[];
}

const { model, set, trials, overruled } = (workerData as { job: AnalysisJob }).job;
const plan = compilePlan(new Schema(model), set);
parentPort!.postMessage({
	checked: analyse(plan, set, zones, { trials, overruled }),
	failing: trials.filter((t) => !runTrial(plan, t, zones).held).map((t) => t.id)
} satisfies AnalysisAnswer);
