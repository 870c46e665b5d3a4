/** The journal in people's words and colours. */
import type { JournalWhat } from '$door/journal';

/** What a line comes under. */
export const WHAT_LABEL: Record<JournalWhat, string> = {
	wrote: 'rules wrote or sent',
	entered: 'people entered',
	model: 'the model took out',
	nothing: 'rules did nothing',
	aside: 'set aside',
	refused: 'refused',
	failed: 'failed',
	deleted: 'deleted'
};

/** Its colour in a picture: what is wrong in the colour of what is wrong. */
export const FILL: Record<JournalWhat, string> = {
	wrote: 'var(--color-band-4)',
	entered: 'var(--color-quiet)',
	model: 'var(--color-teal)',
	nothing: 'var(--color-hairline)',
	aside: 'var(--color-ochre)',
	// told from what failed by its hatching
	refused: 'url(#refused)',
	failed: 'var(--color-brick)',
	deleted: 'var(--color-ink)'
};
