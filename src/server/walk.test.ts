/**
 * A long walk: people, imports, bulk changes, what is taken back, edits of living tables, releases and pilots, one after
 * the other and several at once, with what is old forgotten now and then, in an order that chance gives. After each step
 * what is kept holds together.
 */
import fc from 'fast-check';
import { randomUUID } from 'node:crypto';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import {
	Schema,
	compilePlan,
	own,
	withField,
	withNewField,
	withNewOptions,
	withOption,
	withoutField,
	type EntryPoint,
	type JsonValue,
	type Model,
	type RuleSet
} from '../core';
import { formula } from '../../demo/rules';
import { Chance } from '../../tests/chance';
import { freshDatabase, type Fresh } from '../../tests/fresh';
import { lockedOtherwise } from '../../tests/from-nothing';
import {
	brokenEvents,
	brokenHistory,
	numbersOf,
	otherwiseThen,
	snapshot,
	type Snapshot
} from '../../tests/kept';
import { changeModel, retyped } from '../../tests/model';
import { someValues } from '../../tests/values';
import { workAll } from '../../tests/worker';
import { BadInput } from '../door';
import type { BulkAsked } from '../door/bulk';
import { checkRows } from '../door/living';
import { askBulk, beginBulk, takeBack, takeImportBack } from './bulk/bulk';
import { readBulkRows } from './db/bulk';
import { readImport, readRows } from './db/imports';
import { readJob } from './db/jobs';
import { rowsAt } from './db/living';
import { readModel } from './db/model';
import { pilotOn } from './db/pilot';
import { db, transaction, type Db } from './db/pool';
import { forgetBeyond, historyFrom } from './db/retention';
import { dbTrouble } from './db/trouble';
import { createRelease, putInForce, readRelease, rulesOf, withLiving } from './db/rules';
import { BadModel, ModelMoved } from './draft/model';
import { endOfPilot, startPilot } from './draft/pilot';
import { begin, takeIn } from './imports/imports';
import type { Settings } from './imports/rows';
import { queueLine, queueLineOfRelease } from './jobs/line';
import { editRows } from './living/living';
import { RefusedChange, inForce, remove, save, type Submission } from './records';

const TYPES = ['customer', 'contact', 'lead', 'deal'];
const ROADS = ['full', 'short', 'api', 'import'] as const satisfies readonly EntryPoint[];
const TABLE = 'district_postcodes';
/** The group of the fields that a walk makes, and how its options are called. */
const OWN = 'Walk';
const MOST_LOST = 1_000;
const KINDS = [
	{ type: 'text' },
	{ type: 'number' },
	{ type: 'date' },
	{ type: 'moment' },
	{ type: 'yesno' },
	{ type: 'choice' },
	{ type: 'link', target: 'engineer' }
] as const;
const STEPS = Number(process.env.RIGID_WALK_STEPS ?? 45);
const SEEDS = process.env.RIGID_WALKS?.split(',').map(Number) ?? [11, 29];

/** A workspace that is walked through. */
class Walk {
	private readonly chance: Chance;
	/** Bulk changes, imports and releases that can be taken back or come in force again, the newest last. */
	private readonly bulks: string[] = [];
	private readonly imports: string[] = [];
	private readonly releases: number[] = [];
	private drawn = 0;
	private cutting = false;
	/** Changes by road, of those that were forgotten or counted last. */
	readonly roads = new Map<EntryPoint, number>();
	/** Fields whose values became those of another type, which history does not tell. */
	readonly converted = new Set<string>();
	constructor(
		private readonly t: Fresh,
		private readonly seed: number
	) {
		this.chance = new Chance(seed);
	}

	/** What may be done, and how often against the others. */
	private readonly steps: Record<string, [weight: number, step: () => Promise<unknown>]> = {
		save: [8, () => this.save()],
		'several in one change': [2, () => this.several()],
		'several at once': [3, () => this.atOnce()],
		remove: [2, () => this.remove()],
		import: [2, () => this.import()],
		'an import taken back': [1, () => this.importBack()],
		'bulk change': [3, () => this.bulk()],
		'bulk change taken back': [2, () => this.back()],
		'all at once': [3, () => this.busy()],
		'connections cut': [1, () => this.busy(true)],
		'living table': [2, () => this.living()],
		model: [2, () => this.model()],
		release: [1, () => this.release()],
		pilot: [1, () => this.pilot()],
		'old things forgotten': [1, () => this.forget()]
	};
	/** After these, stored values may differ from what is in force now. */
	static readonly MOVES = ['living table', 'release', 'pilot'];

	/** Does one thing, and waits for all that follows. @returns what it was */
	async step(): Promise<string> {
		const all = Object.entries(this.steps).flatMap(([name, [n]]) => Array<string>(n).fill(name));
		const name = this.chance.of(all);
		await this.steps[name][1]();
		await workAll();
		return name;
	}

	private sender() {
		const { workspace, author: account } = this.t;
		return { workspace, account, entryPoint: this.chance.of(ROADS), instant: Date.now() };
	}
	/** Of records that are asked for at random, rules refuse some, and of others the connection is lost: that is told, and nothing is kept in part. */
	private async unlessRefused(work: () => Promise<unknown>): Promise<boolean> {
		try {
			await work();
			return true;
		} catch (e) {
			if ([RefusedChange, BadInput, BadModel, ModelMoved].some((x) => e instanceof x)) return false;
			if (this.cutting && dbTrouble(e)) return false;
			throw e;
		}
	}
	private async values(type: string): Promise<[field: string, JsonValue][]> {
		const { schema } = await inForce(db(), this.t.workspace);
		const some = fc.sample(someValues(schema, type), {
			seed: this.seed * 100_000 + this.drawn++,
			numRuns: 1
		})[0];
		const out: [string, JsonValue][] = [];
		for (const f of schema.type(type).type.fields) {
			if (f.target && this.chance.int(0, 2) === 0)
				out.push([f.id, this.chance.of([null, ...(await numbersOf(f.target))])]);
			else if (!f.target && f.id in some && this.chance.int(0, f.group === OWN ? 1 : 3) === 0)
				out.push([f.id, some[f.id]]);
		}
		return this.chance.mixed(out);
	}
	private async submission(): Promise<Submission> {
		const type = this.chance.of(TYPES);
		const id = this.chance.int(0, 3) ? this.chance.of(await numbersOf(type)) : null;
		const sent = await this.values(type);
		const keep = this.chance.int(0, 2) ? [] : sent.slice(0, 2).map(([f]) => f);
		return { type, id, sent, keep };
	}
	private async submissions(n: number): Promise<Submission[]> {
		const out: Submission[] = [];
		while (out.length < n) out.push(await this.submission());
		return out;
	}

	private async save() {
		const one = await this.submission();
		return this.unlessRefused(() => save(this.sender(), [one]));
	}
	private async several() {
		const all = await this.submissions(4);
		// the door lets no record be twice in one change
		const once = all.filter(
			(a, i) => a.id === null || all.findIndex((b) => b.type === a.type && b.id === a.id) === i
		);
		return this.unlessRefused(() => save(this.sender(), once));
	}
	private async atOnce() {
		const all = await this.submissions(5);
		return Promise.all(all.map((s) => this.unlessRefused(() => save(this.sender(), [s]))));
	}
	private async remove() {
		const type = this.chance.of(TYPES);
		const id = this.chance.of(await numbersOf(type));
		return this.unlessRefused(() => remove(this.sender(), { type, id }));
	}

	private async begun(type: string, head: string, rows: string[], tried = false) {
		const content = Buffer.from(`${head}\n${rows.join('\n')}\n`);
		const file = await takeIn(this.t.author, { type, name: 'walk.csv', content });
		const settings = (await readImport(db(), file))!.settings as Settings;
		if (tried) {
			await begin(this.t.author, file, 'dry run', settings);
			await workAll();
		}
		this.imports.push(file);
		return { file, job: await begin(this.t.author, file, 'import', settings) };
	}
	/** Fields that hold when something happened: what was looked at a moment ago is otherwise there. */
	private async withoutMoments(type: string) {
		const { schema } = await inForce(db(), this.t.workspace);
		const { types } = schema;
		return (c: { field: string }) =>
			types.get(type)!.type.fields.find((f) => f.id === c.field)?.type !== 'moment';
	}
	private async import() {
		const rows = Array.from({ length: this.chance.int(3, 12) }, () =>
			[
				`Walk ${this.chance.int(1, 30)} Growers`,
				this.chance.int(1, 400),
				this.chance.of(['a@walk.example', '', 'no address']),
				this.chance.of(['Netherlands', 'Germany', ''])
			].join(';')
		);
		const head = 'Trading name;Headcount;E-mail;Country';
		const { file } = await this.begun('customer', head, rows, true);
		await workAll();
		// nothing came in between: what was tried is what came of it
		const told = await this.withoutMoments('customer');
		const [dry, outcome] = (['dry', 'outcome'] as const).map(async (column) =>
			(await readRows(db(), file, { column, is: null, after: 0, most: 100 })).map(
				({ line, outcome: o }) => ({ line, ...o!, id: null, changes: o!.changes.filter(told) })
			)
		);
		expect(await outcome).toEqual(await dry);
	}
	private async importBack() {
		const file = this.imports.pop();
		if (!file) return;
		await this.takenBack(() => takeImportBack(this.t.author, file));
	}

	/** Carries out what was looked at; nothing where no record would change. */
	private async carriedOut(id: string) {
		await this.unlessRefused(async () => {
			const { job } = await beginBulk(this.t.author, id);
			await workAll();
			expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
			this.bulks.push(id);
		});
	}
	private async looked(more: Pick<BulkAsked, 'type' | 'does'>): Promise<string | null> {
		const ids = this.chance.mixed(await numbersOf(more.type)).slice(0, this.chance.int(2, 25));
		const spare = this.chance.int(0, 1) === 1;
		const asked = { ...more, which: { ids }, spare, messages: this.chance.int(0, 1) === 1 };
		let id: string | null = null;
		await this.unlessRefused(async () => ({ id } = await askBulk(this.t.author, asked)));
		await workAll();
		return id;
	}
	private async someBulk(): Promise<Pick<BulkAsked, 'type' | 'does'>> {
		if (this.chance.int(0, 3) === 0) {
			const past = ['stage_before_loss', 'stage_it_came_from', 'times_moved_back'];
			const field = this.chance.of([...past, 'net_amount', 'discount_limit_percent']);
			return { type: 'deal', does: { k: past.includes(field) ? 'history' : 'line', field } };
		}
		const type = this.chance.of(TYPES);
		const [first] = await this.values(type);
		if (!first || this.chance.int(0, 2) === 0)
			return { type, does: { k: 'rules', fillBlanks: this.chance.int(0, 1) === 1 } };
		return { type, does: { k: 'set', field: first[0], value: first[1] } };
	}
	private async bulk() {
		const some = await this.someBulk();
		const id = await this.looked(some);
		// somebody may change something between the look and what is done
		const between = this.chance.int(0, 1) === 1;
		if (between) await this.save();
		if (!id) return;
		await this.carriedOut(id);
		if (between) return;
		const told = await this.withoutMoments(some.type);
		const all = { is: null, after: 0, most: 100 };
		const [look, outcome] = (['look', 'outcome'] as const).map(async (column) =>
			(await readBulkRows(db(), id, { column, ...all })).map((r) => ({
				record: r.record,
				...r.outcome,
				changes: r.outcome.changes.filter(told)
			}))
		);
		const done = await outcome;
		const of = new Set(done.map((r) => r.record));
		expect(done).toEqual((await look).filter((r) => of.has(r.record)));
	}
	private async back() {
		const last = this.bulks.pop();
		if (!last) return;
		await this.takenBack(() => takeBack(this.t.author, last));
	}
	/** What is forgotten is not taken back: that is refused. */
	private async takenBack(take: () => Promise<{ id: string }>) {
		let id: string | null = null;
		await this.unlessRefused(async () => ({ id } = await take()));
		if (!id) return;
		await workAll();
		await this.carriedOut(id);
	}
	/** Ends connections, in the midst of whatever they do. */
	private async cutOff() {
		let cut = 0;
		const knife = new pg.Client({ connectionString: process.env.DATABASE_URL });
		await knife.connect();
		for (let i = 0; i < 5; i++) {
			await new Promise((r) => setTimeout(r, this.chance.int(5, 300)));
			const { rows } = await knife.query<{ ended: boolean }>(
				`select pg_terminate_backend(pid) as ended from pg_stat_activity
				 where datname = current_database() and pid <> pg_backend_pid() and random() < 0.6`
			);
			cut += rows.filter((r) => r.ended).length;
		}
		await knife.end();
		// some are always there: the queue's own, and those of whoever saves
		expect(cut).toBeGreaterThan(0);
	}
	/** Works on all that waits, however often that breaks off. */
	private async workOnAndOn() {
		for (let i = 0; i < 50; i++)
			try {
				await workAll();
				const { rows } = await db().query<{ left: number }>(
					'select count(*)::int as left from graphile_worker.jobs where attempts < max_attempts'
				);
				if (!rows[0].left) return;
				// as a server does for one that died, and for what failed while the database was away
				await db()
					.query(`select graphile_worker.force_unlock_workers(array_agg(distinct locked_by)),
					graphile_worker.reschedule_jobs(array_agg(id), run_at => now()) from graphile_worker.jobs`);
			} catch (e) {
				if (!dbTrouble(e)) throw e;
			}
		throw new Error('What waits is never done.');
	}
	/** A bulk change and an import by two workers, while people save and one deletes. @param cut while connections break off */
	private async busy(cut = false) {
		const id = await this.looked(await this.someBulk());
		const begun = id && (await this.unlessRefused(() => beginBulk(this.t.author, id)));
		const customers = await numbersOf('customer');
		const rows = Array.from({ length: 15 }, () =>
			[
				`Walk ${this.drawn++}`,
				this.chance.of(['Retrofit', 'Service', 'New build']),
				this.chance.of(['Enquiry', 'Won', 'Lost', 'Survey']),
				this.chance.int(1, 9000),
				this.chance.of(customers),
				this.chance.of(['2026-01-01', '2027-02-03', ''])
			].join(';')
		);
		const head = 'Name;Kind;Stage;Amount;Customer;Close date';
		const { file, job } = await this.begun('deal', head, rows);
		const all = await this.submissions(8);
		const type = this.chance.of(TYPES);
		const gone = this.chance.of(await numbersOf(type));
		this.cutting = cut;
		// the queue says on the console what was cut off
		const said = cut ? vi.spyOn(console, 'trace').mockReturnValue() : null;
		const work = () => (cut ? this.unlessRefused(workAll) : workAll());
		await Promise.all([
			work(),
			work(),
			...(cut ? [this.cutOff()] : []),
			...all.map((s) => this.unlessRefused(() => save(this.sender(), [s]))),
			this.unlessRefused(() => remove(this.sender(), { type, id: gone })),
			this.model()
		]);
		await (cut ? this.workOnAndOn() : workAll());
		this.cutting = false;
		said?.mockRestore();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
		if (id && begun) this.bulks.push(id);
		// each row once, whoever was in the midst of it when
		const { rows: made } = await db().query<{ n: number }>(
			`select count(*)::int as n from record_change r join change c on c.id = r.change where c.job = $1 and r.made and r.type = 'deal'`,
			[job]
		);
		const came = await readRows(db(), file, { column: 'outcome', is: null, after: 0, most: 100 });
		expect(came).toHaveLength(rows.length);
		expect(made[0].n).toBe(came.filter((r) => r.outcome!.id !== null).length);
	}

	private async living() {
		const rows = own((await rowsAt(db(), this.t.workspace)).rows, TABLE)!;
		const [one, other] = [this.chance.of(rows), this.chance.of(rows)];
		const edit = this.chance.of([
			{ id: one.id, before: one.cells, after: null },
			{ id: one.id, before: one.cells, after: { ...one.cells, district: other.cells.district } },
			{
				id: `n_${randomUUID().slice(0, 8)}`,
				before: null,
				after: { ...one.cells, begins: String(this.chance.int(10, 99)) }
			}
		]);
		const asked = { edits: [edit], brings: this.chance.int(0, 1) === 1 };
		await this.unlessRefused(() =>
			editRows(this.t.admin, TABLE, checkRows(JSON.parse(JSON.stringify(asked))))
		);
	}

	/** The rules in force without one that computes. */
	private async altered(c: Db): Promise<RuleSet> {
		const { workspace } = this.t;
		const { release } = await inForce(c, workspace);
		const set = rulesOf((await readRelease(c, workspace, release))!);
		const formulas = set.rules.filter((r) => r.body.kind === 'formula');
		const out = this.chance.of(formulas);
		return { ...set, rules: set.rules.filter((r) => r !== out) };
	}
	/** What is of the walk's own: a field made, of another kind, unique, retired or taken out; an option made or retired. */
	private async model() {
		const change = (next: (m: Model) => Model) =>
			this.unlessRefused(() => changeModel(this.t.admin, next, MOST_LOST));
		const type = this.chance.of(TYPES);
		const kind = this.chance.of(KINDS);
		const does = this.chance.of(['made', 'kind', 'kind', 'unique', 'retired', 'gone', 'option']);
		await change((m) => {
			const { id: list, options } = this.chance.of(m.lists);
			if (does === 'option') {
				const last = options.at(-1)!;
				if (!last.label.startsWith(OWN)) return withNewOptions(m, list, [`${OWN} ${this.drawn++}`]);
				return withOption(m, list, last.id, { retired: !last.retired });
			}
			const { fields } = m.types.find((x) => x.id === type)!;
			const own = this.chance.mixed(fields.filter((f) => f.group === OWN));
			const to = kind.type === 'choice' ? { ...kind, list } : kind;
			if (does === 'made' || own.length < 2)
				return withNewField(m, type, { label: `${OWN} ${this.drawn++}`, group: OWN, ...to })[0];
			const [{ id, unique, retired }] = own;
			if (does === 'unique') {
				const yes = unique ? undefined : true;
				return withField(m, type, id, { key: yes, unique: yes });
			}
			if (does === 'retired')
				return withField(m, type, id, { retired: retired ? undefined : true });
			this.converted.add(`${type} ${id}`);
			return does === 'gone' ? withoutField(m, type, id) : retyped(type, id, to)(m);
		});
	}
	private async release() {
		const { workspace, admin } = this.t;
		await transaction(async (c) => {
			if (await pilotOn(c, workspace)) return;
			const { plan: before, release: n } = await inForce(c, workspace);
			const { model } = await readModel(c, workspace);
			const earlier = this.chance.int(0, 2) ? undefined : this.releases.pop();
			let set: RuleSet;
			if (earlier === undefined) {
				set = await this.altered(c);
				await createRelease(c, workspace, set, model, 'A walk', admin.id);
				this.releases.push(n);
			} else {
				set = rulesOf((await readRelease(c, workspace, earlier))!);
				await putInForce(c, workspace, earlier, admin.id);
			}
			const after = compilePlan(new Schema(model), await withLiving(c, workspace, set));
			expect(after.problems).toEqual([]);
			await queueLineOfRelease(c, workspace, before, after, admin.id);
		});
	}
	/** All that happened until now is too old to be kept. */
	private async forget() {
		const { workspace } = this.t;
		await this.countRoads();
		const some = this.chance.mixed(['messages', 'imports', 'jobs'] as const).slice(1);
		await forgetBeyond(
			db(),
			workspace,
			Object.fromEntries(['history', ...some].map((k) => [k, 0]))
		);
		// changes are told apart by milliseconds
		await new Promise((r) => setTimeout(r, 5));
	}
	/** How many changes came by each road that are not forgotten. */
	async countRoads() {
		const { rows } = await db().query<{ road: EntryPoint; n: number }>(
			`select entry_point as road, count(*)::int as n from change c join workspace w on w.id = c.workspace
			 where c.at >= coalesce(w.history_from, c.at) group by 1`
		);
		for (const { road, n } of rows) this.roads.set(road, (this.roads.get(road) ?? 0) + n);
	}
	private async pilot() {
		const { workspace, admin } = this.t;
		const on = await pilotOn(db(), workspace);
		const why = 'A walk';
		if (on) {
			const step = this.chance.of(['withdraw', 'take'] as const);
			await endOfPilot(admin, { step, pilot: on.id, why });
			return;
		}
		const release = await transaction(async (c) => {
			const { model } = await readModel(c, workspace);
			return createRelease(c, workspace, await this.altered(c), model, why, null, null, false);
		});
		const choice = this.chance.of([
			{ chosen: [], brought: { roads: ['api', 'import'] as const, accounts: null } },
			{
				chosen: [{ type: 'customer', condition: formula('customer', 'Headcount > 50') }],
				brought: null
			}
		]);
		await this.unlessRefused(() => startPilot(admin, { step: 'start', release, why, choice }));
	}
}

describe.each(SEEDS)('a walk of seed %i', (seed) => {
	let t: Fresh;
	beforeAll(async () => {
		t = await freshDatabase({ customers: 25, contacts: 25, leads: 25, deals: 40 });
		await db().query(`update hook set state = 'paused', types = null`);
		await workAll();
	});
	afterAll(() => t.drop());

	it('leaves values, history, who set what and what is told outside in step', async () => {
		const walk = new Walk(t, seed);
		let out = new Set(await lockedOtherwise(t.workspace));
		const snapshots: Snapshot[] = [];
		for (let n = 0; n < STEPS; n++) {
			const step = await walk.step();
			const now = await lockedOtherwise(t.workspace);
			const at = `step ${n}, ${step}`;
			if (!Walk.MOVES.includes(step))
				expect(
					now.filter((x) => !out.has(x)),
					at
				).toEqual([]);
			out = new Set(now);
			expect(await brokenHistory(t.workspace, walk.converted), at).toEqual([]);
			expect(await brokenEvents(t.workspace, walk.converted), at).toEqual([]);
			if (n % 10 === 0) snapshots.push(await snapshot(t.workspace));
		}
		const from = await historyFrom(db(), t.workspace);
		for (const s of snapshots)
			if (!from || s.at >= from)
				expect(await otherwiseThen(t.workspace, s, walk.converted)).toEqual([]);
		await walk.countRoads();
		for (const road of [...ROADS, 'bulk'] as const)
			expect(walk.roads.get(road), road).toBeGreaterThan(2);
		// and the standing list finds the same
		await queueLine(t.workspace, t.author.id);
		await workAll();
		const { plan } = await inForce(db(), t.workspace);
		const { rows } = await db().query<{ type: string; record: string; field: string }>(
			'select type, record::text, field from out_of_line where not by_hand'
		);
		const locked = rows.filter(({ type, field }) =>
			plan.nodes.some(
				(x) =>
					x.type === type &&
					x.field.id === field &&
					x.claims.some((c) => c.output.hold === 'locked')
			)
		);
		expect(locked.map((r) => `${r.type} ${r.record} ${r.field}`).sort()).toEqual([...out].sort());
	}, 600_000);
});
