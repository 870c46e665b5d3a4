/** When something that a system outside did not take is tried again. */

const SECOND = 1000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;

/** Milliseconds between one attempt and the next; after the last of them, always that long. */
const WAITS = [5 * SECOND, 15 * SECOND, MINUTE, 5 * MINUTE, 15 * MINUTE, HOUR, 3 * HOUR];

/** Milliseconds after which it is tried no more. */
export const TRIED_FOR = 3 * 24 * HOUR;

/**
 * Milliseconds until the next attempt; null when it has been tried for long enough.
 * @param failed attempts that failed so far, this one with them
 * @param age milliseconds since it was to leave
 * @param asked milliseconds that the other side asked for
 * @param chance from 0 to 1: no two that failed together come back together
 */
export function waitAfter(
	failed: number,
	age: number,
	asked = 0,
	chance = Math.random()
): number | null {
	const wait = Math.max(WAITS[Math.min(Math.max(failed, 1), WAITS.length) - 1], asked);
	const spread = wait * (1 + chance / 10);
	return age + spread > TRIED_FOR ? null : Math.round(spread);
}
