/** Names in formulas: how a label is spelled, matched and, where unknown, guessed. */

/** The words FEEL keeps for itself; a label that contains one as a word is quoted. */
const KEYWORDS = new Set(
	'in and or between if then else for return some every satisfies instance of not null true false function external was sent now today person'.split(
		' '
	)
);

export const isKeyword = (word: string) => KEYWORDS.has(word);

/** Two labels are one name when they differ only in case and spaces. */
export const nameKey = (label: string) => label.trim().replace(/\s+/g, ' ').toLowerCase();

const WORD = /^[\p{L}_][\p{L}\p{M}\p{N}_]*$/u;
const PART = /^[\p{L}\p{M}\p{N}_]+$/u;

/** A label as a formula writes it: bare where FEEL can spell it, else in single quotes. */
export function spell(label: string): string {
	const words = label.trim().split(/\s+/);
	const plain =
		WORD.test(words[0]) &&
		words.every((w) => PART.test(w)) &&
		!words.some((w) => KEYWORDS.has(w.toLowerCase()));
	return plain ? words.join(' ') : `'${label.replace(/\\/g, '\\\\').replace(/'/g, "\\'")}'`;
}

/** Edit distance, two letters exchanged counting as one edit; given up beyond `most`. */
function distance(a: string, b: string, most: number): number {
	if (Math.abs(a.length - b.length) > most) return most + 1;
	let before: number[] = [];
	let row = Array.from({ length: b.length + 1 }, (_, i) => i);
	for (let i = 1; i <= a.length; i++) {
		const next = [i];
		for (let j = 1; j <= b.length; j++) {
			next[j] = Math.min(row[j] + 1, next[j - 1] + 1, row[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1));
			const exchanged = i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1];
			if (exchanged) next[j] = Math.min(next[j], before[j - 2] + 1);
		}
		[before, row] = [row, next];
	}
	return row[b.length];
}

/**
 * The known name most like a mistyped one, or null when none is near: one edit in each four letters, so
 * that nothing unlike is suggested (*Holland* is no mistyped *Poland*).
 */
export function nearest(typed: string, known: Iterable<string>): string | null {
	const key = nameKey(typed).slice(0, 80);
	let best: string | null = null;
	let least = Math.max(1, Math.floor(key.length / 4)) + 1;
	for (const name of known) {
		const other = nameKey(name);
		const d =
			other.startsWith(key) && key.length >= 3 ? 1 : distance(key, other.slice(0, 90), least);
		if (d < least) [best, least] = [name, d];
	}
	return best;
}
