/**
 * Analyses a rule set and runs its trials in a thread of the server, which keeps what it said of each rule for the next
 * one that asks.
 */
import { parentPort } from 'node:worker_threads';
import type { Checked, Model, Overruled, RuleSet, Trial } from '../core';
import { Kept, analyse, cover, runTrial, strengthOf } from '../core';
import { zones } from '../runtime/zones';
import { Received, Sending } from './sent';

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

const kept = new Kept();
const sending = new Sending();
const received = new Received();

function answer({ model, set: asked, trials, overruled, strength }: AnalysisJob): AnalysisAnswer {
	// of the same rules that came as other objects, those of the last time stand, by which the core knows them
	const { plan, set } = received.take(sending.next(model, asked));
	const failing = trials.filter((t) => !runTrial(plan, t, zones).held).map((t) => t.id);
	const points = cover(plan, set, trials, zones, () => '').flatMap((r) => r.points);
	const noticed = (): AnalysisAnswer['noticed'] => {
		const holding = trials.filter((t) => !failing.includes(t.id));
		const covered = new Set(points.map((p) => p.rule));
		const all = set.rules
			.filter((r) => covered.has(r.id))
			.flatMap((r) => [...strengthOf(plan, set, r, holding, zones)]);
		return { n: all.filter((x) => x.by !== undefined).length, of: all.length };
	};
	return {
		checked: analyse(plan, set, zones, { trials, overruled, kept }),
		failing,
		tried: { n: points.filter((p) => p.trials.length).length, of: points.length },
		noticed: strength ? noticed() : null
	};
}

parentPort!.on('message', (job: AnalysisJob) => parentPort!.postMessage(answer(job)));
