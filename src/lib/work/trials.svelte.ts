/** The trials of the draft: fetched beside the page, run in their worker, and kept at the server. */
import type { Model, Plan, RuleSet, Trial } from '$core';
import { canonicalJson, keepingRows } from '$core';
import { zones } from '../../runtime/zones';
import type { TrialAnswer, TrialJob, TrialOutcome } from '../../workers/trials';
import { Sending } from '../../workers/sent';
import { Refused, ask } from './http';
import type { Step } from './saving.svelte';
import { startWorker } from './worker';

/** Milliseconds after which a server that could not be asked is asked again. */
const AGAIN = 3000;

export class Trials {
	all = $state.raw<Trial[]>([]);
	outcomes = $state.raw<Map<string, TrialOutcome>>(new Map());
	running = $state(false);
	/** Why they could not be run the last time. */
	trouble = $state<string | null>(null);
	/** Whether they are here: until then only how many there are is known. */
	known = $state(false);
	count = $state(0);
	held = $derived(this.all.filter((t) => this.outcomes.get(t.id)?.held).length);
	#worker: Worker | null = null;
	#sending = new Sending();
	#sent: readonly Trial[] | null = null;
	#job = 0;
	#wanted = false;
	/** Whether the worker is at it. */
	#busy = false;

	/**
	 * @param draft what they are run on
	 * @param changed told when they are others than before, with the step where one was kept or taken away
	 */
	constructor(
		private readonly draft: () => { model: Model; set: RuleSet; plan: Plan },
		private readonly changed: (step?: Step) => void = () => undefined
	) {}

	/** The mark of those that are here, and of those that the server has. */
	#mark: string | null = null;
	#newest = '';
	#fetching = false;
	/** How many steps of this page the server has stored. */
	#stored = 0;
	#again: ReturnType<typeof setTimeout> | undefined;

	/** Takes note of how many there are at the server; where they are others than those here, they are fetched. */
	take({ count, mark }: { count: number; mark: string }) {
		this.#newest = mark;
		if (!this.known) this.count = count;
		if (!count && !this.known) {
			this.known = true;
			this.#mark = mark;
		}
		if (this.#wanted) void this.#fetch();
	}

	async #fetch() {
		if (this.#fetching || this.#mark === this.#newest) return;
		this.#fetching = true;
		const heard = this.#newest;
		const stored = this.#stored;
		try {
			const { mark, trials } = await ask<{ mark: string; trials: Trial[] }>('/trials');
			// perhaps read before a step that was stored meanwhile: taken now, it would take that off the page
			if (stored === this.#stored) this.#take(mark, trials, heard);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			// the analysis waits for them: whoever has not got them goes on asking
			clearTimeout(this.#again);
			if (e.unreachable) this.#again = setTimeout(() => void this.#fetch(), AGAIN);
			return;
		} finally {
			this.#fetching = false;
		}
		void this.#fetch();
	}

	#take(mark: string, trials: Trial[], heard: string) {
		this.#mark = mark;
		// what is fetched may be newer than what the page had heard of, and it may have heard of more meanwhile
		if (this.#newest === heard) this.#newest = mark;
		const others = !this.known || canonicalJson(this.all) !== canonicalJson(trials);
		this.#have(trials);
		if (others) this.changed();
		this.run();
	}

	#have(trials: Trial[]) {
		this.all = trials;
		this.count = trials.length;
		this.known = true;
	}

	/** Runs all of them; called again while they run, they are run once more on the newest draft. In the browser only. */
	run() {
		this.#wanted = true;
		if (!this.known) return void this.#fetch();
		this.running = true;
		this.#job++;
		if (!this.#busy || !this.#worker) this.#post();
	}

	#post() {
		this.#worker ??= this.#start();
		this.#busy = true;
		const { model, set } = this.draft();
		this.#worker.postMessage({
			job: this.#job,
			draft: this.#sending.next(model, set),
			...(this.all === this.#sent ? {} : { trials: this.all })
		} satisfies TrialJob);
		this.#sent = this.all;
	}

	/** The draft was edited: where they were run, they are run again. */
	edited() {
		if (this.#wanted) this.run();
	}

	#start(): Worker {
		// a new one knows nothing yet
		this.#sending = new Sending();
		this.#sent = null;
		this.#busy = false;
		const worker = startWorker('trials');
		worker.onmessage = ({ data }: MessageEvent<TrialAnswer>) => {
			if (data.results.length) {
				const there = new Set(this.all.map((t) => t.id));
				const kept = [...this.outcomes].filter(([id]) => there.has(id));
				this.outcomes = new Map([...kept, ...data.results.map((r) => [r.trial, r] as const)]);
			}
			this.#busy = false;
			// edits made meanwhile are tried together
			if (data.job !== this.#job) this.#post();
			else this.running = false;
			this.trouble = null;
		};
		// one that died is started again by the next edit, or at once by whoever asks; till then nothing is known
		worker.onerror = (e) => {
			this.trouble = e.message || 'The trials could not be run.';
			this.outcomes = new Map();
			this.running = false;
			this.#busy = false;
			this.#worker?.terminate();
			this.#worker = null;
		};
		return worker;
	}

	/**
	 * Stores a trial; what the server says against it, or null.
	 * @param had as it was seen, null where there was none: another that stands there now is not written over
	 */
	keep(given: Trial, had?: Trial | null): Promise<string | null> {
		// whatever shows it may hand out what no worker can be sent
		const trial = this.#withRows($state.snapshot(given) as Trial);
		return this.#step(
			`/trials/${trial.id}`,
			{ method: 'PUT', body: { trial, had: $state.snapshot(had) } },
			[trial]
		);
	}

	/** Stores several trials in one step, those of the same identity in their place; what the server says against it, or null. */
	keepAll(given: readonly Trial[]): Promise<string | null> {
		const trials = ($state.snapshot(given) as Trial[]).map((t) => this.#withRows(t));
		return this.#step('/trials', { method: 'POST', body: trials }, trials);
	}

	/** What it expects is right by the rows that it reads now: they are kept with it. */
	#withRows(t: Trial): Trial {
		const { plan } = this.draft();
		return [...plan.schema.tables.values()].some((x) => x.living) ? keepingRows(plan, t, zones) : t;
	}

	/** Takes a trial away as it is here; what the server says against it, or null. Another that stands there now stays. */
	drop(seen: Trial): Promise<string | null> {
		const had = $state.snapshot(seen);
		return this.#step(`/trials/${seen.id}`, { method: 'DELETE', body: { had } }, [], seen.id);
	}

	/** One step at the server; then those it stored are here, and the one it took away is not. */
	async #step(
		path: string,
		how: Parameters<typeof ask>[1],
		stored: readonly Trial[],
		gone?: string
	): Promise<string | null> {
		let step: Step;
		try {
			step = await ask<Step>(path, how);
		} catch (e) {
			if (e instanceof Refused) return e.message;
			throw e;
		}
		this.#stored++;
		const byId = new Map([...this.all, ...stored].map((t) => [t.id, t]));
		if (gone !== undefined) byId.delete(gone);
		if (this.known) this.#have([...byId.values()]);
		this.run();
		this.changed(step);
		return null;
	}

	stop() {
		clearTimeout(this.#again);
		this.#worker?.terminate();
		this.#worker = null;
	}
}
