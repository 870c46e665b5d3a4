/**
 * The whole application on many records and many rules: start, a list, a form, a save, an import, a bulk change, a
 * rehearsal, a look for what is out of line, with one server and with two, and the memory of the first. Wall time, on
 * the built server; each on what the one before left.
 *
 *   npm run bench -- million        RIGID_BENCH_EACH=1000000 for as many customers, leads and deals
 */
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { demoModel } from '../demo/model';
import { demoReleases } from '../demo/rules';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import { Client, startApp } from '../service/app';
import type { Model, Rule, RuleSet } from '../src/core';
import { standingFields, withoutRows } from '../src/core';
import { askBulk, beginBulk } from '../src/server/bulk/bulk';
import { migrate } from '../src/server/db/migrate';
import { storeModel, tableOf } from '../src/server/db/model';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { createRelease, replaceDraft } from '../src/server/db/rules';
import { Becoming } from '../src/server/db/values';
import { begin, importOf, takeIn } from '../src/server/imports/imports';
import type { Settings } from '../src/server/imports/rows';
import { queueLine } from '../src/server/jobs/line';
import { eachOutOfLine } from '../src/server/line/lined';
import { listAccounts } from '../src/server/people/accounts';
import { inForce } from '../src/server/records';
import { median } from './measure';

const EACH = Number(process.env.RIGID_BENCH_EACH ?? 50_000);
const SEEDED = 2_000;
const ROWS = 5_000;
/** As many deals are changed in bulk, and as many others by SQL. */
const CHANGED = Math.min(ROWS, (EACH - SEEDED) / 2);
/** Fields that are added to each type, with so many rules each. */
const FIELDS = 14;
const CLAIMS = 6;
const BY: Record<string, string> = { customer: 'headcount', lead: 'glass_area', deal: 'amount' };
const TYPES = Object.keys(BY);

process.env.RIGID_DB_STATEMENT_LIMIT = '3600000';
const say = (name: string, figure: string) => console.log(`  ${name.padEnd(66)} ${figure}`);
const s = (ms: number) => `${(ms / 1000).toFixed(ms < 10_000 ? 2 : 0)} s`;
async function timed<T>(name: string, work: () => Promise<T>, per = 0): Promise<T> {
	const from = performance.now();
	const r = await work();
	const ms = performance.now() - from;
	say(name, per ? `${s(ms).padEnd(10)} ${((ms / per) * 1000).toFixed(0)} µs each` : s(ms));
	return r;
}

// ---- records and rules -----------------------------------------------------------------------------

await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) =>
	seed(c, { customers: SEEDED, contacts: 200, leads: SEEDED, deals: SEEDED })
);
const [account] = await listAccounts(db(), DEMO_WORKSPACE);
const model: Model = {
	...demoModel,
	types: demoModel.types.map((t) =>
		TYPES.includes(t.id)
			? {
					...t,
					fields: [
						...t.fields,
						...Array.from({ length: FIELDS }, (_, i) => ({
							id: `more_${i}`,
							label: `More ${i}`,
							group: t.fields[0].group,
							type: 'text' as const
						}))
					]
				}
			: t
	)
};
const more = TYPES.flatMap((type) => {
	const { label } = model.types.find((t) => t.id === type)!.fields.find((f) => f.id === BY[type])!;
	return Array.from({ length: FIELDS * CLAIMS }, (_, i): Rule => {
		const least = (CLAIMS - (i % CLAIMS)) * (10 + Math.floor(i / CLAIMS));
		return {
			id: `${type}_more_${i}`,
			type,
			kind: 'derive',
			name: `${label} above ${least} (${i})`,
			why: '',
			moments: ['created', 'changed', 'request'],
			entryPoints: null,
			watch: null,
			entering: false,
			guard: { text: `${label} > ${least}` },
			outputs: [{ id: 'o', field: `more_${Math.floor(i / CLAIMS)}`, hold: 'follow', none: 'next' }],
			body: { kind: 'formula', formulas: [{ text: `"Above ${least}"` }] }
		};
	});
});
const { set: demoSet } = demoReleases[2];
const set: RuleSet = { ...demoSet, rules: [...demoSet.rules, ...more] };
await transaction(async (c) => {
	await storeModel(c, DEMO_WORKSPACE, demoModel, model);
	await createRelease(c, DEMO_WORKSPACE, set, model, 'Many rules', account.id);
	const edited = set.rules.map((r) =>
		r.id === 'probability' ? { ...r, guard: { text: 'Amount > 100000' } } : r
	);
	const draft = { ...set, rules: edited, tables: set.tables?.map(withoutRows) };
	await replaceDraft(c, DEMO_WORKSPACE, draft, account.id);
});
const force = await inForce(db(), DEMO_WORKSPACE);
if (force.plan.problems.length) throw new Error(JSON.stringify(force.plan.problems[0]));
// what the added rules give stands in the records that are multiplied
const all = { low: '0', high: '9000000000000000' };
for (const type of TYPES) {
	const added = new Set(standingFields(force.plan, type).filter((f) => f.startsWith('more_')));
	await eachOutOfLine(db(), DEMO_WORKSPACE, force, { type, ...all }, added, async (_, found) => {
		for (const id of added) {
			const f = force.schema.field(type, id)!;
			const values = found.flatMap((x) =>
				x.field === id ? [{ id: x.record, value: x.result as string }] : []
			);
			await transaction(async (c) => {
				const becoming = await Becoming.begin(c, type, f, 0);
				await becoming.keep(values);
				await becoming.fill(DEMO_WORKSPACE);
			});
		}
	});
}
await timed(`${EACH} customers, leads and deals each copied`, async () => {
	for (const type of TYPES) {
		const { rows } = await db().query<{ c: string }>(
			`select quote_ident(column_name) as c from information_schema.columns
			 where table_name = $1 and is_generated = 'NEVER'`,
			[tableOf(type)]
		);
		const moved = new Set(['id', ...(type === 'customer' ? [] : ['f_customer'])]);
		// each copy is another firm, and is found as itself
		const copied = (c: string) => {
			if (moved.has(c)) return `${c} + g * 1000000::bigint`;
			if (c === 'f_company_as_typed') return `${c} || ' ' || g`;
			if (c === 'k_trading_name') return `${c} || g`;
			if (c.endsWith('e_mail')) return `regexp_replace(${c}, '^(.*@)?', '\\1g' || g || '.')`;
			return c;
		};
		const columns = rows.map((r) => r.c);
		await db().query(
			`insert into ${tableOf(type)} (${columns.join()}) overriding system value
			 select ${columns.map(copied).join()}
			 from ${tableOf(type)}, generate_series(1, $1::int) g`,
			[Math.ceil(EACH / SEEDED) - 1]
		);
		await db().query(
			`select setval(pg_get_serial_sequence($1, 'id'), (select max(id) from ${tableOf(type)}))`,
			[tableOf(type)]
		);
	}
	await db().query('vacuum analyze');
});
// the shop that ships with the application would be told of each lead and deal, by the same server
await db().query(`update hook set state = 'off'`);
const size = await db().query<{ s: string }>(
	'select pg_size_pretty(pg_database_size(current_database())) as s'
);
say(`${set.rules.length} rules; the database`, size.rows[0].s);

// ---- one server ------------------------------------------------------------------------------------

const env = { RIGID_DB_STATEMENT_LIMIT: '600000' };
const first = await timed('start, until it can work', () => startApp(env));
const memory = (what: string) => {
	const status = readFileSync(`/proc/${first.child.pid}/status`, 'utf8');
	const of = (name: string) => Number(new RegExp(`${name}:\\s+(\\d+)`).exec(status)?.[1]) / 1024;
	say(
		`  memory of the server ${what}`,
		`${of('VmRSS').toFixed(0)} MB, most ${of('VmHWM').toFixed(0)} MB`
	);
};
memory('when it begins');
const ended = async (job: string) => {
	for (;;) {
		const r = await db().query<{ state: string; message: string | null; at: Date | null }>(
			'select state, message, ended_at as at from job where id = $1',
			[job]
		);
		const [{ state, message, at }] = r.rows;
		if (state === 'failed' || state === 'cancelled') throw new Error(`${state}: ${message}`);
		if (at) return;
		await new Promise((next) => setTimeout(next, 100));
	}
};
await timed(
	'what is out of line, which it looks for by itself once a day, one server',
	async () => {
		for (;;) {
			const { rows } = await db().query<{ id: string }>(
				`select id from job where kind = 'out-of-line look'`
			);
			if (rows.length) return ended(rows[0].id);
			await new Promise((next) => setTimeout(next, 100));
		}
	},
	3 * EACH
);
const ida = await new Client(first.base).signIn('ida@quillmere.example', 'glasshouse-1');

/** The middle of some askings, the first left out: it compiles and reads what is kept from then on. */
async function asked(name: string, ask: (i: number) => Promise<Response>, times = 15) {
	const took: number[] = [];
	for (let i = 0; i <= times; i++) {
		const from = performance.now();
		const r = await ask(i);
		await r.text();
		if (!r.ok) throw new Error(`${name}: ${r.status}`);
		if (i) took.push(performance.now() - from);
		else say(`${name}, the first time`, `${(performance.now() - from).toFixed(0)} ms`);
	}
	say(name, `${median(took).toFixed(0)} ms`);
}
await asked('a list, newest first', () =>
	ida.ask('/records/deal', { headers: { accept: 'text/html' } })
);
await asked('a record with its form', (i) =>
	ida.ask(`/records/deal/${1 + i}`, { headers: { accept: 'text/html' } })
);
await asked('a save of a deal', (i) =>
	ida.ask(`/save/deal?id=${1000 + i}`, {
		method: 'POST',
		json: { sent: [['amount', String(5_000 + i)]] }
	})
);

const lines = Array.from(
	{ length: ROWS },
	(_, i) => `Person ${i},Firm ${i},p${i}@firm${i % 97}.example,${100 + (i % 900)}`
);
const file = await takeIn(account, {
	type: 'lead',
	name: 'enquiries.csv',
	content: Buffer.from(
		`Full name as received,Company as typed,E-mail,Glass area\n${lines.join('\n')}\n`
	)
});
const { settings } = (await importOf(DEMO_WORKSPACE, file))!;
await timed(
	`an import of ${ROWS} leads`,
	async () => ended(await begin(account, file, 'import', settings as Settings)),
	ROWS
);
const { rows: some } = await db().query<{ id: string }>(
	'select id::text from r_deal where id > 1000000 order by id limit $1',
	[CHANGED]
);
/** Gives the deals another day, looked at first. */
async function changeInBulk(servers: string, day: string) {
	const bulk = await timed(
		`a bulk change of ${some.length} deals looked at, ${servers}`,
		async () => {
			const { id } = await askBulk(account, {
				type: 'deal',
				which: { ids: some.map((r) => r.id) },
				does: { k: 'set', field: 'close_date', value: day },
				spare: false,
				messages: false
			});
			const { rows } = await db().query<{ look: string }>('select look from bulk where id = $1', [
				id
			]);
			await ended(rows[0].look);
			return id;
		},
		some.length
	);
	await timed(
		`carried out, ${servers}`,
		async () => ended((await beginBulk(account, bulk)).job),
		some.length
	);
}
await changeInBulk('one server', '2027-05-05');
// the same of other deals: a change each, with its lines and marks; what it runs on to at customers is left out
await timed(
	'the same by set-based SQL, without what follows at customers',
	() =>
		transaction(async (c) => {
			const { rows } = await c.query<{ first: string }>(
				`with made as (
					insert into change (workspace, at, account, entry_point, release)
					select $1, now(), $2, 'bulk', 4 from generate_series(1, $3::int) returning id
				 ) select min(id)::text as first from made`,
				[DEMO_WORKSPACE, account.id, CHANGED]
			);
			const done = await c.query(
				`with before as (
					select id, f_close_date as was, f_fiscal_quarter as quarter, f_name as name,
					       $1::bigint + row_number() over (order by id) - 1 as change
					from r_deal where id > $2 order by id limit $3
				 ), after as (
					update r_deal d set f_close_date = '2027-05-05', f_fiscal_quarter = '2027 Q2', f_name = b.name || ' *',
						version = version + 1,
						set_by = set_by || jsonb_build_object('close_date', 'p ' || b.change || ' 1',
							'fiscal_quarter', 'r ' || b.change || ' quarter:o', 'name', 'r ' || b.change || ' deal_name:o')
					from before b where d.id = b.id
					returning d.id, b.change, b.was, b.quarter, b.name
				 )
				 insert into record_change (change, type, record, marks, lines)
				 select change, 'deal', id, '{deal_name,quarter}', jsonb_build_array(
					jsonb_build_array('set', 'close_date', was, '2027-05-05'),
					jsonb_build_array('set', 'fiscal_quarter', quarter, '2027 Q2', 'quarter:o', 'Fiscal quarter', 'Close date is 2027-05-05', 'r 1 quarter:o'),
					jsonb_build_array('set', 'name', name, name || ' *', 'deal_name:o', 'Deal name', 'Fiscal quarter is 2027 Q2', 'r 1 deal_name:o'))
				 from after`,
				[rows[0].first, some.at(-1)!.id, CHANGED]
			);
			if (done.rowCount !== CHANGED) throw new Error(`${done.rowCount} of ${CHANGED}`);
		}),
	CHANGED
);
memory('afterwards');

/** A job on all records, cut into ranges. */
const rehearse = async () => {
	const r = await ida.ask('/rehearsal', { method: 'POST' });
	await ended(((await r.json()) as { job: string }).job);
};
const line = async () => ended((await queueLine(DEMO_WORKSPACE, account.id))!);
await db().query('analyze');
await timed('a rehearsal of an edit, one server', rehearse);
const second = await startApp(env);
await timed('a rehearsal of an edit, two servers', rehearse);
await timed('what is out of line, two servers', line, 3 * EACH);
await changeInBulk('two servers', '2027-08-05');
await second.stop();
const columns = force.schema.model.types.filter((t) => TYPES.includes(t.id));
await timed('node-postgres reads all columns of these records', async () => {
	for (const t of columns) {
		const list = t.fields.map((f) => `f_${f.id}`).join(', ');
		// in pieces, since all of them would not fit into memory
		for (let after = '0'; ;) {
			const { rows } = await db().query<[string]>({
				rowMode: 'array',
				text: `select id, ${list} from ${tableOf(t.id)} where id > $1 order by id limit 10000`,
				values: [after]
			});
			if (!rows.length) break;
			after = rows.at(-1)![0];
		}
	}
});
await first.stop();
await closeDb();
