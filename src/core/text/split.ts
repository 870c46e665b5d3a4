/** One text parted into several. */
import type { SplitAt } from '../document/rules';

/** How a text is parted. */
export interface Splitting {
	at: SplitAt;
	/** What parts it; empty for white space. */
	separator: string;
	/** The part (index) that a text of one part goes to. */
	alone: number;
}

/**
 * Parts a text into `count` parts, without spaces at either end of each; the last takes the rest.
 * A part that is not there is null. Common practice, no source: a name is split at its first space.
 */
export function splitText(text: string, how: Splitting, count: number): (string | null)[] {
	const whole = how.separator.trim() === '' ? text.trim().replace(/\s+/gu, ' ') : text.trim();
	const sep = how.separator.trim() === '' ? ' ' : how.separator.trim();
	const cuts =
		how.at === 'each' ? cutEach(whole, sep, count) : cutOnce(whole, sep, how.at === 'first');
	const out = new Array<string | null>(count).fill(null);
	if (cuts.length === 1) out[how.alone] = cuts[0] || null;
	else cuts.forEach((p, i) => (out[i] = p.trim() || null));
	return out;
}

function cutOnce(text: string, sep: string, first: boolean): string[] {
	const i = first ? text.indexOf(sep) : text.lastIndexOf(sep);
	return i < 0 ? [text] : [text.slice(0, i), text.slice(i + sep.length)];
}

function cutEach(text: string, sep: string, count: number): string[] {
	const all = text.split(sep);
	return all.length <= count ? all : [...all.slice(0, count - 1), all.slice(count - 1).join(sep)];
}
