/** Figures that PostgreSQL tells of the records behind a link are what the core makes of looking at each. */
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Expr, JsonValue, Need, RollUp } from '../../core';
import { FIRST, compilePlan, conditionItemTree, recordsLoader, settle, toJson } from '../../core';
import { zones } from '../../runtime/zones';
import { rows } from '../../../tests/conditions';
import { freshDatabase } from '../../../tests/fresh';
import { THINGS, makeThings } from '../../../tests/things';
import { rule, schema } from '../../../tests/world';
import { save } from '../records';
import { AtHand } from '../records/near';
import { figuresOf } from './figures';
import { db } from './pool';
import { eachPiece, type StoredRecord } from './records';

const W = THINGS;
const INSTANT = Date.parse('2026-11-25T10:00:00Z');

let t: Awaited<ReturnType<typeof freshDatabase>>;
const things: StoredRecord[] = [];

const send = (sent: Record<string, JsonValue>) => {
	const account = { ...t.author, workspace: W };
	return save({ workspace: W, account, entryPoint: 'full', instant: INSTANT }, [
		{ type: 'thing', id: null, keep: [], sent: Object.entries(sent) }
	]);
};

beforeAll(async () => {
	t = await freshDatabase();
	await makeThings();
	// values that conditions are generated with, and others on both sides of them
	const pool: Record<string, JsonValue[]> = {
		a: ['0', '-3', '10.5', '250', '10.50', '9', null],
		money: ['0', '-3', '10.5', '250', '0.01', null],
		t: ['x', 'Fen & Co', '"quoted"', 'null', 'X', null],
		u: ['x', 'NL123', null],
		day: ['2026-11-25', '2024-02-29', '2026-11-24', '2026-12-24', null],
		at: ['2026-11-25T09:00:00Z', '2026-11-24T23:30:00Z', '2024-02-29T00:00:00Z', null],
		flag: [true, false, null],
		size: ['micro', 'small', 'medium', 'large', null],
		stage: ['enquiry', 'survey', 'offer', 'won', 'lost', null],
		sizes: [['micro'], ['micro', 'large'], null]
	};
	let seed = 11;
	const random = (n: number) => (seed = (seed * 48271) % 2147483647) % n;
	const ids: string[] = [];
	for (let i = 0; i < 90; i++) {
		const sent: Record<string, JsonValue> = {};
		for (const [field, values] of Object.entries(pool)) sent[field] = values[random(values.length)];
		if (ids.length && random(8)) sent.boss = ids[random(Math.min(ids.length, 5))];
		ids.push((await send(sent))[0].id);
	}
	await eachPiece(db(), schema, W, 'thing', (some) => Promise.resolve(void things.push(...some)));
});
afterAll(() => t.drop());

const team: Expr = { k: 'related', of: null, type: 'thing', field: 'boss' };
const shape = fc.oneof(
	fc.constant({ fn: 'count', field: null }),
	fc.record({
		fn: fc.constantFrom('sum', 'mean', 'min', 'max'),
		field: fc.constantFrom('a', 'money')
	}),
	fc.record({ fn: fc.constantFrom('min', 'max'), field: fc.constant('day') })
);
const condition = fc
	.tuple(fc.constantFrom('and' as const, 'or' as const), fc.array(rows(true), { maxLength: 3 }))
	.map(([k, all]): Expr | null => {
		const items = all.map((r) => conditionItemTree(r));
		return items.length > 1 ? { k, items } : (items[0] ?? null);
	});

/** What a roll-up gives for each of some things, each record behind it looked at or not. */
async function both(expr: Expr, field: string) {
	const plan = compilePlan(schema, {
		rules: [rule(field, { kind: 'formula', formulas: [{ expr }] })],
		order: {}
	});
	expect(plan.problems).toEqual([]);
	const ask = (r: StoredRecord) => ({
		records: [
			{
				type: 'thing',
				id: r.id,
				created: false,
				was: r.values,
				sent: new Map(),
				keep: new Set<string>(),
				inLine: true
			}
		],
		entryPoint: 'api' as const,
		instant: INSTANT,
		person: null,
		onRequest: true
	});
	const i = schema.type('thing').at.get(field)!;
	const looked = recordsLoader(schema, things);
	const near = new AtHand(db(), W, schema);
	const asked: Need[] = [];
	const plain: JsonValue[] = [];
	const quick: JsonValue[] = [];
	for (const r of things.slice(0, 8)) {
		const options = { zones, alone: true };
		plain.push(toJson(settle(plan, ask(r), looked, options).records[0].values[i]));
		await near.fill((loader) => {
			const s = settle(plan, ask(r), loader, options);
			asked.push(...s.needs);
			if (!s.needs.length) quick.push(toJson(s.records[0].values[i]));
			return s.needs;
		});
	}
	return { plain, quick, asked };
}

describe('figures in PostgreSQL', () => {
	it('are those of the core, for every condition that the list can say of records behind a link', async () => {
		let told = 0;
		let runs = 0;
		const results = new Set<JsonValue>();
		await fc.assert(
			fc.asyncProperty(shape, condition, async ({ fn, field }, by) => {
				const list: Expr = by ? { k: 'filter', of: team, by } : team;
				const of: Expr = field ? { k: 'through', of: list, type: 'thing', field } : list;
				const call: Expr = { k: 'call', fn, args: [of] };
				// a rule reads no field that it writes, not even of others
				const text = ['u', 't'].find((f) => !JSON.stringify(by).includes(`"${f}"`));
				fc.pre(field !== 'day' || text !== undefined);
				const { plain, quick, asked } = await (field === 'day'
					? both({ k: 'call', fn: 'string', args: [call] }, text!)
					: both(call, 'e'));
				expect(quick).toEqual(plain);
				plain.forEach((v) => results.add(v));
				runs++;
				if (!asked.some((n) => 'field' in n)) told++;
			}),
			{ numRuns: 250 }
		);
		// they are told by the database, and they differ
		expect(told / runs).toBeGreaterThan(0.4);
		expect(results.size).toBeGreaterThan(20);
	});

	it('of many roll-ups of many records come at once', async () => {
		const rollUp = (fn: RollUp['fn'], field: string | null): RollUp => ({
			key: `${fn} ${field}`,
			fn,
			type: 'thing',
			link: 'boss',
			field,
			by: null,
			holds: null
		});
		const all = [rollUp('count', null), rollUp('sum', 'a'), rollUp('max', 'day')];
		const of = [...things.slice(0, 5).map((r) => r.id), '99999999', 'nobody'];
		let queries = 0;
		const counting = {
			query: (...args: unknown[]) => {
				queries++;
				return (db().query as (...a: unknown[]) => unknown)(...args);
			}
		} as unknown as ReturnType<typeof db>;
		counting.query = counting.query.bind(db());
		const told = await figuresOf(
			counting,
			W,
			schema,
			of.flatMap((id) => all.map((r) => ({ rollUp: r, of: id })))
		);
		expect(queries).toBe(1);
		expect(told).toHaveLength(of.length * all.length);
		expect(told.filter((x) => x.id === 'nobody').map((x) => x.figures!.all)).toEqual([0, 0, 0]);
		const [first] = told.filter((x) => x.id === of[0]);
		const behind = things.filter((r) => r.values[schema.type('thing').at.get('boss')!] === of[0]);
		expect(first.figures!.n).toBe(behind.length);
		// and who they are, as far as anybody is told
		expect(behind.length).toBeGreaterThan(1);
		const ids = behind.map((r) => r.id).sort((a, b) => Number(a) - Number(b));
		expect(first.figures!.first).toEqual(ids.slice(0, FIRST));
	});

	it('are not told where adding up in another order would be rounded otherwise', async () => {
		const [{ id: boss }] = await send({ t: 'of large ones' });
		for (const a of ['1234567890123456789012345678', '0.01']) await send({ boss, a });
		const key = { key: 'k', type: 'thing', link: 'boss', by: null, holds: null };
		const [sum, max] = await figuresOf(db(), W, schema, [
			{ rollUp: { ...key, fn: 'sum', field: 'a' }, of: boss },
			{ rollUp: { ...key, key: 'm', fn: 'max', field: 'a' }, of: boss }
		]);
		expect(sum.figures).toBe(null);
		expect(toJson(max.figures!.ends[0])).toBe('1234567890123456789012345678');
	});
});
