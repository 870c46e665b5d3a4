/** The core against PostgreSQL, which knows three-valued logic and exact numbers by the SQL standard. */
import fc from 'fast-check';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { runCli } from '../../cli/run';
import { Schema, add, bandOf, compareNum, indexTable, mul, num, parseNum, sub } from '../../core';

let client: pg.Client;
beforeAll(async () => {
	const server = process.env.RIGID_TEST_SERVER;
	if (!server) throw new Error('RIGID_TEST_SERVER is not set: run “npm test”.');
	client = new pg.Client({ connectionString: server });
	await client.connect();
});
afterAll(() => client.end());

const runs = Number(process.env.RIGID_RUNS ?? 150);

/** The same expression in FEEL and in SQL. */
interface Both {
	feel: string;
	sql: string;
}
const numbers: fc.Arbitrary<Both> = fc.oneof(
	fc.integer({ min: -9, max: 9 }).map((n) => ({ feel: `(${n})`, sql: `(${n})::numeric` })),
	fc.constant({ feel: 'null', sql: 'null::numeric' })
);
const { logic } = fc.letrec<{ logic: Both }>((tie) => ({
	logic: fc.oneof(
		{ maxDepth: 5 },
		fc.constantFrom(
			{ feel: 'true', sql: 'true' },
			{ feel: 'false', sql: 'false' },
			{ feel: '(null = 1 and null > 0 or null > 0)', sql: 'null::boolean' }
		),
		fc.tuple(numbers, fc.constantFrom('<', '<=', '>', '>='), numbers).map(([a, op, b]) => ({
			feel: `(${a.feel} ${op} ${b.feel})`,
			sql: `(${a.sql} ${op} ${b.sql})`
		})),
		fc.tuple(numbers, numbers, numbers).map(([a, b, c]) => ({
			feel: `(${a.feel} between ${b.feel} and ${c.feel})`,
			sql: `(${a.sql} between ${b.sql} and ${c.sql})`
		})),
		fc.tuple(tie('logic'), fc.constantFrom('and', 'or'), tie('logic')).map(([a, op, b]) => ({
			feel: `(${a.feel} ${op} ${b.feel})`,
			sql: `(${a.sql} ${op} ${b.sql})`
		})),
		tie('logic').map((a) => ({ feel: `not(${a.feel})`, sql: `(not ${a.sql})` })),
		fc.tuple(tie('logic'), tie('logic'), tie('logic')).map(([c, a, b]) => ({
			feel: `(if ${c.feel} then ${a.feel} else ${b.feel})`,
			sql: `(case when ${c.sql} then ${a.sql} else ${b.sql} end)`
		}))
	)
}));

describe('against PostgreSQL', () => {
	it('logic of three values is the same', async () => {
		const sample = fc.sample(logic, { numRuns: runs, seed: 20261123 });
		const { rows } = await client.query({
			text: `select ${sample.map((s) => s.sql).join(', ')}`,
			rowMode: 'array'
		});
		const ours = sample.map((s) => JSON.parse(runCli(['eval', s.feel], () => '').text));
		ours.forEach((v, i) => expect(v, sample[i].feel).toBe(rows[0][i]));
		expect(new Set(ours).size).toBe(3);
	});

	it('sums, differences and products of decimals are the same to the digit', async () => {
		const decimal = fc
			.tuple(fc.integer({ min: -1e9, max: 1e9 }), fc.integer({ min: 0, max: 6 }))
			.map(([n, s]) => `${n}e-${s}`);
		const pairs = fc.sample(fc.tuple(decimal, decimal), { numRuns: runs, seed: 7 });
		const { rows } = await client.query<{ s: string; d: string; p: string; c: number }>(
			`select trim_scale(a + b)::text as s, trim_scale(a - b)::text as d, trim_scale(a * b)::text as p, sign(a - b)::int as c
			 from unnest($1::numeric[], $2::numeric[]) as t(a, b)`,
			[pairs.map((p) => p[0]), pairs.map((p) => p[1])]
		);
		pairs.forEach(([a, b], i) => {
			const [x, y] = [parseNum(a)!, parseNum(b)!];
			expect([
				String(add(x, y)),
				String(sub(x, y)),
				String(mul(x, y)),
				Math.sign(compareNum(x, y))
			]).toEqual([rows[i].s, rows[i].d, rows[i].p, rows[i].c]);
		});
	});

	it('a number falls into the band that width_bucket gives it', async () => {
		const limits = [0, 10, 50, 250];
		const values = fc.sample(
			fc.oneof(
				fc.integer({ min: -20, max: 300 }).map(String),
				fc.constantFrom('9.5', '9.999', '10', '49.99', '50', '250', '249.5')
			),
			{ numRuns: runs, seed: 3 }
		);
		const { rows } = await client.query<{ b: number }>(
			'select width_bucket(v, $2::numeric[]) as b from unnest($1::numeric[]) with ordinality as t(v, n) order by n',
			[values, limits]
		);
		const ours = values.map((v) =>
			bandOf(
				parseNum(v),
				limits.map((n) => ({ at: num(n), above: true }))
			)
		);
		expect(ours).toEqual(rows.map((r) => r.b));
	});

	it('look-ups find what SQL finds over the same rows: exact, longest prefix, range', async () => {
		const rows = fc.sample(
			fc.tuple(
				fc.constantFrom('NL', 'DE', 'FR'),
				fc.stringMatching(/^[0-9]{0,3}$/),
				fc.option(fc.integer({ min: 0, max: 30 }), { freq: 6 }),
				fc.option(fc.integer({ min: 10, max: 60 }), { freq: 6 })
			),
			{ numRuns: 400, seed: 5 }
		);
		await client.query(
			'create temp table looked (n integer, land text, code text, lo numeric, hi numeric)'
		);
		await client.query(
			'insert into looked select * from unnest($1::int[], $2::text[], $3::text[], $4::numeric[], $5::numeric[])',
			[rows.map((_, i) => i), ...[0, 1, 2, 3].map((k) => rows.map((r) => r[k]))]
		);
		const schema = new Schema({ types: [], lists: [], zone: 'UTC' });
		const column = (id: string, type: 'text' | 'number') => ({ id, label: id, type });
		const index = indexTable(
			{
				id: 't',
				label: 'T',
				why: '',
				columns: [
					column('land', 'text'),
					column('code', 'text'),
					column('lo', 'number'),
					column('hi', 'number')
				],
				keys: [
					{ match: 'exact', column: 'land' },
					{ match: 'prefix', column: 'code' },
					{ match: 'range', from: 'lo', to: 'hi' }
				],
				rows: rows.map((r) => r.map((v) => (v === null || v === '' ? null : String(v))))
			},
			schema
		);
		expect(index.faults).toEqual([]);
		const asked = fc.sample(
			fc.tuple(
				fc.constantFrom('NL', 'DE', 'FR', 'PL'),
				fc.stringMatching(/^[0-9]{1,5}$/),
				fc.integer({ min: 0, max: 70 })
			),
			{ numRuns: runs, seed: 6 }
		);
		let found = 0;
		for (const [land, code, x] of asked) {
			const { rows: sql } = await client.query<{ n: number }>(
				`with fit as (select n, length(code) as l from looked
				   where land = $1 and starts_with($2, code) and coalesce(lo <= $3, true) and coalesce(hi >= $3, true))
				 select n from fit where l = (select max(l) from fit) order by n`,
				[land, code, x]
			);
			const ours = index.find([land, code, num(x)]);
			expect(ours).toEqual(sql.map((r) => r.n));
			found += ours.length;
		}
		expect(found).toBeGreaterThan(runs / 2);
	});
});
