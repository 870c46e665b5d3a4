/** A server that is killed in the middle, at many random moments: what it had kept is there whole, and nothing else. */
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seeded } from '../../../demo/generate';
import { toJson } from '../../core';
import { carryOn } from '../jobs/turn';
import { pendingOf } from '../db/carried';
import { db } from '../db/pool';
import { readRecords } from '../db/records';
import { inForce } from '.';
import { deliver } from '../outside/outbox';
import { comparedWith, rehearse } from '../../../tests/rehearse';
import { freshDatabase } from '../../../tests/fresh';

const KILLS = Number(process.env.RIGID_RUNS ?? 12);
const CUSTOMERS = 8;
const DEALS = 60;
let t: Awaited<ReturnType<typeof freshDatabase>>;
let versions: Map<string, number>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 20, contacts: 30, leads: 5, deals: DEALS });
	versions = await storedVersions();
});
afterAll(() => t.drop());

const rows = async (sql: string) => (await db().query(sql)).rows;
async function storedVersions() {
	const all = await rows(
		`select 'deal ' || id as k, version from r_deal union all select 'customer ' || id, version from r_customer
		 union all select 'contact ' || id, version from r_contact`
	);
	return new Map(all.map((r) => [r.k as string, Number(r.version)]));
}

/** Starts a writer, kills it after some milliseconds, and gives what it had said was kept. */
async function killedAfter(ms: number, seed: number): Promise<string[]> {
	const script = fileURLToPath(new URL('../../../tests/writer.ts', import.meta.url));
	const child = spawn(
		process.execPath,
		['--import', 'tsx', script, String(seed), String(CUSTOMERS), String(DEALS)],
		{ env: process.env, stdio: ['ignore', 'pipe', 'pipe'] }
	);
	let said = '';
	let trouble = '';
	let ready!: () => void;
	const begun = new Promise<void>((r) => (ready = r));
	child.stdout.on('data', (d: Buffer) => {
		said += d.toString();
		if (said.includes('ready\n')) ready();
	});
	child.stderr.on('data', (d: Buffer) => (trouble += d.toString()));
	const ended = once(child, 'close');
	await Promise.race([begun, ended]);
	await new Promise((r) => setTimeout(r, ms));
	child.kill('SIGKILL');
	const [, signal] = (await ended) as [number | null, string | null];
	expect(`${signal} ${trouble.includes('Error') ? trouble : ''}`).toBe('SIGKILL ');
	// PostgreSQL notices that its client is gone, and rolls back what was not committed
	for (let i = 0; i < 200; i++) {
		const [{ n }] = await rows(
			`select count(*)::int as n from pg_stat_activity
			 where datname = current_database() and pid <> pg_backend_pid() and state <> 'idle'`
		);
		if (!n) break;
		await new Promise((r) => setTimeout(r, 20));
	}
	return said
		.split('\n')
		.slice(0, -1)
		.filter((l) => l !== 'ready');
}

/** What is half done: every way in which records, history, messages and roll-ups could part. */
async function halfDone(): Promise<string[]> {
	const out: string[] = [];
	const { schema } = await inForce(db(), t.workspace);
	// the last that history tells of each field is what is stored
	const last = await rows(
		`select distinct on (l.type, l.record, l.field) l.type, l.record::text as id, l.field, l.now
		 from history_line l where l.outcome = 'set' order by l.type, l.record, l.field, l.change desc`
	);
	for (const type of new Set(last.map((l) => l.type as string))) {
		const of = last.filter((l) => l.type === type);
		const ids = [...new Set(of.map((l) => l.id as string))];
		const stored = new Map(
			(await readRecords(db(), schema, t.workspace, type, ids)).map((r) => [r.id, r])
		);
		for (const l of of) {
			const r = stored.get(l.id as string);
			if (!r) continue;
			const value = toJson(r.values[schema.type(type).at.get(l.field as string)!]);
			if (JSON.stringify(value) !== JSON.stringify(l.now))
				out.push(`${type} ${l.id} ${l.field}: stored ${String(value)}, history ${String(l.now)}`);
		}
	}
	// each write of a record counts its version up by one and leaves history
	const now = await storedVersions();
	const writes = await rows(
		`select type || ' ' || record as k, count(distinct change)::int as n from history_line
		 where outcome = 'set' and type in ('deal', 'customer', 'contact') group by 1`
	);
	for (const { k, n } of writes) {
		const want = (versions.get(k as string) ?? 0) + (n as number);
		if (now.has(k as string) && now.get(k as string) !== want)
			out.push(`${k}: version ${now.get(k as string)}, by history ${want}`);
	}
	for (const { k } of await rows(
		`select 'message of change ' || change || ' to ' || recipient as k from outbox
		 group by change, claim, target, recipient having count(*) > 1
		 union all select 'change ' || id || ' without a line' from change c
		 where not exists (select 1 from history_line l where l.change = c.id)
		   and not exists (select 1 from carried_change x where x.change = c.id)
		 union all select 'carried ' || c.id || ' with nothing left' from carried_change c
		 where not exists (select 1 from pending_record p where p.carried = c.id)
		 union all select 'deal ' || d.id || ' of no customer' from r_deal d
		 where d.f_customer is not null and not exists (select 1 from r_customer c where c.id = d.f_customer)`
	))
		out.push(k as string);
	// what rolls up does so in the change itself, whatever is put off
	for (const c of await rows(
		`select c.id from r_customer c, lateral (
			select count(*) filter (where d.f_stage in ('enquiry', 'survey', 'quotation', 'negotiation')) as open,
			       coalesce(sum(d.f_net_amount) filter (where d.f_stage = 'won'), 0) as value
			from r_deal d where d.f_customer = c.id) s
		 where (c.f_open_deals, c.f_order_value_to_date) is distinct from (s.open::numeric, s.value)`
	))
		out.push(`customer ${c.id}: roll-ups`);
	return out;
}

describe('a server killed with -9', () => {
	it('leaves nothing half done, loses nothing that it had kept, and is carried on', async () => {
		const rnd = seeded(31);
		let kept = 0;
		let putOff = 0;
		for (let k = 0; k < KILLS; k++) {
			const acknowledged = await killedAfter(Math.floor(20 + rnd() * 500), k + 1);
			expect(await halfDone(), `kill ${k + 1}`).toEqual([]);
			const now = await storedVersions();
			for (const line of acknowledged) {
				const [type, id, version] = line.split(' ');
				const at = now.get(`${type} ${id}`);
				// those deleted since are gone whole
				if (at !== undefined) expect(at, line).toBeGreaterThanOrEqual(Number(version));
			}
			kept += acknowledged.length;
			putOff += (await pendingOf(db(), t.workspace)).counts.reduce((n, c) => n + c.n, 0);
		}
		// how many depends on the machine; without any it would show nothing
		expect(kept).toBeGreaterThan(0);
		expect(putOff).toBeGreaterThan(0);
		// the next server does what was left
		await carryOn();
		await deliver(10_000);
		expect(await halfDone()).toEqual([]);
		expect((await pendingOf(db(), t.workspace)).counts).toEqual([]);
		expect(await rows(`select 1 from outbox where status = 'waiting'`)).toEqual([]);
		// and all records are what the rules in force give
		const force = await inForce(db(), t.workspace);
		const { plan } = force;
		const locked = plan.nodes.filter((n) => n.hasLocked).map((n) => `${n.type}.${n.field.id}`);
		const drifted = await outOfLine(locked);
		expect(drifted).toEqual([]);
	}, 300_000);
});

/** Stored values of Locked fields that differ from what the rules in force give on request. */
async function outOfLine(locked: readonly string[]): Promise<string[]> {
	const { schema, plan } = await inForce(db(), t.workspace);
	// a draft without rules leaves every field as it is stored
	const empty = { rules: [], order: {} };
	const compared = comparedWith(schema, plan, empty, Date.UTC(2026, 10, 24, 9));
	const { behind } = await rehearse(db(), t.workspace, compared);
	return behind
		.filter((b) => locked.some((field) => b.about === `value ${field}`))
		.map((b) => {
			const [type, field] = b.about.slice('value '.length).split('.');
			return `${type} ${b.id} ${field}: ${String(b.doc.stored)}`;
		})
		.filter((line) => touched.test(line));
}
/** Records older than the rules are part of the demo; those that the writers touch are not. */
const touched = /^deal /;
