/** Runs the trials off the main thread: all of them first, then at every edit those that it can touch. */
import type { Plan, Trial, TrialResult } from '../core';
import { runTrial, touchedTrials } from '../core';
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
	/** How many were run. */
	ran: number;
	ms: number;
}
/** A result without the core's own values, which do not travel between threads. */
export type TrialOutcome = Omit<TrialResult, 'lines'> & {
	lines: Omit<TrialResult['lines'][number], 'reports'>[];
};

const received = new Received();
let all: readonly Trial[] = [];
/** The rules that they were run on last. */
let last: Plan | null = null;
/** Of each, what was run, as text, and what was answered of it last. */
const known = new Map<string, { trial: string; said: string }>();

/** Runs the trials that are new or that the edits since the last time can touch; tells those that came out otherwise. */
export function trials(data: TrialJob): TrialAnswer {
	const start = performance.now();
	const { plan } = received.take(data.draft);
	const fresh = new Map<Trial, string>();
	if (data.trials) {
		all = data.trials;
		const there = new Set(all.map((t) => t.id));
		for (const id of known.keys()) if (!there.has(id)) known.delete(id);
		for (const t of all) {
			const text = JSON.stringify(t);
			if (known.get(t.id)?.trial !== text) fresh.set(t, text);
		}
	}
	const touched =
		last === plan ? () => false : last === null ? () => true : touchedTrials(last, plan);
	last = plan;
	const run = all.filter((t) => fresh.has(t) || touched(t));
	const results = run.flatMap((t): TrialOutcome[] => {
		const { lines, ...r } = runTrial(plan, t, zones);
		const outcome = {
			...r,
			lines: lines.map(({ reports: _reports, ...line }) => line)
		};
		const said = JSON.stringify(outcome);
		const had = known.get(t.id);
		known.set(t.id, { trial: fresh.get(t) ?? had?.trial ?? JSON.stringify(t), said });
		return had?.said === said ? [] : [outcome];
	});
	return { job: data.job, results, ran: run.length, ms: performance.now() - start };
}
