/**
 * Changes that run on along links, against the same written as plain SQL; an import through the
 * rules, against a plain copy. Ratios of one run, on the PostgreSQL that DATABASE_URL names.
 *
 *   npm run bench -- database
 */
import { chmod, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import { listAccounts } from '../src/server/people/accounts';
import { carryOn } from '../src/server/jobs/turn';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, snapshot, transaction } from '../src/server/db/pool';
import { inForce, save } from '../src/server/records';
import { compilePlan, standingFields, type RuleSet } from '../src/core';
import { readDraft } from '../src/server/db/rules';
import { replay } from '../src/server/look/replay';
import { eachOutOfLine } from '../src/server/line/lined';
import { rehearseRange, rehearsedTypes } from '../src/server/look/rehearse';
import { comparedWith } from '../tests/rehearse';
import { importCsv } from '../tests/csv';

const DEALS = Number(process.env.RIGID_BENCH_DEALS ?? 50_000);
const ROWS = Number(process.env.RIGID_BENCH_ROWS ?? 100_000);
const seconds = async (name: string, work: () => Promise<unknown>): Promise<number> => {
	const from = process.hrtime.bigint();
	await work();
	const s = Number(process.hrtime.bigint() - from) / 1e9;
	console.log(`  ${name.padEnd(66)} ${s.toFixed(3).padStart(9)} s`);
	return s;
};
const ratio = (name: string, a: number, b: number) =>
	console.log(`  → ${name}: ${(a / b).toFixed(1)}\n`);

await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c, { customers: 20, contacts: 5, leads: 5, deals: 5 }));
const [account] = await listAccounts(db(), DEMO_WORKSPACE);
const sender = (entryPoint: 'api' | 'import') => ({
	workspace: DEMO_WORKSPACE,
	account,
	entryPoint,
	instant: Date.UTC(2026, 10, 24, 9)
});

// ---- a change that reaches many -------------------------------------------------------------------

/** A medium customer with so many deals of which each is in line. */
async function customerWith(deals: number): Promise<string> {
	const [c] = await save(sender('api'), [
		{
			type: 'customer',
			id: null,
			sent: [
				['trading_name', `Wide ${deals}`],
				['headcount', '60']
			],
			keep: []
		}
	]);
	const [d] = await save(sender('api'), [
		{
			type: 'deal',
			id: null,
			sent: [
				['customer', c.id],
				['kind', 'new_build'],
				['stage', 'enquiry'],
				['amount', '1000']
			],
			keep: []
		}
	]);
	const { rows } = await db().query<{ c: string }>(
		`select string_agg(quote_ident(column_name), ', ') as c from information_schema.columns
		 where table_name = 'r_deal' and column_name <> 'id' and is_generated = 'NEVER'`
	);
	await db().query(
		`insert into r_deal (id, ${rows[0].c}) select nextval(pg_get_serial_sequence('r_deal', 'id')), ${rows[0].c}
		 from r_deal, generate_series(2, $2::int) where id = $1`,
		[d.id, deals]
	);
	// what rolls up has to know of them too
	await db().query('update r_customer set f_open_deals = $2 where id = $1', [c.id, deals]);
	await db().query('analyze r_deal');
	return c.id;
}

console.log(
	'\nHeadcount 60 → 9: the customer becomes micro, and each of its deals has another limit'
);
for (const n of [10, 1_000, 100_000]) {
	const a = await customerWith(n);
	const ours = await seconds(`${n} deals, through the rules, with history`, async () => {
		await save(sender('api'), [{ type: 'customer', id: a, sent: [['headcount', '9']], keep: [] }]);
		await carryOn();
	});
	const b = await customerWith(n);
	const plain = await seconds(`${n} deals, the same in plain SQL, with history`, () =>
		transaction(async (client) => {
			await client.query(`select 1 from r_customer where id = $1 for update`, [b]);
			await client.query(
				`update r_customer set f_headcount = 9, f_size_class = 'micro', version = version + 1 where id = $1`,
				[b]
			);
			const c = await client.query(
				`insert into change (workspace, at, account, entry_point, release) values ($1, now(), $2, 'api', 3) returning id`,
				[DEMO_WORKSPACE, account.id]
			);
			await client.query(
				`with before as (select id, f_discount_limit_percent as was from r_deal where f_customer = $1 for update),
				 after as (
					update r_deal d set f_discount_limit_percent = case d.f_kind when 'new_build' then 5 when 'retrofit' then 5 else 0 end,
						version = version + 1, set_by = set_by || jsonb_build_object('discount_limit_percent', 'r ' || $2::bigint || ' limit:o')
					from before b where d.id = b.id returning d.id, b.was, d.f_discount_limit_percent as now
				 )
				 insert into record_change (change, type, record, marks, lines)
				 select $2, 'deal', id, '{limit}', jsonb_build_array(jsonb_build_array('set', 'discount_limit_percent', was, now, 'limit:o',
				        'Discount limit', 'Size class is Micro', 'r 1 limit:o')) from after`,
				[b, c.rows[0].id]
			);
		})
	);
	const check = await db().query<{ a: number; b: number; n: number }>(
		`select count(*) filter (where f_customer = $1 and f_discount_limit_percent = 5)::int as a,
		        count(*) filter (where f_customer = $2 and f_discount_limit_percent = 5)::int as b,
		        count(*) filter (where f_customer = $1)::int as n from r_deal`,
		[a, b]
	);
	const { a: done, b: plainly, n: all } = check.rows[0];
	if (done !== n || plainly !== n || all !== n)
		throw new Error(`Not the same: ${done} and ${plainly} of ${n}.`);
	ratio('through the rules / plain SQL', ours, plain);
}

// ---- roll-ups -------------------------------------------------------------------------------------

console.log('A save of one deal of a customer whose deals are counted and added up');
const saves: number[] = [];
for (const n of [20, 200, 2_000]) {
	const customer = await customerWith(n);
	const { rows } = await db().query<{ id: string }>(
		'select id from r_deal where f_customer = $1 order by id limit 1',
		[customer]
	);
	const took = [];
	for (let i = 0; i < 15; i++) {
		const from = process.hrtime.bigint();
		const sent: [string, unknown][] = [['amount', String(2_000 + i)]];
		await save(sender('api'), [{ type: 'deal', id: String(rows[0].id), sent, keep: [] }]);
		took.push(Number(process.hrtime.bigint() - from) / 1e9);
	}
	saves.push(took.sort((a, b) => a - b)[7]);
	console.log(`  ${`${n} deals`.padEnd(66)} ${saves.at(-1)!.toFixed(3).padStart(9)} s`);
}
ratio('2 000 deals / 20 deals', saves[2], saves[0]);

await db().query('vacuum analyze');

// ---- a rehearsal ------------------------------------------------------------------------------------

console.log(`A rehearsal, one rule edited, on ${DEALS} deals and what they belong to`);
await db().query(
	`insert into r_deal (workspace, f_name, f_customer, f_kind, f_stage, f_amount)
	 select $1, 'Deal ' || g, (select min(id) from r_customer) + g % 20,
	        (array['new_build', 'retrofit', 'service', 'spare_parts'])[1 + g % 4],
	        (array['enquiry', 'quotation', 'won', 'lost'])[1 + g % 4], 1000 + g
	 from generate_series(1, $2::int) g`,
	[DEMO_WORKSPACE, DEALS]
);
await db().query('analyze r_deal');
const force = await inForce(db(), DEMO_WORKSPACE);
const { set } = (await readDraft(db(), DEMO_WORKSPACE))!;
const one = (id: string): RuleSet => ({
	...set,
	rules: set.rules.map((r) => (r.id === id ? { ...r, guard: { text: '1 = 2' } } : r))
});
for (const id of ['probability', 'size_class']) {
	// against the draft itself with one rule otherwise: nothing else differs
	const plan = compilePlan(force.schema, set);
	const compared = comparedWith(force.schema, plan, one(id), Date.now());
	const read = await seconds('node-postgres reads the columns of all records', async () => {
		for (const t of force.schema.model.types)
			await db().query({
				rowMode: 'array',
				text: `select ${t.fields.map((f) => `f_${f.id}`).join(', ')} from r_${t.id}`
			});
	});
	const quick = await seconds(`${id} edited`, async () => {
		for (const type of rehearsedTypes(compared))
			await rehearseRange(db(), DEMO_WORKSPACE, compared, {
				type,
				low: '0',
				high: '9000000000000000'
			});
	});
	ratio('rehearsed / read', quick, read);
}

// ---- out of line ------------------------------------------------------------------------------------

console.log('What is out of line with the rules in force, of the same records');
for (const t of force.schema.model.types) {
	const fields = standingFields(force.plan, t.id);
	if (!fields.length) continue;
	const read = await seconds(
		`node-postgres reads the columns of all ${t.plural.toLowerCase()}`,
		() =>
			db().query({
				rowMode: 'array',
				text: `select ${t.fields.map((f) => `f_${f.id}`).join(', ')} from r_${t.id}`
			})
	);
	let n = 0;
	const looked = await seconds('looked at', () =>
		eachOutOfLine(
			db(),
			DEMO_WORKSPACE,
			force,
			{ type: t.id, low: '0', high: '9000000000000000' },
			new Set(fields),
			async (_, found) => void (n += found.length)
		)
	);
	console.log(`  ${n} values out of line`);
	ratio('looked / read', looked, read);
}

// ---- an import ------------------------------------------------------------------------------------

console.log(`A file of ${ROWS} leads`);
const channels = ['Trade fair', 'Web form', 'Telephone', 'Word of mouth'];
const lines = Array.from(
	{ length: ROWS },
	(_, i) =>
		`Ilse Ooster ${i},Fenland ${i % 5000},Netherlands,${channels[i % 4]},${['Strong', 'Fair', 'None'][i % 3]},${100 + (i % 900)}`
);
const head = 'Full name as received,Company as typed,Country,Enquiry channel,Fit,Glass area';
const file = `${head}\n${lines.join('\n')}\n`;
const top = async (table: string) =>
	(await db().query<{ n: string }>(`select coalesce(max(id), 0)::text as n from ${table}`)).rows[0]
		.n;
const [lastLead, lastChange] = [await top('r_lead'), await top('change')];
const ours = await seconds(
	'through the rules, with history and an outcome for each row',
	async () => {
		const r = await importCsv(sender('import'), 'lead', file, []);
		const refused = r.ok ? r.rows.filter((x) => !x.outcome) : [];
		if (!r.ok || refused.length)
			throw new Error(r.ok ? JSON.stringify(refused[0].faults) : r.message);
	}
);
const versions = [set, one('urgency')].map((s) => compilePlan(force.schema, s));
const again = await seconds('these changes taken back, and made again by two versions', () =>
	snapshot(async (c) => {
		const { result } = await replay(
			c,
			DEMO_WORKSPACE,
			{
				before: versions[0],
				after: versions[1],
				plansAt: () => Promise.resolve({ before: versions[0], after: versions[1] }),
				from: '2026-11-24T00:00:00.000Z',
				to: '2026-11-25T00:00:00.000Z',
				first: String(BigInt(lastChange) + 1n),
				last: await top('change')
			},
			1_000,
			() => Promise.resolve()
		);
		if (result.looked !== ROWS) throw new Error(`${result.looked} were replayed`);
	})
);
ratio('replayed by two / imported', again, ours);
/** The columns of a table, with some as they are in a copy beside it. */
async function columns(table: string, copied: Record<string, string>) {
	const { rows } = await db().query<{ c: string }>(
		`select quote_ident(column_name) as c from information_schema.columns
		 where table_name = $1 and is_generated = 'NEVER'`,
		[table]
	);
	return {
		to: rows.map((r) => r.c).join(', '),
		from: rows.map((r) => copied[r.c] ?? r.c).join(', ')
	};
}
const FAR = 10_000_000;
const copy = async (table: string, where: string, copied: Record<string, string>) => {
	const { to, from } = await columns(table, copied);
	await db().query(
		`insert into ${table} (${to}) overriding system value select ${from} from ${table} where ${where}`
	);
};
const floor = await seconds('the same rows, with versions and history, by three statements', () =>
	transaction(async () => {
		await copy('r_lead', `id > ${lastLead}`, { id: `id + ${FAR}` });
		await copy('change', `id > ${lastChange}`, { id: `id + ${FAR}` });
		await copy('record_change', `change > ${lastChange}`, {
			change: `change + ${FAR}`,
			record: `record + ${FAR}`
		});
	})
);
ratio('through the rules / the same by set-based SQL', ours, floor);
const folder = await mkdtemp(path.join(tmpdir(), 'bench-'));
const csv = path.join(folder, 'leads.csv');
await writeFile(csv, file);
await chmod(folder, 0o755);
await chmod(csv, 0o644);
await db().query(
	'create table plain_lead (name text, company text, country text, channel text, fit text, area numeric)'
);
const plain = await seconds('copied as it is into a plain table', () =>
	db().query(`copy plain_lead from '${csv}' with (format csv, header)`)
);
await rm(folder, { recursive: true });
ratio('through the rules / plain copy', ours, plain);
console.log(`  ${((ours / ROWS) * 1e6).toFixed(0)} µs for each row through the rules`);
await closeDb();
