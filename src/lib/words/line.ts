/** Values out of line in people's words. */
import type { LineIs } from '$door/line';

/** How a value is out of line, as columns of the standing list. */
export const LINE_HEAD: Record<LineIs, string> = {
	open: 'Out of line',
	hand: 'Set by hand',
	failed: 'Rule fails',
	left: 'Left as it is'
};

/** What that means, in a sentence. */
export const LINE_SAYS: Record<LineIs, string> = {
	open: 'Rules in force would give these another value, and nobody set them against the rules.',
	hand: 'People set these, or kept them, against their rule. They are spared unless you choose them.',
	failed:
		'The rule that always sets these fails on them: they stay as they are until it is mended.',
	left: 'Somebody left these as they are. That holds until the value, or what it would be, changes.'
};
