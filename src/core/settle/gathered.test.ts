/** What rules read is gathered as they ask for it; how it comes makes no difference. Invented data. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { planOf, rule, schema } from '../../../tests/world';
import { zones } from '../../runtime/zones';
import { toJson } from '../fields/codec';
import { matchKey, type MatchKey } from '../fields/match';
import type { Value } from '../value/value';
import { recordsLoader, submissionOf, valuesFromJson } from '../trials/records';
import type { Fetched } from './gathered';
import { Gathered, needKey } from './gathered';
import { settle } from './settle';
import type { Need } from './types';

const at = (field: string) => schema.type('thing').at.get(field)!;
const plan = planOf(
	rule('b', 'sum(Team.A)', { output: { hold: 'locked' } }),
	rule('c', 'count(Team[Stage = "Won"])', { output: { hold: 'locked' } }),
	rule('d', 'Boss.B + 1')
);
const thing = (id: string, values: Record<string, string | null>) => ({
	type: 'thing',
	id,
	values: valuesFromJson(schema, 'thing', values)
});
const change = (
	id: string,
	was: Record<string, string | null>,
	sent: [string, string | null][]
) => ({
	records: [submissionOf(schema, { type: 'thing', was, sent, record: id })],
	entryPoint: 'api' as const,
	instant: Date.parse('2026-11-23T09:00:00Z'),
	person: null
});

/** A store that answers each need by itself, and of a collection its numbers only. */
function slow(records: ReturnType<typeof thing>[], asked: Need[][] = []) {
	const all = recordsLoader(schema, records);
	return (needs: readonly Need[]): Promise<Fetched> => {
		asked.push([...needs]);
		const out = { records: [], related: [], found: [] } as {
			records: {
				type: string;
				id: string;
				values: readonly (typeof records)[0]['values'][0][] | null;
			}[];
			related: { type: string; field: string; of: string; ids: readonly string[] }[];
			found: [];
		};
		for (const n of needs)
			if ('id' in n) out.records.push({ ...n, values: all.record(n.type, n.id) ?? null });
			else if ('field' in n) out.related.push({ ...n, ids: all.related(n.type, n.field, n.of)! });
		return Promise.resolve(out);
	};
}

describe('gathering', () => {
	it.each([1, 2, 49, 50, 51, 1999, 2000, 2001, 2100])(
		'reads all of %i records behind one link, in a few rounds',
		async (n) => {
			const team = Array.from({ length: n }, (_, i) =>
				thing(String(i + 2), { a: '2', boss: '1', stage: i < 6 ? 'won' : 'lost' })
			);
			const asked: Need[][] = [];
			const settled = await new Gathered(() => schema).settle(
				slow([thing('1', {}), ...team], asked),
				(loader) =>
					settle(plan, change('2', { a: '2', boss: '1', stage: 'won' }, [['a', '3']]), loader, {
						zones
					})
			);
			expect(settled.needs).toEqual([]);
			const boss = settled.records.find((r) => r.id === '1')!;
			expect(toJson(boss.values[at('b')])).toBe(String(2 * n + 1));
			expect(asked.length).toBeLessThan(8);
		}
	);

	it('gives what having all at hand gives, whatever points where', async () => {
		const link = fc.option(fc.integer({ min: 1, max: 8 }).map(String));
		await fc.assert(
			fc.asyncProperty(
				fc.array(fc.record({ a: fc.nat(9).map(String), boss: link }), {
					minLength: 8,
					maxLength: 8
				}),
				fc.nat(9).map(String),
				link,
				async (rows, a, boss) => {
					const records = rows.map((r, i) => thing(String(i + 1), r));
					const it = change('1', rows[0], [
						['a', a],
						['boss', boss]
					]);
					const run = (loader: Parameters<typeof settle>[2]) => settle(plan, it, loader, { zones });
					const whole = run(recordsLoader(schema, records));
					const bit = await new Gathered(() => schema).settle(slow(records), run);
					expect(bit.records.map((r) => [r.id, r.values])).toEqual(
						whole.records.map((r) => [r.id, r.values])
					);
				}
			)
		);
	});

	it('loads also what only a reason shows, when that is read', async () => {
		const two = planOf(rule('e', 'if A > 5 then 1 else Boss.B'));
		const records = [thing('1', { b: '7' }), thing('2', { a: '2', boss: '1' })];
		const asked: Need[][] = [];
		const one = (loader: Parameters<typeof settle>[2], missing?: (need: Need) => void) =>
			settle(two, change('2', { a: '2', boss: '1' }, [['a', '9']]), loader, {
				explain: true,
				missing,
				zones
			});
		const seen = (s: ReturnType<typeof one>) =>
			s.records[0].reports[0].reads!.map((r) => `${r.field} ${String(r.value)}`);
		const quiet = await new Gathered(() => schema).settle(slow(records, asked), one);
		expect(asked).toEqual([]);
		// read later, nothing is fetched any more: what is not at hand is not made up
		expect(seen(quiet)).toContain('b null');
		const told = await new Gathered(() => schema).settle(slow(records, asked), one, (s) => seen(s));
		expect(asked.flat()).toEqual([{ type: 'thing', id: '1' }]);
		expect(seen(told)).toEqual(['a 9', 'boss 1', 'b 7']);
	});

	it('keeps nothing when what was asked for does not come', async () => {
		const none = () => Promise.resolve({ records: [], related: [], found: [] });
		await expect(
			new Gathered(() => schema).settle(none, (loader) =>
				settle(plan, change('2', { boss: '1' }, [['a', '3']]), loader, { zones })
			)
		).rejects.toThrow('could not be loaded: thing.1');
	});

	it('knows what changes made of records, also where it is fetched afterwards', async () => {
		const records = [thing('1', {}), thing('2', { boss: '1', t: 'x' }), thing('3', { t: 'x' })];
		const gathered = new Gathered(() => schema);
		const moved = settle(
			plan,
			change('2', { boss: '1', t: 'x' }, [
				['boss', '3'],
				['t', 'y']
			]),
			recordsLoader(schema, records),
			{ zones }
		);
		gathered.keep(moved.records[0]);
		const key = (k: string) => [{ field: 't', how: 'exact' as const, key: k }];
		const needs: Need[] = [
			{ type: 'thing', field: 'boss', of: '1' },
			{ type: 'thing', field: 'boss', of: '3' },
			{ type: 'thing', id: '2' }
		];
		gathered.take(await slow(records)(needs));
		gathered.take({
			records: [],
			related: [],
			found: [
				{ type: 'thing', match: key('x'), ids: ['2', '3'] },
				{ type: 'thing', match: key('y'), ids: [] }
			]
		});
		expect(gathered.loader.related('thing', 'boss', '1')).toEqual([]);
		expect(gathered.loader.related('thing', 'boss', '3')).toEqual(['2']);
		expect(gathered.loader.matching('thing', key('x'))).toEqual(['3']);
		expect(gathered.loader.matching('thing', key('y'))).toEqual(['2']);
		expect(gathered.loader.record('thing', '2')![at('t')]).toBe('y');
		expect(needs.every((n) => gathered.has(n))).toBe(true);
		gathered.forget();
		expect(needs.some((n) => gathered.has(n))).toBe(false);
	});

	it('finds and counts what records have become, made and gone ones too, whenever it was fetched', () => {
		const some = fc.record({
			t: fc.constantFrom(null, 'Fen', 'fén', 'Moor'),
			u: fc.constantFrom(null, 'x'),
			boss: fc.constantFrom(null, '1', '2')
		});
		const searches: MatchKey[][] = ['fen', 'moor'].flatMap((key) => [
			[{ field: 't', how: 'loose' as const, key }],
			[
				{ field: 't', how: 'loose' as const, key },
				{ field: 'u', how: 'exact' as const, key: 'x' }
			]
		]);
		const ids = ['1', '2', '3'];
		const bosses = ['1', '2'];
		fc.assert(
			fc.property(
				fc.tuple(some, some, some),
				fc.array(fc.tuple(fc.constantFrom(...ids), fc.option(some), fc.boolean()), {
					maxLength: 12
				}),
				(begin, steps) => {
					const now = new Map<string, readonly Value[] | null>(
						ids.map((id, i) => [id, thing(id, begin[i]).values])
					);
					const before = new Map(now);
					const holds = (all: typeof now, of: (v: readonly Value[]) => boolean) =>
						ids.filter((id) => all.get(id) && of(all.get(id)!));
					const found = (all: typeof now, keys: readonly MatchKey[]) =>
						holds(all, (v) => keys.every((k) => matchKey(k.how, v[at(k.field)]) === k.key));
					const gathered = new Gathered(() => schema);
					// what is fetched is what stood at the beginning, whenever that is
					const fetch = () =>
						gathered.take({
							records: [],
							related: bosses.map((of) => ({
								type: 'thing',
								field: 'boss',
								of,
								ids: holds(before, (v) => v[at('boss')] === of)
							})),
							found: searches.map((match) => ({ type: 'thing', match, ids: found(before, match) }))
						});
					for (const [id, values, again] of steps) {
						if (again) fetch();
						const next = values && thing(id, values).values;
						gathered.become('thing', id, now.get(id)!, next);
						now.set(id, next);
					}
					fetch();
					for (const keys of searches)
						expect(gathered.loader.matching('thing', keys)).toEqual(found(now, keys));
					for (const of of bosses)
						expect(gathered.loader.related('thing', 'boss', of)).toEqual(
							holds(now, (v) => v[at('boss')] === of)
						);
				}
			)
		);
	});

	it('tells needs apart', () => {
		const match = [{ field: 't', how: 'loose' as const, key: 'x' }];
		const needs: Need[] = [
			{ type: 'thing', id: '1' },
			{ type: 'thing', field: 'boss', of: '1' },
			{ type: 'thing', match }
		];
		expect(new Set(needs.map(needKey)).size).toBe(3);
	});
});
