/** Files imported as jobs: by whom, piece by piece, tried before, once, killed and stopped in between. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { workAll, workBeside } from '../../../tests/worker';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel } from '../../../tests/model';
import { formula } from '../../../demo/rules';
import { withField, type Rule } from '../../core';
import { BadInput } from '../../door';
import { readImport, readRows, sameFile, tallyRows } from '../db/imports';
import { beat, givenUp, queuePiece, readJob, stopJob, takeFromDead } from '../db/jobs';
import { db, transaction } from '../db/pool';
import { workOn } from '../jobs/work';
import { changePerson } from '../people/people';
import { queueRehearsal } from '../jobs/rehearsal';
import { createRelease, putInForce, readRelease, rulesOf } from '../db/rules';
import { newestOfDraft } from '../db/rehearsals';
import { inForce } from '../records';
import { BegunAlready, begin, takeIn } from './imports';
import type { Settings } from './rows';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
	for (const field of ['e_mail', 'phone', 'registered_name'])
		await changeModel(t.author, (m) => withField(m, 'customer', field, { key: true }));
});
afterAll(() => t.drop());

const take = (text: string | Buffer, type = 'customer', name = 'test.csv') =>
	takeIn(t.author, { type, name, content: Buffer.from(text) });
/** Whether a rule writes what the test below writes. */
const writes = (r: Rule) =>
	r.type === 'customer' && r.outputs.some((o) => o.field === 'registered_name');
const settingsOf = async (id: string, more: Partial<Settings> = {}) => ({
	...((await readImport(db(), id))!.settings as Settings),
	...more
});
async function imported(id: string, more: Partial<Settings> = {}) {
	const job = await begin(t.author, id, 'import', await settingsOf(id, more));
	await workAll();
	return { job: (await readJob(db(), job))!, rows: await rowsOf(id) };
}
const rowsOf = (id: string, column: 'outcome' | 'dry' = 'outcome') =>
	readRows(db(), id, { column, is: null, after: 0, most: 1e6 });
const count = async (type = 'customer') =>
	Number((await db().query<{ n: string }>(`select count(*) as n from r_${type}`)).rows[0].n);

describe('an import', () => {
	it('is carried out row by row, with what became of each', async () => {
		const id = await take('Trading name;Headcount;Note\nMüller;51;x\nGone;many;\n;;\n');
		const before = await count();
		const { job, rows } = await imported(id);
		expect(job).toMatchObject({ state: 'done', done: 3, of: 3, by: t.author.name, kind: 'import' });
		expect(job.result).toEqual({ created: 1, changed: 0, same: 0, refused: 2 });
		// history knows which job a change belongs to
		const { rowCount } = await db().query('select from change where job = $1', [job.id]);
		expect(rowCount).toBe(1);
		expect(rows.map((r) => r.outcome!.is)).toEqual(['created', 'refused', 'refused']);
		expect(rows[0].outcome!.changes).toContainEqual(
			expect.objectContaining({ field: 'size_class', to: 'medium', rule: expect.any(String) })
		);
		expect(rows[1].outcome!.faults[0].message).toContain('“many” is no number');
		expect(await count()).toBe(before + 1);
	});
	it('reads what sheets write: Windows-1252, UTF-16, options parted by commas', async () => {
		const id = await take(Buffer.from('Trading name;Crops\nKöhler;"Tomato, Pepper"\n', 'latin1'));
		expect((await readImport(db(), id))!.encoding).toBe('Windows-1252');
		const { rows } = await imported(id);
		expect(rows[0].outcome).toMatchObject({ is: 'created', faults: [] });
		const { rows: stored } = await db().query<{ n: string; c: string[] }>(
			'select f_trading_name as n, f_crops as c from r_customer where id = $1',
			[rows[0].outcome!.id]
		);
		expect(stored[0].n).toBe('Köhler');
		expect(stored[0].c).toHaveLength(2);
		await expect(take(Buffer.from([0x89, 0x50, 0, 0]))).rejects.toThrow('no text file in UTF-8');
	});
	it('knows a file that came before, and is begun once', async () => {
		const text = 'Trading name\nTwice\n';
		const a = await take(text);
		expect(await sameFile(db(), (await readImport(db(), a))!)).toEqual([]);
		await imported(a);
		const b = await take(text, 'customer', 'called otherwise.csv');
		expect((await sameFile(db(), (await readImport(db(), b))!)).map((x) => x.id)).toEqual([a]);
		// the same rows for another record type are another import
		expect(
			await sameFile(
				db(),
				(await readImport(db(), await take('Trading name\nTwice\n', 'lead').catch(() => b)))!
			)
		).toBeDefined();
		const settings = await settingsOf(b);
		const two = await Promise.allSettled([
			begin(t.author, b, 'import', settings),
			begin(t.author, b, 'import', settings)
		]);
		expect(two.filter((x) => x.status === 'fulfilled')).toHaveLength(1);
		expect(two.find((x) => x.status === 'rejected')).toMatchObject({
			reason: expect.any(BegunAlready)
		});
		await workAll();
	});
	it('refuses settings that cannot be, by name', async () => {
		const id = await take('Trading name,Headcount\nA,1\n');
		const bad = async (more: Partial<Settings>) =>
			begin(t.author, id, 'import', await settingsOf(id, more)).catch((e: unknown) => e);
		for (const [more, says] of [
			[{ columns: ['trading_name', 'trading_name'] }, 'Two columns are taken for Trading name'],
			[{ columns: ['trading_name', 'none'] }, '“Headcount” is taken for the field “none”'],
			[{ columns: ['', ''] }, 'No column is taken'],
			[{ columns: ['trading_name'] }, 'The file has 2 columns'],
			[{ keep: ['none'] }, 'no field “none” to keep'],
			[{ by: 'headcount' }, 'is no key of Customer'],
			[{ by: 'vat_number' }, 'no column is taken for it']
		] as const) {
			const e = await bad(more as Partial<Settings>);
			expect(e).toBeInstanceOf(BadInput);
			expect((e as Error).message).toContain(says);
		}
		await expect(take('')).rejects.toThrow('empty');
		await expect(take('Trading name\n')).rejects.toThrow('no rows');
		await expect(take('a\n"b')).rejects.toThrow('quotation marks');
	});
	it('finds records by a key: creates, changes, or both, the same key twice in one file too', async () => {
		const file =
			'Trading name,E-mail\nFirst,a@ferry.example\nSecond,b@ferry.example\nFirst again,A@Ferry.example\nNo phone,\n';
		const before = await count();
		const a = await imported(await take(file), { by: 'e_mail' });
		expect(a.rows.map((r) => r.outcome!.is)).toEqual(['created', 'created', 'changed', 'created']);
		expect(a.rows[2].outcome!.id).toBe(a.rows[0].outcome!.id);
		expect(await count()).toBe(before + 3);
		const again = await imported(await take(file.replace('First,', 'Once more,')), {
			by: 'e_mail',
			mode: 'create'
		});
		expect(again.rows.map((r) => r.outcome!.faults[0]?.message ?? 'in')).toEqual([
			expect.stringContaining('There is a customer with E-mail'),
			expect.stringContaining('There is a customer with E-mail'),
			expect.stringContaining('There is a customer with E-mail'),
			'in'
		]);
		const change = await imported(
			await take('Trading name,E-mail\nX,b@ferry.example\nY,none@ferry.example\nZ,\n'),
			{
				by: 'e_mail',
				mode: 'change'
			}
		);
		expect(change.rows.map((r) => r.outcome!.faults[0]?.message ?? r.outcome!.is)).toEqual([
			'changed',
			expect.stringContaining('No customer has E-mail'),
			expect.stringContaining('is blank')
		]);
	});
	it('finds them by what rules make of the key: cleaned, twice in one file, tried and carried out alike', async () => {
		const { release, schema } = await inForce(db(), t.workspace);
		const doc = (await readRelease(db(), t.workspace, release))!;
		const clean: Rule = {
			id: 'clean_remark',
			type: 'customer',
			kind: 'derive',
			name: 'Location number without spaces',
			why: 'A test',
			moments: ['created', 'changed', 'request'],
			entryPoints: null,
			watch: null,
			entering: false,
			guard: null,
			outputs: [{ id: 'o1', field: 'registered_name', hold: 'locked', none: 'next' }],
			body: {
				kind: 'formula',
				formulas: [formula('customer', 'upper case(replace(Registered name, " ", ""))')]
			}
		};
		const before = rulesOf(doc);
		const set = { ...before, rules: [...before.rules.filter((r) => !writes(r)), clean] };
		await transaction((c) =>
			createRelease(c, t.workspace, set, schema.model, 'A test', t.admin.id)
		);
		const file =
			'Trading name,Registered name\nFirst,ferry bv 1\nSecond,FERRYBV2\nFirst again,Ferry BV 1\nOther,\n';
		const id = await take(file);
		await begin(t.author, id, 'dry run', await settingsOf(id, { by: 'registered_name' }));
		await workAll();
		const tried = await rowsOf(id, 'dry');
		const { rows } = await imported(id, { by: 'registered_name' });
		for (const of of [tried, rows])
			expect(of.map((r) => r.outcome!.is)).toEqual(['created', 'created', 'changed', 'created']);
		expect(rows[2].outcome!.id).toBe(rows[0].outcome!.id);
		const again = await imported(await take(file), { by: 'registered_name', mode: 'change' });
		expect(again.rows.map((r) => r.outcome!.faults[0]?.message ?? 'in')).toEqual([
			'in',
			'in',
			'in',
			expect.stringContaining('is blank')
		]);
		await transaction((c) => putInForce(c, t.workspace, release, t.admin.id));
	});
	it('of rows to mend comes back as it went out, formulas kept from running', async () => {
		const id = await take("Trading name,Headcount\n'=1+1,many\n'-x,7\n");
		const { rows } = await imported(id);
		expect(rows.map((r) => r.outcome!.is)).toEqual(['refused', 'created']);
		const { rows: stored } = await db().query<{ n: string }>(
			'select f_trading_name as n from r_customer where id = $1',
			[rows[1].outcome!.id]
		);
		expect(stored[0].n).toBe('-x');
	});
});

describe('trying an import', () => {
	it('says what each row would do after those before it, as carrying it out does, and stores nothing', async () => {
		const text = `Trading name,Headcount,Phone\n${Array.from({ length: 450 }, (_, i) => `Tried ${i},${i % 7 ? i : 'many'},+31 77 ${i % 400}`).join('\n')}\n`;
		const id = await take(text);
		const before = [await count(), await count('deal')];
		const changes = await db().query('select count(*) from change');
		const job = await begin(t.author, id, 'dry run', await settingsOf(id, { by: 'phone' }));
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done', done: 450, of: 450 });
		expect([await count(), await count('deal')]).toEqual(before);
		expect((await db().query('select count(*) from change')).rows).toEqual(changes.rows);
		const tried = await rowsOf(id, 'dry');
		const { rows } = await imported(id, { by: 'phone' });
		const said = (r: (typeof rows)[number]) => ({
			is: r.outcome?.is,
			faults: r.outcome?.faults,
			changes: r.outcome?.changes
		});
		expect(tried.map(said)).toEqual(rows.map(said));
		expect(tried.some((r) => r.outcome!.is === 'changed')).toBe(true);
	}, 60_000);
	it('may be done again after it was told otherwise, and not while it runs or was begun', async () => {
		const id = await take('Trading name,Headcount\nA,51\n');
		await begin(t.author, id, 'dry run', await settingsOf(id));
		await expect(begin(t.author, id, 'import', await settingsOf(id))).rejects.toThrow(
			'tried just now'
		);
		await workAll();
		await begin(t.author, id, 'dry run', await settingsOf(id, { columns: ['trading_name', ''] }));
		await workAll();
		expect((await tallyRows(db(), id, 'dry')).created).toBe(1);
		await imported(id);
		await expect(begin(t.author, id, 'dry run', await settingsOf(id))).rejects.toThrow(
			BegunAlready
		);
	});
});

describe('a job', () => {
	const long = (n: number, name: string) =>
		take(`Trading name\n${Array.from({ length: n }, (_, i) => `${name} ${i}`).join('\n')}\n`);
	const stored = async (name: string) =>
		(
			await db().query<{ n: string }>(
				'select f_trading_name as n from r_customer where f_trading_name like $1',
				[`${name} %`]
			)
		).rows.map((r) => r.n);
	it('is stopped between two pieces: what is in stays, and is told', async () => {
		const id = await long(1000, 'Stopped');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		await workOn({ job });
		await stopJob(db(), t.workspace, job);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'cancelled', done: 200 });
		expect(await stored('Stopped')).toHaveLength(200);
		// one that has ended is not stopped once more, and one that waits is cancelled at once
		expect(await stopJob(db(), t.workspace, job)).toBeNull();
		const other = await long(3, 'Never');
		const waiting = await begin(t.author, other, 'import', await settingsOf(other));
		expect(await stopJob(db(), t.workspace, waiting)).toMatchObject({ state: 'cancelled' });
		await workAll();
		expect(await stored('Never')).toEqual([]);
	});
	it('done by several workers at once is done once', async () => {
		const id = await long(900, 'Several');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		// the queue gives a piece to one; that of a worker taken for dead goes to another as well
		await Promise.all([workOn({ job }), workOn({ job }), workOn({ job })]);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
		const names = await stored('Several');
		expect([names.length, new Set(names).size]).toEqual([900, 900]);
	}, 60_000);
	it('of a worker that died is given to another, soon', async () => {
		const id = await long(300, 'Taken over');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		// as it is when a process is killed: the piece is locked, and nobody says anything any more
		await db().query(
			"update graphile_worker._private_jobs set locked_at = now(), locked_by = 'dead-1' where key = $1",
			[job]
		);
		await beat(db(), ['dead-1']);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'waiting' });
		expect(await takeFromDead(db())).toBe(0);
		await db().query("update worker set heard_at = now() - interval '1 minute'");
		expect(await takeFromDead(db())).toBe(1);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
	});
	it('of a worker that died once its piece was stored leaves nothing in the queue', async () => {
		const id = await long(3, 'Stored already');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		await db().query(
			"update graphile_worker._private_jobs set locked_at = now(), locked_by = 'dead-2' where key = $1",
			[job]
		);
		// what it did and the piece after it are stored together
		await queuePiece(db(), job);
		const left = async () =>
			(await db().query<{ key: string | null }>('select key from graphile_worker.jobs order by id'))
				.rows;
		expect(await left()).toEqual([{ key: null }, { key: job }]);
		await beat(db(), ['dead-2']);
		await db().query("update worker set heard_at = now() - interval '1 minute'");
		expect(await takeFromDead(db())).toBe(1);
		expect(await left()).toEqual([{ key: job }]);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
		expect(await left()).toEqual([]);
	});
	it('of a worker that died before its first sign of life too', async () => {
		const id = await long(3, 'Never heard of');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		const locked = (ago: string) =>
			db().query(
				`update graphile_worker._private_jobs set locked_at = now() - $2::interval, locked_by = 'silent-1' where key = $1`,
				[job, ago]
			);
		await locked('5 seconds');
		expect(await takeFromDead(db())).toBe(0);
		await locked('13 seconds');
		expect(await takeFromDead(db())).toBe(1);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
	});
	it('that the queue has given up is told as failed, never running for ever', async () => {
		const id = await long(3, 'Lost');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		await db().query('delete from graphile_worker._private_jobs where key = $1', [job]);
		expect(await givenUp(db())).toEqual([]);
		await db().query("update job set queued_at = now() - interval '2 minutes' where id = $1", [
			job
		]);
		expect(await givenUp(db())).toEqual([{ id: job, message: 'It is no longer in the queue.' }]);
	});
	it('that can no longer be carried out says by name why not', async () => {
		const failing = async (spoil: (id: string) => Promise<unknown>) => {
			const id = await long(3, 'Failed');
			const job = await begin(t.author, id, 'import', await settingsOf(id));
			await spoil(id);
			await workAll();
			const j = (await readJob(db(), job))!;
			expect(j.state).toBe('failed');
			return j.message;
		};
		expect(
			await failing((id) => db().query("update import set type = 'gone' where id = $1", [id]))
		).toBe('The record type “gone” is no longer there.');
		expect(
			await failing((id) =>
				db().query(
					`update import set settings = jsonb_set(settings, '{columns}', '["taken_out"]') where id = $1`,
					[id]
				)
			)
		).toMatch(
			/^The column “.+” is taken for the field “taken_out”, which Customer does not have or has no more\.$/
		);
		// whoever began it may no longer do so: neither may what they began
		expect(await failing(() => changePerson(t.admin, t.author.id, { role: 'reader' }))).toBe(
			`${t.author.name} may no longer import.`
		);
		await changePerson(t.admin, t.author.id, { role: 'author' });
		expect(await stored('Failed')).toEqual([]);
	});
	it('that fails otherwise tells nothing of the inside', async () => {
		const id = await long(3, 'Broken');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		await db().query("update import set settings = '7' where id = $1", [id]);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({
			state: 'failed',
			message: `Something went wrong here; the log has it under job ${job}.`
		});
	});
	it('of the queue itself runs in a runner as the server has it', async () => {
		const id = await long(450, 'Runner');
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		const runner = await workBeside();
		for (let i = 0; i < 200 && !(await readJob(db(), job))!.ended; i++)
			await new Promise((r) => setTimeout(r, 50));
		await runner.stop();
		expect(await stored('Runner')).toHaveLength(450);
	});
});

describe('a rehearsal', () => {
	it('is one job for whoever asks meanwhile, and keeps its result with the draft', async () => {
		const [a, b] = await Promise.all([queueRehearsal(t.author), queueRehearsal(t.admin)]);
		expect(a).toBe(b);
		await workAll();
		const job = (await readJob(db(), a))!;
		expect(job).toMatchObject({ state: 'done', kind: 'rehearsal' });
		expect(job.result).toMatchObject({ looked: expect.any(Number) });
		expect(await newestOfDraft(db(), t.workspace, 'records')).toMatchObject({
			id: a,
			hash: expect.stringMatching(/^[0-9a-f]{64}$/)
		});
		expect(await queueRehearsal(t.author)).not.toBe(a);
		await workAll();
	});
});
