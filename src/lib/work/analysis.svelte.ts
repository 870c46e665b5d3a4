/** The analysis of the draft in its worker: what it says, and of which edit. */
import type { Checked, Finding, Model, Overruled, RuleSet, Trial } from '$core';
import type { FindingsAnswer, FindingsJob } from '../../workers/findings';
import { Sending } from '../../workers/sent';
import { startWorker } from './worker';

/** What is analysed. */
export interface Analysed {
	model: Model;
	set: RuleSet;
	overruled: Record<string, Overruled>;
	/** Null as long as they are not here: then nothing is looked at yet. */
	trials: readonly Trial[] | null;
}

export class Analysis {
	/** What it says; while it looks at the last edit, what it said before. */
	checked = $state.raw<Checked>({ findings: [], open: [] });
	checking = $state(true);
	/** Whether it has said anything yet. */
	analysed = $state(false);
	/** It broke off at the last edit; what it said before still stands. */
	failed = $state(false);
	found: Finding[] = $derived(this.checked.findings);
	#worker: Worker | null = null;
	#sending = new Sending();
	/** What else was sent last. */
	#sent: Partial<Analysed> = {};
	#job = 0;
	/** What the worker told last, shown or not: it does not tell the same twice. */
	#told: Checked | null = null;
	/** Whether the worker is at it. */
	#looking = false;

	/** @param what the draft as it stands now */
	constructor(private readonly what: () => Analysed) {}

	/** Looks at the draft; called again while it is at it, the newest edit is looked at next. In the browser only. */
	look() {
		if (typeof window === 'undefined') return;
		this.#worker ??= this.#start();
		this.checking = true;
		this.#job++;
		const { model, set, overruled, trials } = this.what();
		if (this.#looking || !trials) return;
		this.#looking = true;
		this.#worker.postMessage({
			job: this.#job,
			draft: this.#sending.next(model, set),
			...(overruled === this.#sent.overruled ? {} : { overruled }),
			...(trials === this.#sent.trials ? {} : { trials })
		} satisfies FindingsJob);
		this.#sent = { overruled, trials };
	}

	#start(): Worker {
		// a new one knows nothing yet
		this.#sending = new Sending();
		this.#sent = {};
		this.#looking = false;
		const worker = startWorker('findings');
		worker.onmessage = ({ data }: MessageEvent<FindingsAnswer>) => {
			this.#looking = false;
			if (data.checked !== undefined) this.#told = data.checked;
			// edits made meanwhile are looked at together
			if (data.job !== this.#job) return this.look();
			this.checking = false;
			this.failed = this.#told === null;
			if (!this.#told) return;
			this.checked = this.#told;
			this.analysed = true;
		};
		return worker;
	}

	stop() {
		this.#worker?.terminate();
		this.#worker = null;
	}
}
