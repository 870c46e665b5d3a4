/** Work in threads of their own, off the event loop: ended when it takes too long or nobody waits for it. */
import type { Worker } from 'node:worker_threads';
import pLimit from 'p-limit';
import { beginThread, type ThreadModule } from '../thread';

interface Apart {
	/** Milliseconds after which it is given up. */
	limit: number;
	/** What is thrown then. */
	late: () => Error;
	/** Nobody waits for the answer any longer. */
	signal?: AbortSignal;
}

/** The first thing that a thread posts from now on. The thread is ended where there is none, and stands else. */
function answerOf<Answer>(thread: Worker, module: string, { limit, late, signal }: Apart) {
	return new Promise<Answer>((resolve, reject) => {
		const done = () => {
			clearTimeout(timer);
			signal?.removeEventListener('abort', left);
			thread.off('message', told).off('error', failed).off('exit', gone);
		};
		const failed = (e: Error) => {
			done();
			// what it throws while it ends is told to nobody
			thread.on('error', () => undefined);
			void thread.terminate();
			reject(e);
		};
		const told = (answer: Answer) => {
			done();
			resolve(answer);
		};
		const left = () => failed(signal!.reason as Error);
		const gone = (code: number) => failed(new Error(`The thread of ${module} ended with ${code}.`));
		const timer = setTimeout(() => failed(late()), limit);
		signal?.addEventListener('abort', left);
		thread.on('message', told).on('error', failed).on('exit', gone);
	});
}

/**
 * Runs a module with a job in a thread and gives the first thing it posts.
 * @throws what `late` makes, when it takes too long; the signal's reason, when it is given; what the thread threw
 */
export async function apart<Answer>(
	module: ThreadModule,
	job: unknown,
	with_: Apart
): Promise<Answer> {
	with_.signal?.throwIfAborted();
	const thread = beginThread(module, job);
	try {
		return await answerOf<Answer>(thread, module, with_);
	} finally {
		void thread.terminate();
	}
}

/**
 * A thread that stays between jobs, with what its module keeps of them: it is begun when it is first asked, again
 * after one that did not come to an end, and ended when nobody has asked for a while.
 */
export class Staying<Job, Answer> {
	#thread: Worker | null = null;
	#leaving: NodeJS.Timeout | undefined;
	/** One job at a time. */
	readonly #turn = pLimit(1);

	/**
	 * @param module is posted each job, and posts one answer to each
	 * @param idle milliseconds after the last answer until the thread is ended
	 */
	constructor(
		readonly module: ThreadModule,
		readonly idle: number
	) {}

	/** @throws as `apart` */
	ask(job: Job, with_: Apart): Promise<Answer> {
		return this.#turn(async () => {
			with_.signal?.throwIfAborted();
			clearTimeout(this.#leaving);
			const thread = (this.#thread ??= this.#begin());
			thread.ref();
			const answer = answerOf<Answer>(thread, this.module, with_);
			thread.postMessage(job);
			try {
				const told = await answer;
				// it holds up no process that is to end
				thread.unref();
				this.#leaving = setTimeout(() => this.#end(), this.idle).unref();
				return told;
			} catch (e) {
				this.#left(thread);
				throw e;
			}
		});
	}

	#begin(): Worker {
		const thread = beginThread(this.module);
		// one that dies while nobody waits for it is begun anew when it is asked
		return thread.on('error', () => undefined).on('exit', () => this.#left(thread));
	}

	#left(thread: Worker) {
		if (this.#thread === thread) this.#thread = null;
	}

	/** Ends the thread with what it keeps. */
	#end() {
		void this.#thread?.terminate();
		this.#thread = null;
	}
}
