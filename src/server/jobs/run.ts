/** What a job is to those who carry out a piece of it. */
import type { Job } from '../db/jobs';

/** Somebody asked the job to stop. */
export class Stopped extends Error {}

/** One piece of it that is carried out. */
export interface JobRun {
	job: Job;
	/** Which of the ranges that the job was cut into; null for a piece that is none. */
	range: number | null;
	/** Aborted when the job is to stop. What PostgreSQL does for it just then is cancelled by itself. */
	signal: AbortSignal;
	/**
	 * Tells how far it is.
	 * @throws {Stopped} when somebody asked it to stop
	 * @throws {BadInput} when its time is over
	 */
	progress: (done: number, of: number | null) => Promise<void>;
}
