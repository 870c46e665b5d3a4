/** The analysis of a rule set on the server: in a thread of its own, off the event loop, and ended when it takes too long. */
import type { AnalysisAnswer, AnalysisJob } from '../../workers/analysis.thread';
import { Staying } from './apart';

/** Milliseconds that an analysis may take; the demo's takes one second the first time, and two to begin. */
const LIMIT = Number(process.env.RIGID_ANALYSIS_LIMIT ?? 120_000);
/** How long a thread stays that may be asked again, with what it said of each rule, milliseconds. */
const IDLE = 600_000;

/** The analysis did not come to an end; the message says what that means. */
export class NotAnalysedInTime extends Error {}

const thread = new Staying<AnalysisJob, AnalysisAnswer>('workers/analysis.thread', IDLE);

/**
 * Analyses a rule set and runs trials on it; of what is as it was the last time, what was said of it then.
 * @param limit milliseconds after which it is given up
 * @throws {NotAnalysedInTime}; the signal's reason, when it is given
 */
export function analyseApart(
	job: AnalysisJob,
	{ limit = LIMIT, signal }: { limit?: number; signal?: AbortSignal } = {}
): Promise<AnalysisAnswer> {
	const why = `The analysis of the draft took longer than ${limit / 1000} seconds and was ended. Whether the draft is sound is not known, so nothing was done. Try again, or have the limit raised.`;
	return thread.ask(job, { limit, signal, late: () => new NotAnalysedInTime(why) });
}
