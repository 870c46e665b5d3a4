/** The journal as addresses have it: read back as it was, and named where it is wrong. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ENTRY_POINTS } from '../core';
import { ALL_LINES, JOURNAL_WHAT, journalAsked, journalHref, type JournalAsked } from './journal';

const id = fc.constantFrom('stage', 'a-1', 'The_field');
const number = fc.integer({ min: 1, max: 1e9 }).map(String);
const day = fc.constantFrom('2026-01-31', '2026-02-28', '2024-02-29');
const asked: fc.Arbitrary<JournalAsked> = fc.record({
	rule: fc.option(id),
	field: fc.option(fc.record({ type: id, field: id })),
	by: fc.option(number),
	road: fc.option(fc.constantFrom(...ENTRY_POINTS)),
	what: fc.option(fc.constantFrom(...JOURNAL_WHAT)),
	from: fc.option(day),
	to: fc.option(day),
	change: fc.option(number)
});
const read = (href: string) => {
	const u = new URL(href, 'http://x');
	return journalAsked(decodeURIComponent(u.pathname.replace('/journal/', '')), u.searchParams);
};

describe('the address of a journal', () => {
	it('holds all that is asked', () => {
		fc.assert(
			fc.property(asked, (a) => {
				expect(read(journalHref(a))).toEqual(a);
			})
		);
		expect(journalHref(ALL_LINES)).toBe('/journal/~all');
	});
	it.each([
		['by=x', 'by'],
		['road=mail', 'full, short, import, api, bulk'],
		['what=all', 'wrote, entered'],
		['from=2026-02-30', 'as 2026-11-24'],
		['to=0001-01-01', 'as 2026-11-24'],
		['field=stage', 'as deal.stage'],
		['change=-1', 'a number']
	])('%s is named', (query, says) => {
		expect(() => journalAsked('r', new URLSearchParams(query))).toThrow(says);
	});
});
