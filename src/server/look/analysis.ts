/** The analysis of a rule set on the server: in a thread of its own, off the event loop, and ended when it takes too long. */
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { AnalysisAnswer, AnalysisJob } from '../../workers/analysis.thread';

/** Threads are read from their source, as the scripts are; they have no part in the build of the pages. */
const workers = path.resolve('src/workers');

/** Milliseconds that an analysis may take; the demo's takes two seconds, most of them to begin. */
const LIMIT = Number(process.env.RIGID_ANALYSIS_LIMIT ?? 120_000);

/** The analysis did not come to an end; the message says what that means. */
export class NotAnalysedInTime extends Error {}

/**
 * Analyses a rule set and runs trials on it.
 * @param limit milliseconds after which it is given up
 * @throws {NotAnalysedInTime}
 */
export function analyseApart(job: AnalysisJob, limit = LIMIT): Promise<AnalysisAnswer> {
	return new Promise((resolve, reject) => {
		const thread = new Worker(path.join(workers, 'thread.mjs'), {
			workerData: { module: pathToFileURL(path.join(workers, 'analysis.thread.ts')).href, job }
		});
		const ended = (settle: () => void) => {
			clearTimeout(timer);
			void thread.terminate();
			settle();
		};
		const timer = setTimeout(() => {
			const why = `The analysis of the draft took longer than ${limit / 1000} seconds and was ended. Whether the draft is sound is not known, so nothing was done. Try again, or have the limit raised.`;
			ended(() => reject(new NotAnalysedInTime(why)));
		}, limit);
		thread.once('message', (answer: AnalysisAnswer) => ended(() => resolve(answer)));
		thread.once('error', (e) => ended(() => reject(e)));
		// after an answer this says nothing more
		thread.once('exit', (code) =>
			ended(() => reject(new Error(`The thread of the analysis ended with ${code}.`)))
		);
	});
}
