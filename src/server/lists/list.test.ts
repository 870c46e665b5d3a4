/** Lists on PostgreSQL: what the database selects and orders is what the core would, for whatever can be asked. */
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Expr, JsonValue, Value } from '../../core';
import {
	LocalDate,
	RELATIONS,
	compileSelection,
	fromJson,
	conditionTree,
	recordsLoader,
	conditionItemTree,
	selects,
	toJson,
	untold
} from '../../core';
import { EVERYTHING, type ListAsked, type SetFact } from '../../door/lists';
import { zones } from '../../runtime/zones';
import { group, own, rows } from '../../../tests/conditions';
import { freshDatabase } from '../../../tests/fresh';
import { THINGS, makeThings } from '../../../tests/things';
import { formula, schema } from '../../../tests/world';
import { narrowed } from '../db/filter';
import { db } from '../db/pool';
import { eachPiece, type StoredRecord } from '../db/records';
import { save } from '../records';
import { countOf, readyList, shownOf, stretchOf, type Looker } from './list';

const W = THINGS;
/** The day on which lists are looked at; values of the generated conditions lie around it. */
const INSTANT = Date.parse('2026-11-25T10:00:00Z');
const by: Looker = { workspace: W, person: '1', instant: INSTANT };

let t: Awaited<ReturnType<typeof freshDatabase>>;
const things: StoredRecord[] = [];
/** What fields of a thing were before the latest change of each, by record. */
const before = new Map<string, Map<string, Value>>();

/** Sends a change of one thing, and notes what its fields were. */
async function change(id: string | null, sent: Record<string, JsonValue>, instant = INSTANT) {
	const sender = {
		workspace: W,
		account: { ...t.author, workspace: W },
		entryPoint: 'full' as const,
		instant
	};
	const saved = await save(sender, [
		{ type: 'thing', id, keep: [], sent: Object.entries(sent) as [string, JsonValue][] }
	]);
	const [made] = saved;
	const had = before.get(made.id) ?? new Map<string, Value>();
	for (const c of made.changes) {
		const read = fromJson(schema.field('thing', c.field)!, c.from, schema);
		if (read.ok) had.set(c.field, read.value);
	}
	before.set(made.id, had);
	return made.id;
}

beforeAll(async () => {
	t = await freshDatabase();
	await makeThings();
	// the values that conditions are generated with, and others on both sides of them
	const pool: Record<string, JsonValue[]> = {
		a: ['0', '-3', '10.5', '250', '10.50', '9', null],
		money: ['0', '-3', '10.5', '250', null],
		t: ['x', 'Fen & Co', '"quoted"', 'null', 'xFen & Co', 'X', null],
		u: ['x', 'a@quillmere.example', 'NL123', null],
		day: ['2026-11-25', '2024-02-29', '2026-11-24', '2026-10-01', '2026-12-24', '2025-11-25', null],
		at: [
			'2026-11-25T09:00:00Z',
			'2026-11-24T23:30:00Z',
			'2024-02-29T00:00:00Z',
			'2026-11-24T22:59:59Z',
			null
		],
		flag: [true, false, null],
		size: ['micro', 'small', 'medium', 'large', null],
		stage: ['enquiry', 'survey', 'offer', 'won', 'lost', null],
		sizes: [['micro'], ['micro', 'large'], ['small', 'medium', 'large'], null]
	};
	let seed = 7;
	const random = (n: number) => (seed = (seed * 48271) % 2147483647) % n;
	const ids: string[] = [];
	for (let i = 0; i < 60; i++) {
		const sent: Record<string, JsonValue> = {};
		for (const [field, values] of Object.entries(pool)) sent[field] = values[random(values.length)];
		if (ids.length && random(3)) sent.boss = ids[random(ids.length)];
		ids.push(await change(null, sent, INSTANT - 40 * 86_400_000));
	}
	for (let i = 0; i < 120; i++) {
		const fields = Object.keys(pool);
		const sent: Record<string, JsonValue> = {};
		for (let k = 0; k < 2; k++) {
			const f = fields[random(fields.length)];
			sent[f] = pool[f][random(pool[f].length)];
		}
		await change(ids[random(ids.length)], sent, INSTANT - (120 - i) * 3_600_000);
	}
	await eachPiece(db(), schema, W, 'thing', (some) => Promise.resolve(void things.push(...some)));
});
afterAll(() => t.drop());

const asked = (more: Partial<ListAsked>): ListAsked => ({ ...EVERYTHING, ...more });

/** Ids of the things that the core takes, all of them looked at. */
function taken(expr: Expr, unknown: boolean, was = before): string[] {
	const condition = unknown ? untold(expr) : { expr };
	const { selector, problems } = compileSelection(schema, { type: 'thing', condition });
	expect(problems).toEqual([]);
	const loader = recordsLoader(schema, things);
	return things
		.filter((r) => {
			const told = was.get(r.id);
			const asks = new Map([...(told ?? [])].filter(([f]) => selector.events.includes(f)));
			return selects(selector, { ...r, before: asks }, INSTANT, loader, zones, '1') === true;
		})
		.map((r) => r.id);
}

/** All that a list gives, page by page. */
async function all(list: ListAsked, size = 7): Promise<string[]> {
	const ready = await readyList(db(), schema, by, 'thing', list);
	const out: string[] = [];
	for (let from = null as Awaited<ReturnType<typeof stretchOf>>['next']; ;) {
		const { rows, next } = await stretchOf(db(), ready, { from, back: false, size });
		out.push(...rows.map((r) => r.record.id));
		if (!next) return out;
		from = next;
	}
}
const sorted = (ids: readonly string[]) => [...ids].sort((a, b) => Number(a) - Number(b));

describe('a condition in the database', () => {
	it('selects what the core selects, for every condition that the list can say', async () => {
		let exact = 0;
		let runs = 0;
		await fc.assert(
			fc.asyncProperty(group(1), fc.boolean(), async (g, unknown) => {
				const expr = conditionTree(g)!;
				const want = taken(expr, unknown);
				const values: unknown[] = [W];
				const today = LocalDate.parse('2026-11-25')!;
				const c = { schema, type: 'thing', today, person: '1', period: null };
				const { sql, exact: whole } = narrowed(expr, unknown, c, values);
				const r = await db().query<{ id: string }>(
					`select id::text from r_thing r where workspace = $1 and (${sql})`,
					values
				);
				const ids = sorted(r.rows.map((x) => x.id));
				runs++;
				if (whole) {
					exact++;
					expect(ids, sql).toEqual(want);
				} else expect(ids, sql).toEqual(expect.arrayContaining(want));
				expect(sorted(await all(asked({ where: { expr }, untold: unknown })))).toEqual(want);
			}),
			{ numRuns: 400 }
		);
		// the database is asked, not only narrowed
		expect(exact / runs).toBeGreaterThan(0.2);
	});
});

describe('what the database tells alone', () => {
	const exact = (expr: Expr) => {
		const c = {
			schema,
			type: 'thing',
			today: LocalDate.parse('2026-11-25')!,
			person: '1',
			period: null
		};
		return narrowed(expr, false, c, [W]).exact;
	};
	it('are all relations but checks of a form and what asks of changes', () => {
		const told = new Set<string>();
		for (const r of RELATIONS)
			fc.assert(
				fc.property(rows(false, r.id), (row) => {
					if (exact(conditionItemTree(row))) told.add(r.id);
				}),
				{ numRuns: 20 }
			);
		expect(new Set(RELATIONS.map((r) => r.id).filter((r) => !told.has(r)))).toEqual(
			new Set([
				...RELATIONS.filter((r) => r.event).map((r) => r.id),
				'is email',
				'is vat number',
				'is gln',
				'is gtin',
				'is iban',
				'is lei',
				'is e164',
				'is postal code',
				'fits the pattern'
			])
		);
	});
	it('leaves to the core what it cannot hold, and fails at none of it', async () => {
		const t = own('t');
		const day = own('day');
		const a = own('a');
		const past: Expr = { k: 'at', v: '-12000-01-01' };
		for (const expr of [
			{ k: 'bin', op: '=', a: t, b: { k: 'text', v: 'a\0b' } },
			{ k: 'call', fn: 'contains', args: [t, { k: 'text', v: '\ud800' }] },
			{ k: 'call', fn: 'contains', args: [t, { k: 'text', v: '' }] },
			{ k: 'bin', op: '>', a: day, b: past },
			{ k: 'bin', op: '>', a: day, b: { k: 'at', v: '999999999-12-31' } },
			{ k: 'bin', op: '<', a, b: { k: 'num', v: '1e6000' } },
			{ k: 'bin', op: '<', a, b: { k: 'num', v: '9'.repeat(300) } },
			{
				k: 'in',
				x: a,
				tests: { not: true, tests: [{ k: 'cmp', op: '>', e: { k: 'num', v: '5' } }] }
			},
			{ k: 'bin', op: '=', a: own('boss'), b: { k: 'record', type: 'thing', id: '9'.repeat(18) } }
		] as Expr[])
			expect(sorted(await all(asked({ where: { expr } }))), JSON.stringify(expr)).toEqual(
				taken(expr, false)
			);
	});
	it('is the day of an instant by the clock of the workspace', async () => {
		// 2026-11-24T23:30Z is the 25th in Amsterdam, 22:59:59Z is not
		const expr: Expr = {
			k: 'bin',
			op: '=',
			a: { k: 'call', fn: 'date', args: [own('at')] },
			b: { k: 'at', v: '2026-11-25' }
		};
		const ids = await all(asked({ where: { expr } }));
		const at = schema.type('thing').at.get('at')!;
		const held = new Set(
			things.filter((r) => ids.includes(r.id)).map((r) => String(toJson(r.values[at])))
		);
		expect(held).toEqual(new Set(['2026-11-25T09:00:00.000Z', '2026-11-24T23:30:00.000Z']));
	});
});

describe('a condition on changes', () => {
	const was = (field: string): Expr => ({ k: 'field', image: 'was', type: 'thing', field });
	const stage = (option: string): Expr => ({ k: 'option', list: 'stage', option });
	const now: Expr = {
		k: 'and',
		items: [
			{ k: 'bin', op: '=', a: own('stage'), b: stage('lost') },
			{ k: 'bin', op: '=', a: was('stage'), b: stage('won') }
		]
	};
	it('asks what a field was until its latest change, and shows it', async () => {
		const id = await change(null, { t: 'now and before', stage: 'won' });
		await change(id, { stage: 'lost' });
		const again = await change(null, { t: 'and on', stage: 'won' });
		await change(again, { stage: 'offer' });
		await change(again, { stage: 'lost' });
		const list = asked({ where: { expr: now }, find: 'and', columns: ['t', '<stage', '@stage'] });
		const ready = await readyList(db(), schema, by, 'thing', list);
		const { rows } = await stretchOf(db(), ready, { from: null, back: false, size: 10 });
		expect(rows.map((r) => r.record.id)).toEqual([id]);
		const shown = await shownOf(db(), ready, rows);
		expect(shown.records[0].cells).toEqual([
			'now and before',
			'won',
			new Date(INSTANT).toISOString().replace('.000', '')
		]);
		expect(await countOf(db(), ready)).toEqual({ n: 1, more: false });
	});
	it('counts the changes of a period alone: of a field that did not change in it, what was is what is', async () => {
		const changed: Expr = { k: 'call', fn: 'changed', args: [own('stage')] };
		const id = await change(null, { t: 'of old', stage: 'won' }, INSTANT - 20 * 86_400_000);
		await change(id, { stage: 'lost' }, INSTANT - 10 * 86_400_000);
		const list = (expr: Expr, days: number) =>
			all(asked({ where: { expr }, find: 'of old', period: { days } }));
		expect(await list(changed, 30)).toEqual([id]);
		expect(await list(changed, 5)).toEqual([]);
		expect(await list(now, 30)).toEqual([id]);
		expect(await list(now, 5)).toEqual([]);
		expect(await list({ k: 'call', fn: 'not', args: [changed] }, 5)).toEqual([id]);
		const between = { from: '2026-11-15', to: '2026-11-15' };
		const where = { expr: changed };
		expect(await all(asked({ where, find: 'of old', period: between }))).toEqual([id]);
		const none = { from: '2020-01-01', to: '2020-12-31' };
		expect(await all(asked({ where, find: 'of old', period: none }))).toEqual([]);
	});
	it('says from when on history is whole, where it asks for more', async () => {
		const from = '2026-11-10T08:00:00.000Z';
		const move = (at: string | null) =>
			db().query('update workspace set history_from = $2 where id = $1', [W, at]);
		const known = async (list: Partial<ListAsked>) =>
			(await readyList(db(), schema, by, 'thing', asked(list))).knownFrom;
		const where = { expr: now };
		expect(await known({ where })).toBeNull();
		await move(from);
		expect(await known({ where })).toBe(from);
		expect(await known({ columns: ['t', '<stage'] })).toBe(from);
		expect(await known({ where, period: { days: 30 } })).toBe(from);
		expect(await known({ where, period: { days: 10 } })).toBeNull();
		// of what it does not ask nothing has to be known
		expect(await known({ columns: ['t'] })).toBeNull();
		await move(null);
	});
});

describe('the order of a list', () => {
	const title = schema.type('thing').at.get('t')!;
	it('is the same forwards and back, each record once, whatever column and however blank', async () => {
		const columns = [
			'id',
			'#thing.boss',
			'!made',
			'!changed',
			...schema
				.type('thing')
				.type.fields.flatMap((f) => [f.id, `boss.${f.id}`, `boss.boss.${f.id}`])
		];
		const everything = (await all(asked({}))).length;
		for (const column of columns)
			for (const desc of [false, true]) {
				const list = asked({ sort: { column, desc } });
				const ids = await all(list, 11);
				expect(new Set(ids).size, column).toBe(everything);
				expect(ids, column).toEqual(await all(list, 1000));
				// from the end back to the beginning
				const ready = await readyList(db(), schema, by, 'thing', list);
				const back: string[] = [];
				for (let from = null as Awaited<ReturnType<typeof stretchOf>>['before']; ;) {
					const { rows, before: on } = await stretchOf(db(), ready, { from, back: true, size: 11 });
					back.unshift(...rows.map((r) => r.record.id));
					if (!on) break;
					from = on;
				}
				expect(back, `${column} back`).toEqual(ids);
			}
	});
	it('is the same of a list that is narrowed, whose counts are asked for one by one', async () => {
		// holds of every thing, blank ones too
		const where = formula('Text != "no such"');
		for (const column of ['#thing.boss', 'boss', 'boss.a', 'boss.boss.stage'])
			for (const desc of [false, true]) {
				const plain = await all(asked({ sort: { column, desc } }));
				expect(await all(asked({ sort: { column, desc }, where })), column).toEqual(plain);
			}
	});
	it('goes by size, by case as people do, by the order of options, blanks last whichever way', async () => {
		const of = async (field: string, desc: boolean) => {
			const at = schema.type('thing').at.get(field)!;
			const byId = new Map<string, JsonValue>();
			await eachPiece(db(), schema, W, 'thing', (some) => {
				for (const r of some) byId.set(r.id, toJson(r.values[at]));
				return Promise.resolve();
			});
			return (await all(asked({ sort: { column: field, desc } }))).map((id) => byId.get(id)!);
		};
		const blanksLast = (vs: readonly JsonValue[]) => {
			const first = vs.indexOf(null);
			return first < 0 || vs.slice(first).every((v) => v === null);
		};
		const stages = schema.lists.get('stage')!.options.map((o) => o.id);
		for (const desc of [false, true]) {
			const way = desc ? -1 : 1;
			const numbers = await of('a', desc);
			const given = numbers.filter((v) => v !== null).map(Number);
			expect(blanksLast(numbers)).toBe(true);
			expect(given).toEqual([...given].sort((x, y) => way * (x - y)));
			const options = await of('stage', desc);
			const places = options.filter((v) => v !== null).map((v) => stages.indexOf(String(v)));
			expect(blanksLast(options)).toBe(true);
			expect(places).toEqual([...places].sort((x, y) => way * (x - y)));
		}
		const texts = (await of('t', false)).filter((v) => v === 'x' || v === 'X');
		expect(texts.length).toBeGreaterThan(4);
		expect(new Set(texts.slice(0, texts.length / 2)).size).toBe(2);
	});
	it('finds what is typed as it stands, signs of patterns too', async () => {
		await change(null, { t: '100% Herbs' });
		const names = async (find: string) => {
			const ready = await readyList(db(), schema, by, 'thing', asked({ find }));
			const { rows } = await stretchOf(db(), ready, { from: null, back: false, size: 100 });
			return rows.map((r) => r.record.values[title]);
		};
		expect(await names('100%')).toEqual(['100% Herbs']);
		expect(await names('%')).toEqual(['100% Herbs']);
		expect(await names('_')).toEqual([]);
		expect(await names('HERBS')).toEqual(['100% Herbs']);
	});
});

describe('when a record was made and last changed', () => {
	/** Both of each thing, as the table has them, in milliseconds. */
	const stamps = async () =>
		(
			await db().query<{ id: string; made: number; changed: number }>(
				`select id::text, extract(epoch from created_at)::float8 * 1000 as made,
				   extract(epoch from updated_at)::float8 * 1000 as changed from r_thing`
			)
		).rows;
	// the workspace's clock is an hour ahead of UTC on these days
	const begin = (day: string) => Date.parse(`${day}T00:00:00+01:00`);
	it('is asked by days of the workspace, both ends of them', async () => {
		const there = await stamps();
		const within = (of: 'made' | 'changed', from: number, to: number) =>
			sorted(there.filter((s) => s[of] >= from && s[of] < to).map((s) => s.id));
		const cases: [asked: Partial<ListAsked>, of: 'made' | 'changed', from: number, to: number][] = [
			[{ changed: { days: 2 } }, 'changed', begin('2026-11-24'), begin('2026-11-26')],
			[{ made: { days: 2 } }, 'made', begin('2026-11-24'), begin('2026-11-26')],
			[{ made: { days: 60 } }, 'made', begin('2026-09-27'), begin('2026-11-26')],
			[
				{ changed: { from: '2026-11-21', to: '2026-11-22' } },
				'changed',
				begin('2026-11-21'),
				begin('2026-11-23')
			]
		];
		const sizes: number[] = [];
		for (const [list, of, from, to] of cases) {
			const ids = sorted(await all(asked(list)));
			expect(ids).toEqual(within(of, from, to));
			sizes.push(ids.length);
		}
		// all were made in sixty days, and of the others some and not all are so
		expect(sizes[2]).toBe(there.length);
		expect(sizes[1]).toBeLessThan(sizes[0]);
		for (const n of [sizes[0], sizes[3]]) {
			expect(n).toBeGreaterThan(0);
			expect(n).toBeLessThan(there.length);
		}
		const both = asked({ made: { days: 60 }, changed: { days: 2 }, where: formula('Flag') });
		const ready = await readyList(db(), schema, by, 'thing', both);
		expect((await countOf(db(), ready))!.n).toBe((await all(both)).length);
	});
	it('is a column, and an order', async () => {
		const list = asked({
			columns: ['!changed', '!made'],
			sort: { column: '!changed', desc: true }
		});
		const ready = await readyList(db(), schema, by, 'thing', list);
		const { rows } = await stretchOf(db(), ready, { from: null, back: false, size: 1000 });
		const { records } = await shownOf(db(), ready, rows);
		const stampOf = new Map((await stamps()).map((s) => [s.id, s]));
		for (const { id, cells } of records)
			expect(cells.map((c) => Date.parse(String(c)))).toEqual(
				[stampOf.get(id)!.changed, stampOf.get(id)!.made].map((ms) => Math.floor(ms / 1000) * 1000)
			);
		const times = records.map(({ id }) => stampOf.get(id)!.changed);
		expect(times).toEqual([...times].sort((a, b) => b - a));
	});
});

describe('who set a value', () => {
	it('is a rule, a person, an import, the API, or nobody known', async () => {
		const ids = await Promise.all(
			(['full', 'import', 'api'] as const).map(async (entryPoint) => {
				const account = { ...t.author, workspace: W };
				const sender = { workspace: W, account, entryPoint, instant: INSTANT };
				const sent: [string, JsonValue][] = [
					['t', 'who set it'],
					['u', entryPoint]
				];
				return (await save(sender, [{ type: 'thing', id: null, keep: [], sent }]))[0].id;
			})
		);
		const set = async (by: SetFact['by'], field = 'u', rule: string | null = null) =>
			all(asked({ find: 'who set it', setBy: [{ field, by, rule }] }));
		expect(await set('person')).toEqual([ids[0]]);
		expect(await set('import')).toEqual([ids[1]]);
		expect(await set('api')).toEqual([ids[2]]);
		expect(await set('rule')).toEqual([]);
		expect(await set('unknown')).toEqual([]);
		// a mark of a rule, one with what claims added, and one with its words
		const marks = [
			'"r 12 grade:o"',
			'["r 12 grade:o", {"grade:o": ["x"]}]',
			'{"by": "rule", "claim": "grade:o"}'
		];
		for (const mark of marks) {
			await db().query(
				`update r_thing set set_by = set_by || jsonb_build_object('u', $1::jsonb) where id = $2`,
				[mark, ids[0]]
			);
			expect(await set('rule')).toEqual([ids[0]]);
			expect(await set('rule', 'u', 'grade')).toEqual([ids[0]]);
			expect(await set('rule', 'u', 'other')).toEqual([]);
		}
		await db().query(`update r_thing set set_by = set_by - 'u' where id = $1`, [ids[1]]);
		expect(await set('unknown')).toEqual([ids[1]]);
	});
});

describe('a list that does not fit the model', () => {
	it('leaves out columns that are gone, and names what it cannot ask', async () => {
		const ready = await readyList(
			db(),
			schema,
			by,
			'thing',
			asked({
				columns: ['t', 'gone', 'boss.gone', '#thing.t', '<gone'],
				sort: { column: 'gone', desc: true }
			})
		);
		expect(ready.written).toEqual(['t']);
		const nobody = { field: 'gone', by: 'rule', rule: null } as const;
		await expect(readyList(db(), schema, by, 'thing', asked({ setBy: [nobody] }))).rejects.toThrow(
			'“gone”'
		);
		const where = { expr: { k: 'bin', op: '>', a: own('gone'), b: { k: 'num', v: '1' } } as Expr };
		await expect(readyList(db(), schema, by, 'thing', asked({ where }))).rejects.toThrow(
			'no longer there'
		);
		await expect(
			readyList(db(), schema, by, 'thing', asked({ where: { text: 'A >' } }))
		).rejects.toThrow('The condition');
	});
});
