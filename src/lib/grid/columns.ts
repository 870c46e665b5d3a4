/** What a grid shows of its rows, and how they are sorted and filtered by it. */
import { looseKey } from '$core';

export interface GridColumn<T> {
	/** Unique in its grid; the width a person gave is kept by it. */
	id: string;
	label: string;
	/** What rows are sorted by: numbers by size, texts as in a dictionary, null always last. */
	value: (row: T) => string | number | null;
	/** What stands in the cell, for the filter; without it, what it is sorted by. */
	text?: (row: T) => string;
	/** Pixels, until a person gives another width. */
	width: number;
	/** Takes the width that the others leave. */
	grow?: boolean;
	/** Right-aligned, and filtered by size. */
	numeric?: boolean;
	/** Few distinct texts: the filter is one of them. */
	pick?: boolean;
	/** Neither sorted nor filtered: signs, buttons. */
	plain?: boolean;
}

/** A value as the filter sees it. */
export const cellOf = <T>(c: GridColumn<T>, row: T): string =>
	c.text ? c.text(row) : String(c.value(row) ?? '');

/**
 * A filter as it is typed, as a test of cells; null for a blank one, which keeps every row.
 * Numbers take `> 10`, `<= 5`, `= 3` and `5..20` (both ends count); all else asks for a part of the
 * text, whatever its case and accents.
 */
export function filterOf<T>(c: GridColumn<T>, typed: string): ((row: T) => boolean) | null {
	const text = typed.trim();
	if (!text) return null;
	if (c.pick) return (row) => cellOf(c, row) === typed;
	if (c.numeric) {
		// half typed, it leaves nothing out yet
		if (/^(<=|>=|<|>|=)\s*-?$|\.\.\s*-?$/.test(text)) return null;
		const size = (s: string) => Number(s.replace(/[ _,]/g, ''));
		const range = /^(-?[\d., ]+?)\s*\.\.\s*(-?[\d., ]+)$/.exec(text);
		const than = /^(<=|>=|<|>|=)\s*(-?[\d., ]+)$/.exec(text);
		const by = (test: (n: number) => boolean) => (row: T) => {
			const v = c.value(row);
			return typeof v === 'number' && test(v);
		};
		if (range) {
			const [from, to] = [size(range[1]), size(range[2])];
			return by((n) => n >= from && n <= to);
		}
		if (than) {
			const n = size(than[2]);
			return by(
				{
					'<': (v: number) => v < n,
					'<=': (v: number) => v <= n,
					'>': (v: number) => v > n,
					'>=': (v: number) => v >= n,
					'=': (v: number) => v === n
				}[than[1]]!
			);
		}
	}
	const part = looseKey(text);
	return (row) => looseKey(cellOf(c, row)).includes(part);
}

const inDictionary = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });

/** Order of two values of a column; of a number and a text the number comes first. */
export function order(a: string | number, b: string | number): number {
	if (typeof a === 'number' && typeof b === 'number') return a - b;
	if (typeof a !== typeof b) return typeof a === 'number' ? -1 : 1;
	return inDictionary.compare(String(a), String(b));
}
