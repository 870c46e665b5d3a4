/** What of the audit is asked for, read from an address. */
import { DEEDS, type AuditSearch, type Deed } from '../db/audit';

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const isDay = (s: string) =>
	DAY.test(s) && !Number.isNaN(Date.parse(s)) && new Date(s).toISOString().startsWith(s);

/** Reads it; a day that is none is told and left out. */
export function auditSearch(q: URLSearchParams): {
	search: AuditSearch;
	asked: { group: string; find: string; from: string; to: string };
	fault: string | null;
} {
	const text = (key: string, most: number) => (q.get(key) ?? '').trim().slice(0, most);
	const asked = {
		group: text('group', 40),
		find: text('find', 100),
		from: text('from', 10),
		to: text('to', 10)
	};
	const deeds = (Object.keys(DEEDS) as Deed[]).filter((d) => DEEDS[d] === asked.group);
	const odd = [asked.from, asked.to].find((d) => d && !isDay(d));
	const day = (d: string) => (d && isDay(d) ? d : null);
	return {
		search: {
			deeds: deeds.length ? deeds : null,
			find: asked.find,
			from: day(asked.from),
			to: day(asked.to)
		},
		asked,
		fault: odd ? `“${odd}” is no day. Write it as 2026-11-26.` : null
	};
}
