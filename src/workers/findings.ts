/** Analyses the draft off the main thread, again at every edit. */
import type { Checked, Overruled, Trial } from '../core';
import { Kept, analyse } from '../core';
import { zones } from '../runtime/zones';
import type { Sent } from './sent';
import { Received } from './sent';

export interface FindingsJob {
	job: number;
	draft: Sent;
	/** Left out where they are as before. */
	overruled?: Record<string, Overruled>;
	trials?: readonly Trial[];
}
export interface FindingsAnswer {
	job: number;
	/** Null when the analysis itself failed; left out where it says the same as before. */
	checked?: Checked | null;
}

/** What was said of the draft before: an edit looks again at what it touches. */
const kept = new Kept();
const received = new Received();
let overruled: Record<string, Overruled> = {};
let trials: readonly Trial[] = [];
/** What was answered last, as text. */
let said = '';

/** Analyses the draft; tells what is found where it is not what was found the last time. */
export function findings(data: FindingsJob): FindingsAnswer {
	let checked: Checked | null = null;
	try {
		if (data.overruled) overruled = data.overruled;
		if (data.trials) trials = data.trials;
		const { plan, set } = received.take(data.draft);
		checked = analyse(plan, set, zones, { overruled, trials, kept });
	} catch (e) {
		// whoever waits is told, and the next edit is looked at again
		console.error(e);
	}
	const text = JSON.stringify(checked);
	const same = text === said;
	said = text;
	return { job: data.job, ...(same ? {} : { checked }) };
}
