/** What the records propose for a field: looked for in a thread of its own, a few at a time. */
import pLimit from 'p-limit';
import type { SuggestAnswer, SuggestJob } from './suggest.thread';
import { apart } from './apart';

/** Milliseconds that looking may take; on the demo it takes two seconds. */
const LIMIT = Number(process.env.RIGID_SUGGEST_LIMIT ?? 60_000);
/** Threads at once; those beyond wait. */
const few = pLimit(2);

/** Looking for proposals did not come to an end. */
export class NotFoundInTime extends Error {}

/**
 * Rules that the stored records propose for a field.
 * @param signal ends it when nobody waits any longer
 * @throws {NotFoundInTime}
 */
export const suggestApart = (job: SuggestJob, signal: AbortSignal): Promise<SuggestAnswer> =>
	few(() =>
		apart<SuggestAnswer>('server/look/suggest.thread', job, {
			limit: LIMIT,
			late: () =>
				new NotFoundInTime(
					`Looking through the records took longer than ${LIMIT / 1000} seconds and was ended. Nothing is proposed; what was written stands.`
				),
			signal
		})
	);
