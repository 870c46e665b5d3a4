/**
 * What a form showed when its page was opened comes back with it. Where something else was stored since, nothing is: two who
 * have the same page open do not take back what the other did without knowing.
 */
import { KEPT } from './forms';
import { CRITERIA, type Gate } from './gate';

/** The text of each input of a form, by its name. */
export type Shown = Readonly<Record<string, string>>;

export const gateShown = (g: Gate): Shown => ({
	...Object.fromEntries(CRITERIA.map((c) => [c, g.levels[c]])),
	coverageLeast: String(g.coverage),
	strengthLeast: String(g.strength),
	inherited: g.inherited ? 'yes' : ''
});

export const keepShown = (days: Partial<Record<(typeof KEPT)[number], number>>): Shown =>
	Object.fromEntries(KEPT.map((k) => [k, days[k] === undefined ? '' : String(days[k])]));

export const personShown = (p: {
	name: string;
	email: string | null;
	role: string;
	person: string | null;
}): Shown => ({ name: p.name, email: p.email ?? '', role: p.role, person: p.person ?? '' });

export const hookShown = (h: {
	name: string;
	address: string | null;
	types: readonly string[] | null;
	state: string;
}): Shown => ({
	name: h.name,
	address: h.address ?? '',
	types: (h.types ?? []).join(' '),
	state: h.state
});

/** What came back of it; null where nothing did, or nothing that can be read. */
export function readShown(text: string | undefined): Shown | null {
	if (!text) return null;
	try {
		const read: unknown = JSON.parse(text);
		if (typeof read !== 'object' || read === null || Array.isArray(read)) return null;
		return Object.fromEntries(
			Object.entries(read).flatMap(([k, v]) => (typeof v === 'string' ? [[k, v]] : []))
		);
	} catch {
		return null;
	}
}

/** The inputs in which something else stands now. */
export const otherNow = (shown: Shown, now: Shown): string[] =>
	Object.keys(now).filter((k) => shown[k] !== now[k]);

/** Something else was stored since the page of a form was opened. */
export class StoredSince extends Error {
	constructor(
		/** What stands now. */
		readonly now: Shown
	) {
		super(
			'Somebody stored something else here since the page was opened: nothing of yours is stored. Open it anew to see what stands now.'
		);
	}
}

/** @param shown what the form showed; null where it does not say. @throws {StoredSince} */
export function refuseStale(shown: Shown | null, now: Shown): void {
	if (shown && otherNow(shown, now).length) throw new StoredSince(now);
}
