/**
 * How long a small change takes while a job runs, against the same with nothing beside it, and for how long the event
 * loop that answers was held up: rounds of idle and of each job one after the other in one run, on the built server.
 *
 *   npm run bench -- service
 */
import { fileURLToPath } from 'node:url';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import { Client, startApp } from '../service/app';
import { askBulk, beginBulk } from '../src/server/bulk/bulk';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { begin, importOf, takeIn } from '../src/server/imports/imports';
import type { Settings } from '../src/server/imports/rows';
import { listAccounts } from '../src/server/people/accounts';

const ROUNDS = Number(process.env.RIGID_BENCH_ROUNDS ?? 5);
/** Changes of an idle round, and the least of a round beside a job. */
const CHANGES = 250;
/** Rows of an imported file. */
const ROWS = Number(process.env.RIGID_BENCH_ROWS ?? 2_000);
/** Milliseconds between an answer and the next change: people who work, not a storm. */
const PAUSE = 8;

await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c, { customers: 2_000, contacts: 500, leads: 8_000, deals: 8_000 }));
const [account] = await listAccounts(db(), DEMO_WORKSPACE);
const app = await startApp();
const ida = await new Client(app.base).signIn('ida@quillmere.example', 'glasshouse-1');
const { rows: customers } = await db().query<{ id: string }>(
	'select id from r_customer order by id limit 50'
);

let n = 0;
/** One small change of a customer; its milliseconds. */
async function change(): Promise<number> {
	const id = customers[n % customers.length].id;
	const from = performance.now();
	const r = await ida.ask(`/save/customer?id=${id}`, {
		method: 'POST',
		json: { sent: [['trading_name', `Name ${++n}`]] }
	});
	if (!r.ok) throw new Error(`${r.status} ${await r.text()}`);
	await r.arrayBuffer();
	return performance.now() - from;
}

async function changes(more: () => Promise<boolean>): Promise<number[]> {
	const took: number[] = [];
	while (await more()) {
		took.push(await change());
		await new Promise((r) => setTimeout(r, PAUSE));
	}
	return took;
}

const ended = async (job: string) => {
	const r = await db().query<{ state: string; message: string | null; at: Date | null }>(
		'select state, message, ended_at as at from job where id = $1',
		[job]
	);
	if (['failed', 'cancelled'].includes(r.rows[0].state)) throw new Error(`${r.rows[0].message}`);
	return r.rows[0].at !== null;
};

/** Changes beside jobs that are begun one after the other until there were enough. */
async function beside(job: () => Promise<string>): Promise<number[]> {
	let running = await job();
	let some = 0;
	return changes(async () => {
		some++;
		// asked every few changes, so that the asking is no load of its own
		if (some % 10 || !(await ended(running))) return true;
		if (some >= CHANGES) return false;
		running = await job();
		return true;
	});
}

let files = 0;
async function file(what: 'import' | 'dry run') {
	const lines = Array.from(
		{ length: ROWS },
		(_, i) => `Person ${files}-${i},Firm ${i},p${files}x${i}@firm${i % 97}.example`
	);
	files++;
	const id = await takeIn(account, {
		type: 'lead',
		name: `file-${files}.csv`,
		content: Buffer.from(`Full name as received,Company as typed,E-mail\n${lines.join('\n')}\n`)
	});
	const { settings } = (await importOf(DEMO_WORKSPACE, id))!;
	return begin(account, id, what, settings as Settings);
}
const rehearsal = async () => {
	const r = await ida.ask('/rehearsal', { method: 'POST' });
	return ((await r.json()) as { job: string }).job;
};

let bulks = 0;
/** A bulk change of all deals, looked at by itself before. */
async function bulk() {
	const { rows } = await db().query<{ id: string }>('select id::text from r_deal order by id');
	const day = `2027-0${1 + (bulks++ % 9)}-05`;
	const { id } = await askBulk(account, {
		type: 'deal',
		which: { ids: rows.map((r) => r.id) },
		does: { k: 'set', field: 'close_date', value: day },
		spare: false,
		messages: false
	});
	const look = await db().query<{ look: string }>('select look from bulk where id = $1', [id]);
	while (!(await ended(look.rows[0].look))) await new Promise((r) => setTimeout(r, 100));
	return (await beginBulk(account, id)).job;
}

const kinds: [string, () => Promise<number[]>][] = [
	[
		'nothing',
		() => {
			let k = 0;
			return changes(() => Promise.resolve(k++ < CHANGES));
		}
	],
	['a rehearsal', () => beside(rehearsal)],
	['an import', () => beside(() => file('import'))],
	['an import that is tried', () => beside(() => file('dry run'))],
	['a bulk change', () => beside(bulk)]
];
/** Milliseconds for which the server's event loop was held up at most since this was asked last, as its metrics tell. */
async function heldUp(): Promise<number> {
	const text = await (await ida.ask('/metrics')).text();
	return 1000 * Number(/^rigid_nodejs_eventloop_lag_max_seconds (\S+)/m.exec(text)![1]);
}

const took = new Map(kinds.map(([name]) => [name, [] as number[][]]));
const held = new Map(kinds.map(([name]) => [name, [] as number[]]));
await kinds[0][1]();
for (let i = 0; i < ROUNDS; i++)
	for (const [name, round] of kinds) {
		await heldUp();
		took.get(name)!.push((await round()).sort((a, b) => a - b));
		held.get(name)!.push(await heldUp());
	}

const at = (sorted: number[], part: number) =>
	sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))];
const middle = (xs: number[]) =>
	at(
		[...xs].sort((a, b) => a - b),
		0.5
	);
console.log(
	`\n  A small change, ${ROUNDS} rounds of at least ${CHANGES} each; ratios are medians of rounds, with their spread\n`
);
for (const [name] of kinds) {
	const rounds = took.get(name)!;
	const ratios = (part: number) =>
		rounds.map((r, i) => at(r, part) / at(took.get('nothing')![i], part));
	const say = (xs: number[]) =>
		`${middle(xs).toFixed(1)} (${Math.min(...xs).toFixed(1)} to ${Math.max(...xs).toFixed(1)})`;
	console.log(
		`  beside ${name.padEnd(26)} p50 ${middle(rounds.map((r) => at(r, 0.5)))
			.toFixed(1)
			.padStart(6)} ms  p99 ${middle(rounds.map((r) => at(r, 0.99)))
			.toFixed(1)
			.padStart(6)} ms  event loop held up ${middle(held.get(name)!).toFixed(0)} ms at most` +
			(name === 'nothing'
				? ''
				: `  against idle: p50 ${say(ratios(0.5))}, p99 ${say(ratios(0.99))}`)
	);
}
await app.stop();
await closeDb();
