/** Others at the same draft: that they stored something, and in which rule, definition or table they work. */
import { Refused, ask } from './http';

/** Somebody else's open page. */
export interface Other {
	page: string;
	name: string;
	/** What they work in, as `rules.r_1`. */
	at: string;
	/** When it was last heard of, milliseconds. */
	heard: number;
}

type Told =
	| { kind: 'changed'; revision: number; account: string; name: string }
	| { kind: 'beside' }
	| { kind: 'rows'; number: number }
	| { kind: 'here'; page: string; account: string; name: string; at: string | null };

/** A page says where it works that often, and is forgotten when it was not heard of for longer. Milliseconds. */
const SAY_EVERY = 20_000;
const FORGOTTEN_AFTER = 50_000;

export class Others {
	#all = $state.raw<readonly Other[]>([]);
	#stream: EventSource | null = null;
	#page = '';
	#at: string | null = null;
	#timer: ReturnType<typeof setInterval> | null = null;

	/**
	 * @param changed told the revision that somebody stored
	 * @param beside told that something beside the draft is another: a remark, or what is accepted
	 * @param rows told the last edit of living tables
	 * @param mayWrite whoever only looks is not shown as working in a rule
	 */
	constructor(
		private readonly changed: (revision: number) => void,
		private readonly beside: () => void,
		private readonly rows: (number: number) => void,
		private readonly mayWrite: () => boolean
	) {}

	/** Names of those who work in a part of the draft. */
	at(part: string): string[] {
		return [...new Set(this.#all.filter((o) => o.at === part).map((o) => o.name))];
	}

	/** Listens while the page is seen; a page in the background holds no connection. In the browser only. */
	start() {
		this.#page ||= crypto.randomUUID();
		if (this.#stream) return;
		const stream = new EventSource('/draft/events');
		stream.onmessage = ({ data }: MessageEvent<string>) => this.hear(JSON.parse(data) as Told);
		this.#stream = stream;
		this.#timer = setInterval(() => {
			this.#all = this.#all.filter((o) => Date.now() - o.heard < FORGOTTEN_AFTER);
			if (this.#at) this.#say();
		}, SAY_EVERY);
		if (this.#at) this.#say();
	}

	stop() {
		this.#stream?.close();
		this.#stream = null;
		if (this.#timer) clearInterval(this.#timer);
		this.#timer = null;
		if (this.#at) this.#say(null);
		this.#all = [];
	}

	/** Takes in what was told. */
	hear(told: Told) {
		if (told.kind === 'changed') return this.changed(told.revision);
		if (told.kind === 'beside') return this.beside();
		if (told.kind === 'rows') return this.rows(told.number);
		const { page, name, at } = told;
		if (page === this.#page) return;
		const known = this.#all.some((o) => o.page === page);
		const rest = this.#all.filter((o) => o.page !== page);
		this.#all = at === null ? rest : [...rest, { page, name, at, heard: Date.now() }];
		// whoever comes new has not heard of this page yet
		if (!known && at !== null && this.#at) this.#say();
	}

	/** This page works there now; null for nowhere. */
	work(at: string | null) {
		if (at === this.#at || !this.mayWrite()) return;
		this.#at = at;
		if (this.#stream) this.#say();
	}

	#say(at = this.#at) {
		ask('/draft/here', { method: 'POST', body: { page: this.#page, at }, lasting: true }).catch(
			(e: unknown) => {
				// it is said again soon
				if (!(e instanceof Refused)) throw e;
			}
		);
	}
}
