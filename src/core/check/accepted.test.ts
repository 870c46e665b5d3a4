/** Findings that are accepted: told no more, until what they rest on changes. */
import { describe, expect, it } from 'vitest';
import type { Acceptance, Rule, RuleSet } from '../document/rules';
import { FINDINGS, type FindingIs } from '../kinds/catalogue';
import { compilePlan } from '../plan/plan';
import { zones } from '../../runtime/zones';
import { bands, rule, schema, setOf } from '../../../tests/deals';
import { plant } from '../../../tests/planting';
import type { Beside } from './findings';
import { analyse, isAccepted, mayBeAccepted, restsOn, stopsRelease, timesOf } from './findings';

const look = (set: RuleSet, beside: Beside = {}) =>
	analyse(compilePlan(schema, set), set, zones, beside).findings;

/** The rule set with every finding of a kind accepted that may be. */
function accepting(is: FindingIs, set: RuleSet, beside: Beside = {}): RuleSet {
	const accepted = look(set, beside)
		.filter((f) => f.is === is)
		.map((f): Acceptance => {
			const times = timesOf(f, beside);
			return {
				id: f.id,
				rests: restsOn(f, set, schema.with(set), beside),
				...(times === undefined ? {} : { times }),
				reason: 'It is meant so.',
				by: 'Ida',
				at: '2026-11-25T10:00:00.000Z'
			};
		});
	return { ...set, accepted };
}
const told = (is: FindingIs, set: RuleSet, beside: Beside = {}) =>
	look(set, beside).filter((f) => f.is === is && !isAccepted(f)).length;

describe('an accepted finding', () => {
	it.each(Object.keys(FINDINGS) as FindingIs[])('of the kind “%s”', (is) => {
		const { planted } = plant(is, 7);
		const { set, overruled, trials } = planted;
		const beside = { overruled, trials };
		const found = look(set, beside).filter((f) => f.is === is);
		expect(found.length).toBeGreaterThan(0);
		const next = accepting(is, set, beside);
		const may = found.every(mayBeAccepted);
		expect(may).toBe(!['rule fault', 'unfinished', 'definition fault', 'table fault'].includes(is));
		expect(told(is, next, beside)).toBe(may ? 0 : found.length);
		expect(look(next, beside).filter((f) => f.is === is && stopsRelease(f)).length).toBe(
			may ? 0 : found.length
		);
		// a rule elsewhere changes nothing of it, nor does what rules are called
		const elsewhere: RuleSet = {
			...next,
			rules: [
				...next.rules.map((r) => ({ ...r, name: `${r.name}!`, why: 'Another reason' })),
				rule('at', 'now()', { watch: ['urgent'] })
			]
		};
		expect(told(is, elsewhere, beside)).toBe(may ? 0 : found.length);
	});

	const gap = () =>
		rule('size', bands(['0', '10'], ['small', null, 'large']), { output: { none: 'leave' } });
	const lapses = (set: RuleSet, change: (rules: Rule[]) => Rule[]) => {
		const next = accepting('gap between bands', set);
		expect(told('gap between bands', next)).toBe(0);
		const [f] = look({ ...next, rules: change(next.rules) }).filter(
			(x) => x.is === 'gap between bands'
		);
		expect(f.accepted).toMatchObject({ stands: false, by: 'Ida', reason: 'It is meant so.' });
		expect(stopsRelease(f)).toBe(true);
	};
	it('lapses when its rule changes, and tells who had accepted it', () => {
		lapses(setOf([gap()]), ([r]) => [{ ...r, body: bands(['0', '12'], ['small', null, 'large']) }]);
	});
	it('lapses when another claim of its field comes, changes or is put first', () => {
		const other = rule('size', 'if is blank(Title) then "Large" else null', { if: 'Urgent' });
		lapses(setOf([gap()]), ([r]) => [r, other]);
		lapses(setOf([gap(), other]), ([r, o]) => [r, { ...o, guard: { text: 'Urgent = false' } }]);
	});
	it('lapses when a definition that it speaks of changes, and not when another does', () => {
		const d = (id: string, text: string) => ({
			id,
			name: `Named ${id}`,
			why: '',
			type: 'deal',
			params: [],
			result: null,
			body: { text }
		});
		const definitions = [d('one', 'Amount < 90'), d('two', 'Amount > 6')];
		const r = rule('size', bands(['0', '10'], ['small', null, 'large']), { if: 'Named one' });
		const next = accepting('gap between bands', setOf([r], { definitions }));
		expect(next.accepted).toHaveLength(1);
		const with_ = (...ds: typeof definitions) =>
			told('gap between bands', { ...next, definitions: ds });
		expect(with_(definitions[0], d('two', 'Amount > 7'))).toBe(0);
		expect(with_(d('one', 'Amount < 80'), definitions[1])).toBe(1);
	});
	it('of a table lapses when the row it names changes, and not with other rows', () => {
		const desk = (...rows: string[][]) => [
			{
				id: 'desk',
				label: 'Desk',
				why: '',
				columns: [
					{ id: 'name', label: 'Name', type: 'text' as const },
					{ id: 'rate', label: 'Rate', type: 'number' as const }
				],
				keys: [{ match: 'exact' as const, column: 'name' }],
				rows
			}
		];
		const set = setOf([], { tables: desk(['a', '1'], ['a', '2'], ['b', '3']) });
		const next = accepting('doubled key', set);
		const then = (...rows: string[][]) => told('doubled key', { ...next, tables: desk(...rows) });
		expect(then(['a', '1'], ['a', '2'], ['b', '9'], ['c', '9'])).toBe(0);
		expect(then(['a', '1'], ['a', '5'], ['b', '3'])).toBe(1);
	});
	it('that rests on history lapses when the count has doubled', () => {
		const r = rule('share', 'otherwise(Amount, 0) + 1');
		const history = (overruled: number) => ({
			overruled: { [`${r.id}:o`]: { wrote: 30, overruled, since: '2026-08-25' } }
		});
		const next = accepting('overruled', setOf([r]), history(8));
		expect([8, 12, 15].map((n) => told('overruled', next, history(n)))).toEqual([0, 0, 0]);
		expect(told('overruled', next, history(16))).toBe(1);
	});
	it('is no licence for another: the same digest under another identity counts for nothing', () => {
		const next = accepting('gap between bands', setOf([gap()]));
		const [a] = next.accepted!;
		expect(told('gap between bands', { ...next, accepted: [{ ...a, id: 'another' }] })).toBe(1);
		expect(
			told('gap between bands', { ...next, accepted: [{ ...a, rests: '0'.repeat(64) }] })
		).toBe(1);
	});
});
