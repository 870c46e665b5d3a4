/** Analyses the draft off the main thread, again at every edit. */
import type { Checked, Model, Overruled, RuleSet, Trial } from '../core';
import { Kept, analyse } from '../core';
import { zones } from '../runtime/zones';
import { compileSent } from './kept';

export interface FindingsJob {
	job: number;
	model: Model;
	set: RuleSet;
	overruled: Record<string, Overruled>;
	trials: readonly Trial[];
}
export interface FindingsAnswer {
	job: number;
	/** Null when the analysis itself failed. */
	checked: Checked | null;
}

/** What was said of the draft before: an edit looks again at what it touches. */
const kept = new Kept();

self.onmessage = ({ data }: MessageEvent<FindingsJob>) => {
	let checked: Checked | null = null;
	try {
		const { plan, set } = compileSent(data.model, data.set);
		checked = analyse(plan, set, zones, { overruled: data.overruled, trials: data.trials, kept });
	} catch (e) {
		// whoever waits is told, and the next edit is looked at again
		console.error(e);
	}
	self.postMessage({ job: data.job, checked } satisfies FindingsAnswer);
};
