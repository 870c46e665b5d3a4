/**
 * The thread in which everything is done that no request waits for. It is watched: one that dies is begun
 * anew, a little later each time.
 */
import type { Worker } from 'node:worker_threads';
import { log } from '../http/log';
import { beginThread } from '../thread';

/** Milliseconds between a death and the next thread; doubled each time, up to the second. */
const AGAIN = 500;
const AGAIN_AT_MOST = 30_000;
/** How long a thread that is told to end may take, milliseconds. */
const END_LIMIT = 8_000;

let thread: Worker | null = null;
let turned: number | null = null;
let ending = false;
let deaths = 0;

/** When background work last went round, milliseconds since 1970; null before it began. */
export const backgroundAt = (): number | null => turned;

/** What the thread tells. */
export type Told = { turned: number } | { ended: true };

function begin() {
	const mine = beginThread('server/jobs/worker');
	thread = mine;
	mine.on('message', (told: Told) => {
		if ('turned' in told) {
			turned = told.turned;
			deaths = 0;
		}
	});
	// what it threw is told here, and its end below
	mine.on('error', (e) => log.error({ err: e }, 'the thread of background work failed'));
	mine.on('exit', (code) => {
		if (thread === mine) thread = null;
		if (ending) return;
		const wait = Math.min(AGAIN * 2 ** deaths++, AGAIN_AT_MOST);
		log.error({ code, wait }, 'the thread of background work ended; another is begun');
		setTimeout(() => {
			if (!ending) begin();
		}, wait).unref();
	});
	mine.unref();
}

/** Begins it, until the process ends. */
export function startBackground(): void {
	if (thread) return;
	begin();
	// a piece that is under way is finished, and no other is begun here
	process.once('rigid:ending', () => {
		ending = true;
		const mine = thread;
		mine?.postMessage({ end: true });
		setTimeout(() => void mine?.terminate(), END_LIMIT).unref();
	});
}
