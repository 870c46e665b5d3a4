/** Analyses the draft off the main thread, again at every edit. */
import { analyse, type Checked, type Overruled } from '../core/check/findings';
import { Schema, type Model } from '../core/model/model';
import type { RuleSet } from '../core/model/rules';
import { compilePlan } from '../core/plan/plan';
import { zones } from '../runtime/zones';

export interface FindingsJob {
	job: number;
	model: Model;
	set: RuleSet;
	overruled: Record<string, Overruled>;
}
export interface FindingsAnswer {
	job: number;
	/** Null when the analysis itself failed. */
	checked: Checked | null;
}

self.onmessage = ({ data }: MessageEvent<FindingsJob>) => {
	let checked: Checked | null = null;
	try {
		const plan = compilePlan(new Schema(data.model), data.set);
		checked = analyse(plan, data.set, zones, data.overruled);
	} catch (e) {
		// whoever waits is told, and the next edit is looked at again
		console.error(e);
	}
	self.postMessage({ job: data.job, checked } satisfies FindingsAnswer);
};
