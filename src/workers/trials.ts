/** Runs all trials off the main thread, again at every edit. */
import type { Trial, TrialResult } from '../core';
import { runTrial } from '../core';
import { zones } from '../runtime/zones';
import type { Sent } from './sent';
import { Received } from './sent';

export interface TrialJob {
	job: number;
	draft: Sent;
	/** Left out where they are as before. */
	trials?: Trial[];
}
export interface TrialAnswer {
	job: number;
	/** Those that came out otherwise than the last time. */
	results: TrialOutcome[];
	ms: number;
}
/** A result without the core's own values, which do not travel between threads. */
export type TrialOutcome = Omit<TrialResult, 'lines'> & {
	lines: Omit<TrialResult['lines'][number], 'reports'>[];
};

const received = new Received();
let all: readonly Trial[] = [];
/** What was answered of each last, as text. */
const said = new Map<string, string>();

/** Runs all trials; tells those that came out otherwise than the last time. */
export function trials(data: TrialJob): TrialAnswer {
	const start = performance.now();
	if (data.trials) {
		all = data.trials;
		said.clear();
	}
	const { plan } = received.take(data.draft);
	const results = all.flatMap((t): TrialOutcome[] => {
		const { lines, ...r } = runTrial(plan, t, zones);
		const outcome = {
			...r,
			lines: lines.map(({ reports: _reports, ...line }) => line)
		};
		const text = JSON.stringify(outcome);
		if (said.get(t.id) === text) return [];
		said.set(t.id, text);
		return [outcome];
	});
	return { job: data.job, results, ms: performance.now() - start };
}
