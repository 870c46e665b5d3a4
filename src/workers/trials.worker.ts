/** Runs all trials off the main thread, again at every edit. */
import type { Model, RuleSet, Trial, TrialResult } from '../core';
import { runTrial } from '../core';
import { zones } from '../runtime/zones';
import { compileSent } from './kept';

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
	const { plan } = compileSent(data.model, data.set);
	const results = data.trials.map((t): TrialOutcome => {
		const { lines, ...r } = runTrial(plan, t, zones);
		return {
			...r,
			lines: lines.map(({ field, value, not, got, held }) => ({ field, value, not, got, held }))
		};
	});
	self.postMessage({ job: data.job, results, ms: performance.now() - start } satisfies TrialAnswer);
};
