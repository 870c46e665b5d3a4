/** What is asked of values that are out of line. */
import { check } from './check';
import { only, text, ticked, word } from './parts';

/** Open; set by hand; the rule fails; left as it is. */
export const LINE_IS = ['open', 'hand', 'failed', 'left'] as const;
export type LineIs = (typeof LINE_IS)[number];

/** Values of a field of a type: those of some records, or all that are so. */
export interface LineAsked {
	type: string;
	field: string;
	is: LineIs;
	ids: readonly string[] | null;
}

export type LineStep =
	/** Leaves them as they are, and says why. */
	| ({ step: 'leave'; why: string } & LineAsked)
	/** Takes up again what was left. */
	| ({ step: 'take up' } & LineAsked)
	/** Looks at everything anew. */
	| { step: 'look' };

/** What is done with values out of line. @throws {BadInput} naming the place */
export function checkLineStep(v: unknown): LineStep {
	const asked = check<{
		step: LineStep['step'];
		type?: string;
		field?: string;
		is?: LineIs;
		ids?: string[] | null;
		why?: string;
	}>(
		only({
			step: word(['leave', 'take up', 'look']),
			type: text(60).optional(),
			field: text(60).optional(),
			is: word(LINE_IS).optional(),
			ids: ticked().nullable().optional(),
			why: text(500).optional()
		}).test(
			'line',
			'${path} must have type, field, is and ids, and a reason (why) where they are left',
			(x) => {
				const { step, type, field, is, ids, why } = x as Record<string, unknown>;
				if (step === 'look') return [type, field, is, ids, why].every((y) => y === undefined);
				const which = !!type && !!field && !!is && ids !== undefined;
				return which && (step === 'leave' ? !!String(why ?? '').trim() : why === undefined);
			}
		),
		v
	);
	const { step, type = '', field = '', is = 'open', ids = null, why = '' } = asked;
	if (step === 'look') return { step };
	const which = { type, field, is, ids };
	return step === 'leave' ? { step, ...which, why: why.trim() } : { step, ...which };
}
