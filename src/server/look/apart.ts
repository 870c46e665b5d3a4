/** Work in a thread of its own, off the event loop: ended when it takes too long or nobody waits for it. */
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { Worker } from 'node:worker_threads';

/** Threads are read from their source, as the scripts are; they have no part in the build of the pages. */
const source = path.resolve('src');
const begin = path.join(source, 'workers/thread.mjs');

interface Apart {
	/** Milliseconds after which it is given up. */
	limit: number;
	/** What is thrown then. */
	late: () => Error;
	/** Nobody waits for the answer any longer. */
	signal?: AbortSignal;
}

/**
 * Runs a module with a job in a thread and gives the first thing it posts.
 * @param module below `src`; it finds the job in `workerData.job`
 * @throws what `late` makes, when it takes too long; the signal's reason, when it is given; what the thread threw
 */
export function apart<Answer>(module: string, job: unknown, with_: Apart): Promise<Answer> {
	const { limit, late, signal } = with_;
	signal?.throwIfAborted();
	return new Promise((resolve, reject) => {
		const thread = new Worker(begin, {
			workerData: { module: pathToFileURL(path.join(source, module)).href, job }
		});
		const ended = (settle: () => void) => {
			clearTimeout(timer);
			signal?.removeEventListener('abort', left);
			void thread.terminate();
			settle();
		};
		const left = () => ended(() => reject(signal!.reason as Error));
		const timer = setTimeout(() => ended(() => reject(late())), limit);
		signal?.addEventListener('abort', left);
		thread.once('message', (answer: Answer) => ended(() => resolve(answer)));
		thread.once('error', (e) => ended(() => reject(e)));
		// after an answer this says nothing more
		thread.once('exit', (code) =>
			ended(() => reject(new Error(`The thread of ${module} ended with ${code}.`)))
		);
	});
}
