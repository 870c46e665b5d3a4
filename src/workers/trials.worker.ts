/** Runs all trials off the main thread, again at every edit. */
import { Schema, type Model } from '../core/model/model';
import type { RuleSet } from '../core/model/rules';
import { compilePlan } from '../core/plan/plan';
import { runTrial, type Trial, type TrialResult } from '../core/trials/trials';
import { zones } from '../runtime/zones';

export interface TrialJob {
	job: number;
	model: Model;
	set: RuleSet;
	trials: Trial[];
}
export interface TrialAnswer {
	job: number;
	results: TrialOutcome[];
	ms: number;
}
/** A result without the core's own values, which do not travel between threads. */
export type TrialOutcome = Omit<TrialResult, 'lines'> & {
	lines: Omit<TrialResult['lines'][number], 'reports'>[];
};

self.onmessage = ({ data }: MessageEvent<TrialJob>) => {
	const start = performance.now();
	const plan = compilePlan(new Schema(data.model), data.set);
	const results = data.trials.map((t): TrialOutcome => {
		const { lines, ...r } = runTrial(plan, t, zones);
		return {
			...r,
			lines: lines.map(({ field, value, not, got, held }) => ({ field, value, not, got, held }))
		};
	});
	self.postMessage({ job: data.job, results, ms: performance.now() - start } satisfies TrialAnswer);
};
