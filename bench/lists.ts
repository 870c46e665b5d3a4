/**
 * Lists of many records: the first page, by what they are ordered by and what they are filtered by, without and with the indexes
 * that are proposed for them; and what these cost where records are written. Wall time: PostgreSQL does the work.
 *
 *   npm run bench -- lists        RIGID_BENCH_LISTED=1000000 for as many deals
 */
import { fileURLToPath } from 'node:url';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import { formula } from '../demo/rules';
import { EVERYTHING, type ListAsked, type ListIndex } from '../src/door/lists';
import { migrate } from '../src/server/db/migrate';
import { alone, madeIndexes } from '../src/server/db/list-index';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { indexesFor } from '../src/server/lists/indexes';
import { readyList, stretchOf } from '../src/server/lists/list';
import { inForce } from '../src/server/records';
import { median } from './measure';

const DEALS = Number(process.env.RIGID_BENCH_LISTED ?? 200_000);
const ROUNDS = 5;
const PAGE = 50;

process.env.RIGID_DB_STATEMENT_LIMIT = '3600000';
await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c, { customers: 2000, contacts: 5, leads: 5, deals: 2000 }));
const columns = await db().query<{ c: string }>(
	`select column_name as c from information_schema.columns where table_name = 'r_deal' and column_name like 'f\_%'`
);
const OTHER: Record<string, string> = {
	f_name: `r.f_name || ' ' || g`,
	f_amount: `round((random() * 900000)::numeric, 2)`,
	f_close_date: `date '2024-01-01' + (random() * 1000)::int`
};
const names = columns.rows.map((r) => r.c);
await db().query(
	`insert into r_deal (workspace, version, created_at, updated_at, settled_by, settled_living, set_by, ${names.join()})
	 select r.workspace, 1, r.created_at, r.updated_at, r.settled_by, 0, r.set_by, ${names.map((n) => OTHER[n] ?? `r.${n}`).join()}
	 from r_deal r cross join generate_series(1, $1::int) g limit $2`,
	[Math.ceil(DEALS / 2000), DEALS]
);
await db().query('analyze');

const { schema } = await inForce(db(), DEMO_WORKSPACE);
const by = { workspace: DEMO_WORKSPACE, person: null, instant: Date.now() };
const where = (text: string) => formula('deal', text);
const LISTS: Record<string, Partial<ListAsked>> = {
	'newest first': {},
	'by amount': { sort: { column: 'amount', desc: true } },
	'by name': { sort: { column: 'name', desc: false } },
	'by stage': { sort: { column: 'stage', desc: false } },
	'of one stage': { where: where('Stage = "Negotiation"') },
	'of one stage, by amount': {
		where: where('Stage = "Negotiation"'),
		sort: { column: 'amount', desc: true }
	},
	'of a small range of amounts': { where: where('Amount >= 500000 and Amount < 500010') },
	'by a part of the name': { find: 'strawb' },
	'by a rare part of the name': { find: '4711' },
	'by what a link leads to': { sort: { column: 'customer.size_class', desc: false } },
	'by the title of what a link leads to': { sort: { column: 'customer', desc: false } },
	'set by a person': { setBy: [{ field: 'amount', by: 'person', rule: null }] }
};

async function took(asked: Partial<ListAsked>): Promise<[first: number, rows: number]> {
	const times: number[] = [];
	let rows = 0;
	for (let i = 0; i < ROUNDS; i++) {
		const from = performance.now();
		const ready = await readyList(db(), schema, by, 'deal', { ...EVERYTHING, ...asked });
		rows = (await stretchOf(db(), ready, { from: null, back: false, size: PAGE })).rows.length;
		times.push(performance.now() - from);
		// what takes seconds is told well enough by one
		if (times[0] > 3000) break;
	}
	return [median(times), rows];
}

const say = (name: string, ...cells: string[]) =>
	console.log(`  ${name.padEnd(34)}${cells.map((c) => c.padStart(14)).join('')}`);
const ms = (n: number) => `${n.toFixed(0)} ms`;

/** Milliseconds that PostgreSQL takes to write some deals as they are. */
async function writing(): Promise<number> {
	const times: number[] = [];
	for (let i = 0; i < ROUNDS; i++) {
		const from = performance.now();
		await db().query('update r_deal set f_amount = f_amount + 1 where id between $1 and $2', [
			10_000 * i + 1,
			10_000 * i + 5_000
		]);
		times.push(performance.now() - from);
	}
	return median(times);
}

console.log(`\nLists of ${DEALS} deals, first page of ${PAGE}`);
const without = new Map<string, number>();
for (const [name, asked] of Object.entries(LISTS)) without.set(name, (await took(asked))[0]);
const plain = await writing();
const wanted = new Map<string, ListIndex>();
for (const asked of Object.values(LISTS))
	for (const i of indexesFor(schema, 'deal', { ...EVERYTHING, ...asked }).of)
		wanted.set(`${i.type} ${i.field} ${i.use}`, i);
const from = performance.now();
await alone(async (maker) => {
	for (const i of wanted.values()) await maker.make(schema, i, () => Promise.resolve());
});
const made = performance.now() - from;
say('', 'without', 'with', 'rows');
for (const [name, asked] of Object.entries(LISTS)) {
	const [first, rows] = await took(asked);
	say(name, ms(without.get(name)!), ms(first), String(rows));
}
const bytes = [...(await madeIndexes(db())).values()].reduce((n, i) => n + i.bytes, 0);
console.log(
	`\n  ${wanted.size} indexes made in ${(made / 1000).toFixed(0)} s, ${(bytes / 1e6).toFixed(0)} MB`
);
console.log(
	`  → 5 000 deals written by SQL, with them against without: ${((await writing()) / plain).toFixed(1)}`
);
await closeDb();
