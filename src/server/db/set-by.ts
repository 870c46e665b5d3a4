/**
 * Who or what set a field's present value, as it is kept on the record: a mark in a few signs for each field.
 * Its words (the reason, the rule's name, when, by which release) are those of the change in history.
 */

const BY = { person: 'p', import: 'i', api: 'a', rule: 'r' } as const;
const FROM: Readonly<Record<string, SetBy['by']>> = Object.fromEntries(
	Object.entries(BY).map(([by, sign]) => [sign, by as SetBy['by']])
);

export interface SetBy {
	by: 'person' | 'import' | 'api' | 'rule';
	/** Number of the change that set it. Absent where history never had it. */
	change?: string;
	/** The account that entered it; absent where a rule gave it. */
	account?: string;
	claim?: string;
	/** Options that claims added to the set and that are still there, by claim. */
	added?: Record<string, readonly string[]>;
	/** Who made the change. This and what follows are told by history, or kept here where it never had it. */
	name?: string;
	at?: string;
	release?: number;
	rule?: string;
	because?: string;
}

/** By whom, by which change (0 where history never had it) and by which claim or account: `r 457 size:o`. */
const markOf = ({ by, change, claim, account }: SetBy): string =>
	`${BY[by]} ${change ?? 0} ${claim ?? account ?? ''}`;

/** Taken apart by hand: of each record that is read there is a mark for each of its fields. */
function readMark(mark: string): SetBy {
	const end = mark.indexOf(' ', 2);
	const by = FROM[mark[0]] ?? 'person';
	const change = mark.slice(2, end);
	const whose = mark.slice(end + 1);
	const out: SetBy = change > '0' ? { by, change } : { by };
	if (whose) out[by === 'rule' ? 'claim' : 'account'] = whose;
	return out;
}

/** As a record keeps it: a mark, a mark with what claims added, or, with no change in history, all of it. */
export type KeptSetBy = string | [mark: string, added: Record<string, readonly string[]>] | SetBy;

export type Marked = Exclude<KeptSetBy, SetBy>;

/** Its mark, with what claims added where they did. */
export const markedBy = (s: SetBy): Marked => (s.added ? [markOf(s), s.added] : markOf(s));

/** The mark that the line `h` of history has of who had set a value before, as JSON. */
export const MARKED_SQL = "case when h.had like '[%' then h.had::jsonb else to_jsonb(h.had) end";

export function keptSetBy(all: Record<string, SetBy>): Record<string, KeptSetBy> {
	return Object.fromEntries(
		Object.entries(all).map(([field, s]): [string, KeptSetBy] => [
			field,
			s.change === undefined ? s : markedBy(s)
		])
	);
}

export function readSetBy(kept: Record<string, KeptSetBy>): Record<string, SetBy> {
	return Object.fromEntries(
		Object.entries(kept).map(([field, k]): [string, SetBy] => {
			if (typeof k === 'string') return [field, readMark(k)];
			return [field, Array.isArray(k) ? { ...readMark(k[0]), added: k[1] } : k];
		})
	);
}
