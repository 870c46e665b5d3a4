/** What a job is to those who carry out a piece of it. */
import type { Job } from '../db/jobs';

/** Somebody asked the job to stop. */
export class Stopped extends Error {}

/** One piece of it that is carried out. */
export interface JobRun {
	job: Job;
	/**
	 * Tells how far it is.
	 * @throws {Stopped} when somebody asked it to stop
	 * @throws {BadInput} when its time is over
	 */
	progress: (done: number, of: number | null) => Promise<void>;
}
