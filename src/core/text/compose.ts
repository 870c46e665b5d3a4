/** Text put together from parts of which some may be blank, without what a blank leaves around it. */

/** A part of a composed text: fixed, or the value of a placeholder; a blank value is null. */
export type Piece = { fixed: string } | { value: string | null };

const OPENING = /[([{„“‘«<]$/u;
const CLOSING: Record<string, string> = {
	'(': ')',
	'[': ']',
	'{': '}',
	'„': '“',
	'“': '”',
	'‘': '’',
	'«': '»',
	'<': '>'
};
/** Signs that stand between two things and mean nothing beside one: a comma, a dash, a slash. */
const SEPARATORS = ',;:/|·•+&–—-';
const LEADING = new RegExp(`^[\\s${SEPARATORS.replace(/[-/]/g, '\\$&')}]+`, 'u');
const TRAILING = new RegExp(`[\\s${SEPARATORS.replace(/[-/]/g, '\\$&')}]+$`, 'u');

/**
 * Joins the pieces. Where a value is blank, brackets around it go, and of the separators before and
 * behind it one at most stays; nothing else is touched. Null when every value is blank.
 */
export function joinPieces(pieces: readonly Piece[]): string | null {
	if (pieces.length && pieces.every((p) => 'fixed' in p || p.value === null))
		if (pieces.some((p) => 'value' in p)) return null;
	let out = '';
	/** Where fixed text at the end of `out` begins: only that may be cut. */
	let fixedFrom = 0;
	let gap = false;
	for (const p of pieces) {
		if ('value' in p && p.value === null) {
			gap = true;
			continue;
		}
		if ('value' in p) {
			out += p.value;
			fixedFrom = out.length;
		} else if (gap) {
			out = mend(out, fixedFrom, p.fixed);
		} else out += p.fixed;
		gap = false;
	}
	if (gap) out = out.slice(0, fixedFrom) + out.slice(fixedFrom).replace(TRAILING, '');
	return out.trim() === '' ? null : out.trim();
}

/** Puts fixed text behind a blank: takes a pair of brackets away, and one of two separators. */
function mend(out: string, fixedFrom: number, fixed: string): string {
	let head = out.slice(fixedFrom);
	let tail = fixed;
	const open = OPENING.exec(head.trimEnd());
	if (open && tail.trimStart().startsWith(CLOSING[open[0]])) {
		head = head.trimEnd().slice(0, -1);
		tail = tail.trimStart().slice(1);
	}
	const before = out.slice(0, fixedFrom) + head;
	if (before.trim() === '') return tail.replace(LEADING, '');
	if (tail.trim() === '' || LEADING.test(tail)) {
		// one separator of the two: the later one, which leads to what comes next
		const bare = head.replace(TRAILING, '');
		const cut = head.length > bare.length || out.length === fixedFrom;
		return out.slice(0, fixedFrom) + (cut ? bare : head) + tail;
	}
	return out.slice(0, fixedFrom) + head.replace(/\s+$/u, ' ') + tail.replace(/^\s+/u, ' ');
}
