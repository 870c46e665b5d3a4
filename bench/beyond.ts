/**
 * What would come beyond one PostgreSQL as it is, tried as far as one machine goes: history in partitions by age, and a replica
 * that is read by looks for what is out of line while the primary is written. Wall time: PostgreSQL does the work.
 *
 *   npm run bench -- beyond        RIGID_BENCH_HISTORY=1000000 for as many changes
 */
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { chownSync, existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import { freePort } from '../service/app';
import { standingFields } from '../src/core';
import { readHistory } from '../src/server/db/history';
import { journalOf } from '../src/server/db/journal-lines';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { forgetBeyond } from '../src/server/db/retention';
import { eachOutOfLine } from '../src/server/line/lined';
import { listAccounts } from '../src/server/people/accounts';
import { inForce, save } from '../src/server/records';
import { median } from './measure';

const CHANGES = Number(process.env.RIGID_BENCH_HISTORY ?? 200_000);
const RECORDS = CHANGES / 5;
const MONTHS = 12;

process.env.RIGID_DB_STATEMENT_LIMIT = '3600000';
const say = (name: string, value: string) =>
	console.log(`  ${name.padEnd(70)} ${value.padStart(12)}`);
const ms = async (work: () => Promise<unknown>) => {
	const from = performance.now();
	await work();
	return performance.now() - from;
};
const middle = async (times: number, work: (i: number) => Promise<unknown>) => {
	const all: number[] = [];
	for (let i = 0; i < times; i++) all.push(await ms(() => work(i)));
	return `${median(all).toFixed(1)} ms`;
};

await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c, { customers: 2_000, contacts: 500, leads: 2_000, deals: 8_000 }));
const w = DEMO_WORKSPACE;

// ---- history in partitions -------------------------------------------------------------------------

const first = Number(
	(await db().query<{ n: string }>('select max(id) as n from change')).rows[0].n
);
const fill = async () => {
	await db().query(
		`insert into change (id, workspace, at, account, entry_point, release) overriding system value
		 select $3 + g, $1, now() - make_interval(secs => ($2::int - g) * 31536000.0 / $2::int), 1, 'full', 3
		 from generate_series(1, $2::int) g`,
		[w, CHANGES, first]
	);
	await db().query(
		`insert into record_change (change, type, record, marks, lines)
		 select $1 + g, 'deal', 1000000 + g % $2::int, array['rule_2', '~rule_6'] || case when g % 1000 = 0 then array['rule_5'] else '{}' end,
		   (select jsonb_agg(jsonb_build_array('set', 'field_' || f, g + f, g + f + 1, 'rule_2:o', 'Rule number 2',
		      'Headcount is ' || g || ', which is in the band from 50 to 250')) from generate_series(0, 5) f)
		 from generate_series(1, $3::int) g`,
		[first, RECORDS, CHANGES]
	);
	await db().query(
		`select setval(pg_get_serial_sequence('change', 'id'), (select max(id) from change))`
	);
	await db().query('vacuum analyze record_change');
	await db().query('vacuum analyze change');
};
const asked = async (how: string) => {
	say(
		`${how}: the history of a record`,
		await middle(41, (i) =>
			readHistory(db(), w, 'deal', String(1_000_000 + ((i * 7919) % RECORDS)))
		)
	);
	say(
		`${how}: the journal of a rule that writes at one in a thousand`,
		await middle(7, () => journalOf(db(), w, { rule: 'rule_5' }))
	);
	let n = first + CHANGES;
	say(
		`${how}: 80 rows more, in a transaction`,
		await middle(41, () =>
			transaction((c) =>
				c.query(
					`insert into record_change (change, type, record, marks, lines)
					 select $1::bigint + g, 'deal', 2000000 + g, '{rule_2}', '[["set", "field_1", 1, 2]]' from generate_series(1, 80) g`,
					[(n += 80)]
				)
			)
		)
	);
};
/** What is older than eleven months is forgotten, as the settings would have it. */
const forget = async () => {
	const days = Math.round((365 * (MONTHS - 1)) / MONTHS);
	for (let rows = -1; rows;) rows = (await forgetBeyond(db(), w, { history: days })).history ?? 0;
};

console.log(`\n${CHANGES} changes over a year`);
await fill();
await asked('one table');
say('one table: the oldest month forgotten', `${((await ms(forget)) / 1000).toFixed(2)} s`);
say(
	'one table: and cleared away',
	`${((await ms(() => db().query('vacuum record_change'))) / 1000).toFixed(2)} s`
);

await db().query('delete from change where id > $1', [first]);
await db().query(`
	alter table record_change rename to one_table;
	create table record_change (like one_table including defaults) partition by range (change);
	alter table record_change add primary key (type, record, change);
	create index on record_change (change);
	create index on record_change using gin (marks);
	create or replace view history_line as
	select h.change, h.type, h.record, q->>1 as field, q->2 as was, q->3 as now, q->>4 as claim,
	       q->>5 as rule_name, q->>6 as because, q->>0 as outcome, q->>7 as had
	from record_change h, jsonb_array_elements(h.lines) q
	union all
	select * from earlier_line`);
const month = Math.ceil(CHANGES / MONTHS);
for (let m = 0; m < MONTHS; m++)
	await db().query(
		`create table month_${m} partition of record_change
		 for values from (${m ? first + m * month + 1 : 'minvalue'}) to (${m < MONTHS - 1 ? first + (m + 1) * month + 1 : 'maxvalue'})`
	);
await db().query('insert into record_change select * from one_table where change <= $1', [first]);
await fill();
await asked(`${MONTHS} partitions`);
say(
	`${MONTHS} partitions: the oldest month forgotten`,
	`${((await ms(() => db().query('drop table month_0'))) / 1000).toFixed(2)} s`
);

// ---- a replica that is read ------------------------------------------------------------------------

const base = '/usr/lib/postgresql';
const [newest] = readdirSync(base)
	.filter((v) => existsSync(`${base}/${v}/bin/pg_basebackup`))
	.sort((a, b) => Number(b) - Number(a));
const tools = `${base}/${newest}/bin`;
const id = (how: string) => Number(execFileSync('id', [how, 'postgres']));
const user = process.getuid?.() === 0 ? { uid: id('-u'), gid: id('-g') } : {};
const folder = mkdtempSync(path.join(tmpdir(), 'rigid-replica-'));
if (user.uid) chownSync(folder, user.uid, user.gid);
const data = path.join(folder, 'data');
const primary = new URL(process.env.DATABASE_URL!);
const copied = await ms(async () => {
	const r = spawnSync(
		`${tools}/pg_basebackup`,
		['-D', data, '-R', '-X', 'stream', '-c', 'fast', '-d', primary.href],
		{
			...user,
			cwd: '/',
			encoding: 'utf8'
		}
	);
	if (r.status !== 0) throw new Error(r.stderr);
});
const port = await freePort();
const options = [
	'-D',
	data,
	'-p',
	String(port),
	'-c',
	'listen_addresses=127.0.0.1',
	'-c',
	'unix_socket_directories='
];
const child = spawn(`${tools}/postgres`, options, { ...user, cwd: '/', stdio: 'ignore' });
const url = new URL(primary);
url.port = String(port);
process.once('exit', () => {
	child.kill('SIGQUIT');
	rmSync(folder, { recursive: true, force: true });
});
const replica = new pg.Pool({ connectionString: url.href, max: 4 });
replica.on('error', () => undefined);
for (let i = 0; ; i++) {
	const up = await replica.query('select pg_is_in_recovery() as is').then(
		(r: { rows: { is: boolean }[] }) => r.rows[0].is,
		() => false
	);
	if (up) break;
	if (i > 300 || child.exitCode !== null) throw new Error('The replica did not start.');
	await new Promise((r) => setTimeout(r, 100));
}
console.log('\nA replica of the whole server beside it, on the same two cores');
say('copied in', `${(copied / 1000).toFixed(1)} s`);

const force = await inForce(db(), w);
const held = new Set(standingFields(force.plan, 'deal'));
const look = (from: pg.Pool) =>
	eachOutOfLine(from, w, force, { type: 'deal', low: '0', high: '900000' }, held, () =>
		Promise.resolve()
	);
const [account] = await listAccounts(db(), w);
const { rows } = await db().query<{ id: string }>(
	'select id::text from r_customer order by id limit 500'
);
/** Saves one customer after the other until work is done. */
async function saving(work: (done: () => boolean) => Promise<unknown>) {
	const took: number[] = [];
	let over = false;
	const saves = (async () => {
		for (let i = 0; !over || took.length < 100; i++)
			took.push(
				await ms(() =>
					save({ workspace: w, account, entryPoint: 'full', instant: Date.now() }, [
						{
							type: 'customer',
							id: rows[i % rows.length].id,
							keep: [],
							sent: [['headcount', String(1 + (i % 400))]]
						}
					])
				)
			);
	})();
	await work(() => took.length >= 100);
	over = true;
	await saves;
	return took.sort((a, b) => a - b);
}
const p = (all: number[], of: number) => `${all[Math.floor(all.length * of)].toFixed(1)} ms`;
const beside = async (name: string, from: pg.Pool | null) => {
	let looks = 0;
	const took: number[] = [];
	const saved = await saving(async (done) => {
		while (!done() || (from && looks < 3)) {
			if (from) took.push(await ms(() => look(from)));
			else await new Promise((r) => setTimeout(r, 20));
			looks++;
		}
	});
	say(`${name}: a save, p50 and p99`, `${p(saved, 0.5)}, ${p(saved, 0.99)}`);
	if (from) say(`${name}: the look at 8 000 deals`, `${median(took).toFixed(0)} ms`);
};
await look(db());
await look(replica);
await beside('nothing beside it', null);
await beside('a look that reads the primary', db());
await beside('a look that reads the replica', replica);
const { rows: at } = await db().query<{ lsn: string }>('select pg_current_wal_lsn()::text as lsn');
say(
	'the last save is seen at the replica after',
	`${(
		await ms(async () => {
			for (;;) {
				const r = await replica.query<{ is: boolean }>(
					'select pg_last_wal_replay_lsn() >= $1::pg_lsn as is',
					[at[0].lsn]
				);
				if (r.rows[0].is) return;
			}
		})
	).toFixed(1)} ms`
);
const refused = await transaction((c) => c.query('select 1')).then(() =>
	replica.query('select 1 from r_deal limit 1 for no key update').then(
		() => 'taken',
		(e: Error) => e.message
	)
);
say('a lock at the replica', refused);
await replica.end();
child.kill('SIGINT');
await new Promise((r) => child.once('exit', r));
await closeDb();
