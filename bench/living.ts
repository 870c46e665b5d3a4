/**
 * A living table of many rows: an edit of one of them beside the SQL that writes the same rows, what the next change of a record
 * costs on a server that has not seen it yet, and what reading the rows by their difference saves. Wall time: PostgreSQL and the index
 * do the work.
 *
 *   npm run bench -- living        RIGID_BENCH_LIVING=200000 for as many rows
 */
import { fileURLToPath } from 'node:url';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import type { LivingRow } from '../src/core';
import { rowsAt } from '../src/server/db/living';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { editRows } from '../src/server/living/living';
import { listAccounts } from '../src/server/people/accounts';
import { inForce, save } from '../src/server/records';
import { median } from './measure';

const ROWS = Number(process.env.RIGID_BENCH_LIVING ?? 100_000);
const ROUNDS = 7;
const TABLE = 'district_postcodes';

process.env.RIGID_DB_STATEMENT_LIMIT = '3600000';
await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c, { customers: 500, contacts: 5, leads: 5, deals: 5 }));
const admin = (await listAccounts(db(), DEMO_WORKSPACE)).find((a) => a.role === 'administrator')!;
await db().query(
	`insert into living_row (workspace, tbl, id, since, cells)
	 select $1, $2, 'b' || g, 1, jsonb_build_object('country', 'poland', 'begins', lpad(g::text, 6, '0'), 'district', (1 + g % 12)::text)
	 from generate_series(1, $3::int) g`,
	[DEMO_WORKSPACE, TABLE, ROWS]
);
await db().query('analyze');

const seconds = async (work: () => Promise<unknown>) => {
	const from = performance.now();
	await work();
	return (performance.now() - from) / 1000;
};
const say = (name: string, s: number, more = '') =>
	console.log(`  ${name.padEnd(66)} ${`${(s * 1000).toFixed(1)} ms`.padStart(12)} ${more}`);

console.log(`\nA living table of ${ROWS} rows`);
const whole = await seconds(() => rowsAt(db(), DEMO_WORKSPACE));
const compiled = await seconds(() => inForce(db(), DEMO_WORKSPACE));
const edits: number[] = [];
const plain: number[] = [];
const reads: number[] = [];
const next: number[] = [];
const again: number[] = [];
for (let i = 0; i < ROUNDS; i++) {
	const { rows } = await rowsAt(db(), DEMO_WORKSPACE);
	const row: LivingRow = rows[TABLE][1000 + i];
	const after = { ...row.cells, district: row.cells.district === '1' ? '2' : '1' };
	const asked = {
		edits: [{ id: row.id, before: row.cells, after }],
		why: '',
		brings: false,
		look: null
	};
	edits.push(await seconds(() => editRows(admin, TABLE, asked)));
	plain.push(
		await seconds(() =>
			transaction(async (c) => {
				await c.query(
					`update living_row set until = since where workspace = $1 and tbl = 'plain' and id = $2 and until is null`,
					[DEMO_WORKSPACE, row.id]
				);
				await c.query(
					`insert into living_row (workspace, tbl, id, since, cells) values ($1, 'plain', $2, $3, $4)`,
					[DEMO_WORKSPACE, row.id, i, after]
				);
			})
		)
	);
	reads.push(await seconds(() => rowsAt(db(), DEMO_WORKSPACE)));
	const change = () =>
		save({ workspace: DEMO_WORKSPACE, account: admin, entryPoint: 'full', instant: Date.now() }, [
			{
				type: 'customer',
				id: String(1 + i),
				keep: [],
				sent: [['postal_code', `${String(1001 + i).padStart(6, '0')}`]]
			}
		]);
	next.push(await seconds(change));
	again.push(await seconds(change));
}
say('rows read whole', whole);
say(
	'by their difference, after an edit of one',
	median(reads),
	`${(whole / median(reads)).toFixed(0)} × less`
);
say('what is in force compiled, with the index of the table', compiled);
say('an edit of one row, checked, kept and its look begun', median(edits));
say('the same rows by SQL', median(plain), `${(median(edits) / median(plain)).toFixed(0)} ×`);
say('the first change of a record after it', median(next));
say('the second', median(again));
await closeDb();
