/** The trials of the draft, run in their worker, and kept at the server. */
import type { Trial } from '$core';
import type { TrialAnswer, TrialJob, TrialOutcome } from '../../workers/trials.worker';
import { Refused, ask } from './http';
import type { Step } from './saving.svelte';

export class Trials {
	all = $state.raw<Trial[]>([]);
	outcomes = $state.raw<Map<string, TrialOutcome>>(new Map());
	running = $state(false);
	held = $derived(this.all.filter((t) => this.outcomes.get(t.id)?.held).length);
	#worker: Worker | null = null;
	#job = 0;
	#wanted = false;

	/**
	 * @param draft what they are run on
	 * @param changed told when one was kept or taken away
	 */
	constructor(
		private readonly draft: () => Pick<TrialJob, 'model' | 'set'>,
		private readonly changed: (step: Step) => void = () => undefined
	) {}

	/** Runs all of them; called again, the newest run counts. In the browser only. */
	run() {
		this.#wanted = true;
		this.#worker ??= this.#start();
		this.running = true;
		const job: TrialJob = { job: ++this.#job, ...this.draft(), trials: this.all };
		this.#worker.postMessage(job);
	}

	/** The draft was edited: where they were run, they are run again. */
	edited() {
		if (this.#wanted) this.run();
	}

	#start(): Worker {
		const worker = new Worker(new URL('../../workers/trials.worker.ts', import.meta.url), {
			type: 'module'
		});
		worker.onmessage = ({ data }: MessageEvent<TrialAnswer>) => {
			if (data.job !== this.#job) return;
			this.outcomes = new Map(data.results.map((r) => [r.trial, r]));
			this.running = false;
		};
		return worker;
	}

	/** Stores a trial; what the server says against it, or null. */
	async keep(trial: Trial): Promise<string | null> {
		let step: Step;
		try {
			step = await ask<Step>(`/trials/${trial.id}`, { method: 'PUT', body: trial });
		} catch (e) {
			if (e instanceof Refused) return e.message;
			throw e;
		}
		const had = this.all.some((t) => t.id === trial.id);
		this.all = had ? this.all.map((t) => (t.id === trial.id ? trial : t)) : [...this.all, trial];
		this.run();
		this.changed(step);
		return null;
	}

	/** Takes a trial away; what the server says against it, or null. */
	async drop(id: string): Promise<string | null> {
		let step: Step;
		try {
			step = await ask<Step>(`/trials/${id}`, { method: 'DELETE' });
		} catch (e) {
			if (e instanceof Refused) return e.message;
			throw e;
		}
		this.all = this.all.filter((t) => t.id !== id);
		this.run();
		this.changed(step);
		return null;
	}

	stop() {
		this.#worker?.terminate();
		this.#worker = null;
	}
}
