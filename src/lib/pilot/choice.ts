/** What is being written of a pilot's choice, and what is asked of the server with it. */
import type { Formula, PilotChoice } from '$core';

/** One record type of it. A condition that is still empty takes nothing. */
export interface Chosen {
	type: string;
	condition: Formula | null;
}

/** A choice while it is written. */
export interface Writing {
	chosen: readonly Chosen[];
	brought: PilotChoice['brought'];
}

/** Why it cannot be asked yet, in words; null where it can. */
export function unfinished(
	{ chosen, brought }: Writing,
	plural: (type: string) => string
): string | null {
	const open = chosen.find((c) => !c.condition);
	if (open) return `Say which ${plural(open.type).toLowerCase()}.`;
	return chosen.length || brought
		? null
		: 'Say which records: by what they hold, or by who brings them in.';
}

/** What is asked of the server. */
export const choiceOf = ({ chosen, brought }: Writing): PilotChoice => ({
	chosen: chosen.flatMap(({ type, condition }) => (condition ? [{ type, condition }] : [])),
	brought
});
