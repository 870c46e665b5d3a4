/**
 * What the trials try of the draft, and how strong they are: worked out beside the page, for whoever
 * shows it. What is said is of the draft as it was; `old` says where that was edited since.
 */
import type { Model, Notice, Proposal, RuleSet, Trial } from '$core';
import type { CoverAnswer, CoverAsk, CoverJob, TriedOfRule } from '../../workers/cover';
import { Sending } from '../../workers/sent';
import { startWorker } from './worker';

/** Milliseconds without an edit after which it is looked at. */
const QUIET = 400;

/** What somebody waits for; null where the worker came to an end instead. */
type Waiting = (answer: CoverAnswer | null) => void;

export class Covering {
	/** By rule; empty until it was looked at. */
	rules = $state.raw<ReadonlyMap<string, TriedOfRule>>(new Map());
	known = $state(false);
	/** It is being looked at again. */
	old = $state(false);
	/** What went wrong the last time. */
	trouble = $state<string | null>(null);
	points = $derived([...this.rules.values()].reduce((n, r) => n + r.points, 0));
	tried = $derived([...this.rules.values()].reduce((n, r) => n + r.tried.length, 0));

	#keys = $derived(new Map([...this.rules.values()].flatMap((r) => r.tried)));

	/** How many trials get to a point, by its key; undefined where none does. */
	triedBy(point: string): number | undefined {
		return this.#keys.get(point)?.length;
	}

	/** By rule: the small mistakes in it, and whether a trial notices each. */
	notices = $state.raw<ReadonlyMap<string, Notice[]>>(new Map());
	/** Rules that are still to be held against the trials; null while nobody asked. */
	left = $state<number | null>(null);
	total = $state(0);
	/** The draft or the trials were edited since. */
	noticesOld = $state(false);

	#wanted = 0;
	#worker: Worker | null = null;
	#sending = new Sending();
	#sent: readonly Trial[] | null = null;
	#job = 0;
	#waiting = new Map<number, Waiting>();
	#quiet: ReturnType<typeof setTimeout> | undefined;
	#run = 0;
	#lastCover = 0;

	/** @param what the draft, and the trials where they are here */
	constructor(
		private readonly what: () => { model: Model; set: RuleSet; trials: readonly Trial[] | null }
	) {}

	/** Something on the page shows it, from now until the function that it gives is called. */
	want(): () => void {
		if (!this.#wanted++) this.#look(0);
		return () => void this.#wanted--;
	}

	/** The draft or the trials are others than before. */
	edited() {
		this.old = this.known;
		this.noticesOld = this.notices.size > 0;
		if (this.#wanted) this.#look(QUIET);
	}

	#look(after: number) {
		if (typeof window === 'undefined') return;
		clearTimeout(this.#quiet);
		this.#quiet = setTimeout(() => void this.#cover(), after);
	}

	async #cover() {
		if (!this.what().trials) return;
		const answer = await this.#ask({ is: 'cover' });
		// an edit meanwhile asks anew
		if (answer?.is !== 'cover' || answer.job !== this.#lastCover) return;
		this.rules = new Map(answer.rules.map((r) => [r.rule, r]));
		this.known = true;
		this.old = false;
	}

	/** Trials for what nobody tried of a rule; null where they could not be worked out. */
	async propose(rule: string): Promise<Proposal[] | null> {
		const answer = await this.#ask({ is: 'propose', rule });
		return answer?.is === 'propose' ? answer.proposals : null;
	}

	/** Holds small mistakes in each of some rules against the trials, one rule after the other. */
	async strength(rules: readonly string[]): Promise<void> {
		const run = ++this.#run;
		this.notices = new Map();
		this.noticesOld = false;
		this.total = rules.length;
		this.left = rules.length;
		for (const rule of rules) {
			const answer = await this.#ask({ is: 'strength', rule });
			if (run !== this.#run) return;
			if (answer?.is === 'strength')
				this.notices = new Map([...this.notices, [rule, answer.notices]]);
			this.left--;
		}
		this.left = null;
	}

	/** Ends it at the rule that is under way; what is known stays. */
	cancel() {
		this.#run++;
		this.left = null;
	}

	#ask(ask: CoverAsk): Promise<CoverAnswer | null> {
		const { model, set, trials } = this.what();
		if (!trials) return Promise.resolve(null);
		this.#worker ??= this.#start();
		const job = ++this.#job;
		if (ask.is === 'cover') this.#lastCover = job;
		this.#worker.postMessage({
			job,
			draft: this.#sending.next(model, set),
			...(trials === this.#sent ? {} : { trials: [...trials] }),
			ask
		} satisfies CoverJob);
		this.#sent = trials;
		return new Promise((done) => this.#waiting.set(job, done));
	}

	#start(): Worker {
		// a new one knows nothing yet
		this.#sending = new Sending();
		this.#sent = null;
		const worker = startWorker('cover');
		worker.onmessage = ({ data }: MessageEvent<CoverAnswer>) => {
			this.trouble = null;
			this.#waiting.get(data.job)?.(data);
			this.#waiting.delete(data.job);
		};
		worker.onerror = (e) => {
			this.trouble = e.message || 'What is tried could not be worked out.';
			this.stop();
		};
		return worker;
	}

	stop() {
		clearTimeout(this.#quiet);
		this.#worker?.terminate();
		this.#worker = null;
		for (const done of this.#waiting.values()) done(null);
		this.#waiting.clear();
	}
}
