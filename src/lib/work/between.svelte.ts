/** Whether the order of the claims on the field of a sheet counts, told by a worker. */
import type { Between } from '$core';
import type { BetweenAnswer, BetweenJob } from '../../workers/between';
import { startWorker } from './worker';

/** Milliseconds without an edit after which it is looked at. */
const QUIET = 250;

export class BetweenClaims {
	/** Null when nothing was looked at yet, or looking failed. */
	pairs = $state.raw<Between[] | null>(null);
	/** What is said is of before the last edit. */
	old = $state(false);
	#at = '';
	#worker: Worker | null = null;
	#job = 0;
	#waiting: ReturnType<typeof setTimeout> | undefined;

	/** Looks at the claims once edits pause; what was said of another field is forgotten at once. In the browser only. */
	look(what: Omit<BetweenJob, 'job'>) {
		if (typeof window === 'undefined') return;
		const at = `${what.type}.${what.field}`;
		if (at !== this.#at || what.set.rules.length < 2) this.pairs = null;
		this.#at = at;
		this.old = this.pairs !== null;
		clearTimeout(this.#waiting);
		const job = ++this.#job;
		if (what.set.rules.length < 2) return;
		this.#waiting = setTimeout(() => {
			this.#worker ??= this.#start();
			this.#worker.postMessage({ job, ...what } satisfies BetweenJob);
		}, QUIET);
	}

	#start(): Worker {
		const worker = startWorker('between');
		worker.onmessage = ({ data }: MessageEvent<BetweenAnswer>) => {
			if (data.job !== this.#job) return;
			this.pairs = data.pairs;
			this.old = false;
		};
		return worker;
	}

	stop() {
		clearTimeout(this.#waiting);
		this.#worker?.terminate();
		this.#worker = null;
	}
}
