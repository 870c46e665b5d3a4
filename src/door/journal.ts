/** What a page of the journal asks for: which lines, of what time; as it stands in an address. */
import { LocalDate } from '../core';
import { ROADS, type Road } from '../core';
import { BadInput } from './check';

/** What became of a line: a rule wrote or sent, somebody entered, an edit of the model took out, a rule ran and did nothing, and so on. */
export const JOURNAL_WHAT = [
	'wrote',
	'entered',
	'model',
	'nothing',
	'aside',
	'refused',
	'failed',
	'deleted'
] as const;
export type JournalWhat = (typeof JOURNAL_WHAT)[number];

/** The rule of an address that asks for all of them. */
export const ALL_RULES = '~all';

export interface JournalAsked {
	/** Null for all, and for what people entered. */
	rule: string | null;
	field: { type: string; field: string } | null;
	/** Number of the account that made the change. */
	by: string | null;
	road: Road | null;
	what: JournalWhat | null;
	/** Calendar days, both included, in the workspace's zone. */
	from: string | null;
	to: string | null;
	/** Of one change alone. */
	change: string | null;
}

export const ALL_LINES: JournalAsked = {
	rule: null,
	field: null,
	by: null,
	road: null,
	what: null,
	from: null,
	to: null,
	change: null
};

/** The journal of an address. @throws {BadInput} naming what cannot be read */
export function journalAsked(rule: string, q: URLSearchParams): JournalAsked {
	const one = <T extends string>(key: string, of: readonly T[]): T | null => {
		const given = q.get(key);
		if (!given) return null;
		const found = of.find((x) => x === given);
		if (!found) throw new BadInput(`“${key}” in the address must be one of: ${of.join(', ')}.`);
		return found;
	};
	const number = (key: string) => {
		const given = q.get(key);
		if (given && !/^\d{1,18}$/.test(given))
			throw new BadInput(`“${key}” in the address must be a number.`);
		return given || null;
	};
	const day = (key: string) => {
		const given = q.get(key);
		const d = given ? LocalDate.parse(given) : null;
		if (given && (!d || d.year < 1900 || d.year > 9998))
			throw new BadInput(`“${key}” in the address must be a day, as 2026-11-24.`);
		return given || null;
	};
	const field = q.get('field');
	const m = field ? /^([A-Za-z0-9_-]{1,60})\.([A-Za-z0-9_-]{1,60})$/.exec(field) : null;
	if (field && !m) throw new BadInput('“field” in the address must be a field, as deal.stage.');
	return {
		rule: rule === ALL_RULES ? null : rule,
		field: m ? { type: m[1], field: m[2] } : null,
		by: number('by'),
		road: one('road', ROADS),
		what: one('what', JOURNAL_WHAT),
		from: day('from'),
		to: day('to'),
		change: number('change')
	};
}

/** The address of a journal, without its page. */
export const journalHref = (a: JournalAsked): string => address(a, '');
/** The address of the same as a file. */
export const journalFile = (a: JournalAsked): string => address(a, '/export');

function address(a: JournalAsked, end: string): string {
	const q = new URLSearchParams();
	if (a.field) q.set('field', `${a.field.type}.${a.field.field}`);
	for (const key of ['by', 'road', 'what', 'from', 'to', 'change'] as const)
		if (a[key]) q.set(key, a[key]);
	const query = q.toString();
	return `/journal/${encodeURIComponent(a.rule ?? ALL_RULES)}${end}${query ? `?${query}` : ''}`;
}
