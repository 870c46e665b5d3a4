/** How long whoever asked for a load waits at most for it to be on the page. Milliseconds. */
const LONGEST = 5_000;

/**
 * Loading everything once more, so that whoever asked goes on only when what was loaded is on the page. A load
 * that begins while another is under way takes its place, and the first is answered early, with nothing on the
 * page yet: it waits for the second, which brings the same or newer.
 */
export class Reload {
	#waiting: (() => void)[] = [];

	/** @param load begins to load; may be answered before anything is on the page */
	constructor(private readonly load: () => Promise<void>) {}

	/** Answered once what stood on the server when this was called, or later, was taken; or cannot be. */
	async again(): Promise<void> {
		let timer: ReturnType<typeof setTimeout> | undefined;
		const taken = new Promise<void>((done) => {
			this.#waiting.push(done);
			timer = setTimeout(done, LONGEST);
		});
		try {
			await this.load();
			await taken;
		} finally {
			clearTimeout(timer);
		}
	}

	/** What was loaded is on the page. */
	taken(): void {
		for (const done of this.#waiting.splice(0)) done();
	}
}
