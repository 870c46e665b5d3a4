/** Living tables in PostgreSQL: rows edited by several, in force at once, kept for each edit, and followed by the records. */
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { randomUUID } from 'node:crypto';
import type { JsonValue, RowEdit } from '../../core';
import { editedRows, stepped, type LivingRow } from '../../core';
import { checkRows, checkRowsSent } from '../../door/living';
import { checkLineStep } from '../../door/line';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workAll } from '../../../tests/worker';
import { readEntries } from '../db/audit';
import { readJob } from '../db/jobs';
import { betweenChanges } from '../db/between';
import {
	editedBy,
	lastEdit,
	lastMarks,
	listEdits,
	readEdit,
	rowsAfter,
	rowsAt,
	storeEdit
} from '../db/living';
import { db, transaction } from '../db/pool';
import { newestOfDraft, readRehearsal } from '../db/rehearsals';
import {
	createRelease,
	putInForce,
	readDraft,
	readRelease,
	releaseInForce,
	rulesOf
} from '../db/rules';
import { readModel } from '../db/model';
import { forgetBeyond } from '../db/retention';
import { rowsToSend } from './sent';
import { editDraft } from '../draft/edit';
import { queueRehearsal } from '../jobs/rehearsal';
import { lineShown, lineStep } from '../line/line';
import { RefusedChange, inForce, save } from '../records';
import type { Account } from '../people/accounts';
import {
	NotTheirTable,
	editRows,
	editRowsByKey,
	lookAtRows,
	mayEditRows,
	readTable,
	sayEditors,
	takeRowsBack
} from './living';

let t: Fresh;
const TABLE = 'district_postcodes';
const EDITED = { id: TABLE, label: 'District postcodes' };
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const sender = (entryPoint: 'full' | 'import' = 'full') => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint,
	instant: Date.now()
});
const change = (id: string | null, values: Record<string, JsonValue>, more: object = {}) =>
	save(sender(), [{ type: 'customer', id, keep: [], sent: Object.entries(values), ...more }]).then(
		(r) => r[0]
	);
const districtOf = async (id: string) =>
	(
		await db().query<{ d: string | null }>(
			'select f_service_district::text as d from r_customer where id = $1',
			[id]
		)
	).rows[0].d;
const rows = async () => (await rowsAt(db(), t.workspace)).rows[TABLE];
/** What tells the last edit of the table. */
const markNow = async () =>
	(await lastMarks(db(), t.workspace, [TABLE], (await lastEdit(db(), t.workspace)).number))[TABLE];
const row = async (country: string, begins: string) =>
	(await rows()).find((r) => r.cells.country === country && r.cells.begins === begins)!;
const fresh = (cells: LivingRow['cells'], id = `n_${randomUUID().slice(0, 8)}`): RowEdit => ({
	id,
	before: null,
	after: cells
});
const put = async (edits: RowEdit[], more: object = {}, by: Account = t.admin) => {
	const done = await editRows(by, TABLE, checkRows({ edits, brings: false, ...more }));
	if ('overtaken' in done) throw new Error(`overtaken: ${JSON.stringify(done.overtaken)}`);
	return done.number;
};
const to = (r: LivingRow, cells: LivingRow['cells']): RowEdit => ({
	id: r.id,
	before: r.cells,
	after: { ...r.cells, ...cells }
});
let serial = 0;
/** A customer whose postal code begins so, in Poland. */
const customer = async (postal_code: string) =>
	(await change(null, { trading_name: `Living ${++serial}`, country: 'poland', postal_code })).id;

describe('an edit of rows', () => {
	it('is in force at once, for whatever is saved from then on, and history knows by which rows', async () => {
		const before = await customer('77-001');
		const number = await put([fresh({ country: 'poland', begins: '77', district: '1' })], {
			why: 'The coast is driven to from the north'
		});
		expect(number).toBe(2);
		const after = await customer('77-002');
		expect(await districtOf(after)).toBe('1');
		expect(await districtOf(before)).not.toBe('1');
		const { rows: changes } = await db().query<{ living: number | null }>(
			'select living from change order by id desc limit 2'
		);
		expect(changes.map((c) => c.living)).toEqual([2, 1]);
		// what always equals its rule does so at the next change of the record, whatever that is about
		await change(before, { phone: '+48 22 794 0311' });
		expect(await districtOf(before)).toBe('1');
	});

	it('is kept with who, when, why and what, and told in the audit', async () => {
		const [edit] = await listEdits(db(), t.workspace, TABLE, 1);
		expect(edit).toMatchObject({
			number: 2,
			label: 'District postcodes',
			by: t.admin.name,
			why: 'The coast is driven to from the north',
			added: 1,
			changed: 0,
			removed: 0,
			release: null,
			undoneBy: null
		});
		expect(await editedBy(db(), t.workspace, TABLE, 2)).toMatchObject([
			{ before: null, after: { begins: '77' } }
		]);
		const [told] = await readEntries(
			db(),
			t.workspace,
			{ deeds: ['edited rows of a table'], find: '', from: null, to: null },
			{ most: 1 }
		);
		expect(told).toMatchObject({ who: t.admin.name, object: 'District postcodes' });
		expect(told.detail).toMatchObject({ edit: 2, added: 1 });
	});

	it('is for those it was given to, and for administrators', async () => {
		const edits = [fresh({ country: 'poland', begins: '78', district: '1' })];
		await expect(put(edits, {}, t.author)).rejects.toThrow(NotTheirTable);
		// the reader of the demo keeps this table, and no other
		expect(await mayEditRows(db(), t.reader, TABLE)).toBe(true);
		expect(await mayEditRows(db(), t.reader, 'country_desk')).toBe(false);
		expect(await put(edits, {}, t.reader)).toBe(3);
		// of two who say so at the same moment neither takes back what the other said
		await Promise.all([
			sayEditors(t.admin, EDITED, { add: [t.author.id], remove: [] }),
			sayEditors(t.admin, EDITED, { add: [], remove: [t.reader.id] })
		]);
		await expect(
			put([to(await row('poland', '78'), { district: '2' })], {}, t.reader)
		).rejects.toThrow(NotTheirTable);
		await put([to(await row('poland', '78'), { district: '2' })], {}, t.author);
		await sayEditors(t.admin, EDITED, { add: [t.reader.id], remove: [t.author.id] });
		await expect(sayEditors(t.admin, EDITED, { add: ['999999'], remove: [] })).rejects.toThrow(
			'not among the people'
		);
	});

	it.each<[string, LivingRow['cells'], string]>([
		['an option that is none', { country: 'atlantis', begins: '1' }, 'Country'],
		[
			'a record that is not there',
			{ country: 'poland', begins: '1', district: '999999' },
			'no service district with number 999999'
		],
		[
			'a column that is none',
			{ country: 'poland', begins: '1', colour: 'red' },
			'no column “colour”'
		],
		['a value of another type', { country: 'poland', begins: ['a'] }, 'Postal code begins']
	])('with %s is refused and names the row', async (_, cells, message) => {
		const at = await lastEdit(db(), t.workspace);
		await expect(put([fresh(cells)])).rejects.toThrow(message);
		expect(await lastEdit(db(), t.workspace)).toEqual(at);
	});

	it('of a table whose rows are released is refused', async () => {
		const asked = checkRows({ edits: [fresh({ country: 'poland' })], brings: false });
		await expect(editRows(t.admin, 'country_desk', asked)).rejects.toThrow('part of the draft');
		await expect(editRows(t.admin, 'no_such', asked)).rejects.toThrow('no such table');
		// and the draft may not bring rows of one that is edited in force
		const { set } = await readDraft(db(), t.workspace);
		const table = set.tables!.find((x) => x.id === TABLE)!;
		expect(table.rows).toEqual([]);
		await expect(
			transaction((c) =>
				editDraft(c, t.admin, [
					{ path: ['tables', TABLE, 'rows'], before: [], after: [['poland', '1', '1']] } as never
				])
			)
		).rejects.toThrow('edit them there');
	});
});

describe('what is in force', () => {
	it('is read anew for an edit of rows as far as that goes: its release and model are the same objects', async () => {
		const force = () => inForce(db(), t.workspace);
		const before = await force();
		await put([fresh({ country: 'poland', begins: '66', district: '2' })]);
		const after = await force();
		expect(after.living).toBe(before.living + 1);
		expect(after.schema).toBe(before.schema);
		const table = (f: typeof before) => f.plan.schema.tables.get(TABLE)!;
		expect(table(after).columns).toBe(table(before).columns);
		expect(table(after).rows.length).toBe(table(before).rows.length + 1);
		// a row that stands as it did is the same one, by which an index knows it
		expect(table(after).rows[3]).toBe(table(before).rows[3]);
		expect(await districtOf(await customer('66-001'))).toBe('2');
	});
});

describe('two at once', () => {
	it('the second is told who was first, and nothing of theirs is stored; rows that nobody met go through', async () => {
		const mine = await row('poland', '1');
		const other = await row('poland', '2');
		await put([to(mine, { district: '1' })], {}, t.reader);
		const done = await editRows(
			t.admin,
			TABLE,
			checkRows({
				edits: [to(mine, { district: '2' }), to(other, { district: '2' })],
				brings: false
			})
		);
		expect(done).toEqual({
			overtaken: [
				{
					id: mine.id,
					stands: { ...mine.cells, district: '1' },
					by: t.reader.name,
					at: expect.stringMatching(/^20/) as string
				}
			]
		});
		expect(await row('poland', '2')).toEqual(other);
		await put([to(other, { district: '2' })]);
		// a row that was taken away cannot be edited either
		const now = await row('poland', '1');
		await put([{ id: now.id, before: now.cells, after: null }]);
		expect(
			await editRows(
				t.admin,
				TABLE,
				checkRows({ edits: [to(now, { district: '3' })], brings: false })
			)
		).toMatchObject({
			overtaken: [{ id: now.id, stands: null, by: t.admin.name }]
		});
	});

	it('many edits beside many changes: each change has the rows of one edit', async () => {
		const r = await row('poland', '3');
		const numbers = new Map<number, string>();
		const editing = (async () => {
			for (let i = 0; i < 12; i++) {
				const district = String(1 + (i % 3));
				numbers.set(await put([to(await row('poland', '3'), { district })]), district);
			}
		})();
		const saving = Promise.all(
			Array.from({ length: 4 }, async () => {
				const out: string[] = [];
				for (let i = 0; i < 10; i++) out.push(await customer('30-001'));
				return out;
			})
		);
		const [, made] = await Promise.all([editing, saving]);
		for (const id of made.flat()) {
			const { rows: by } = await db().query<{ living: number }>(
				`select c.living from record_change h join change c on c.id = h.change where h.type = 'customer' and h.record = $1`,
				[id]
			);
			const district = numbers.get(by[0].living) ?? r.cells.district;
			expect(await districtOf(id)).toBe(district);
		}
	}, 60_000);

	it('an edit waits for changes that are under way', async () => {
		const order: string[] = [];
		let go!: () => void;
		const held = new Promise<void>((done) => (go = done));
		let begun!: () => void;
		const under = new Promise<void>((done) => (begun = done));
		const slow = save(
			{
				...sender(),
				around: {
					before: () => Promise.resolve(),
					after: async () => {
						begun();
						await held;
						order.push('change');
					}
				}
			},
			[{ type: 'customer', id: null, keep: [], sent: [['trading_name', 'Slow']] }]
		);
		await under;
		const edit = put([fresh({ country: 'poland', begins: '88', district: '1' })]).then(() =>
			order.push('edit')
		);
		await new Promise((r) => setTimeout(r, 200));
		expect(order).toEqual([]);
		go();
		await Promise.all([slow, edit]);
		expect(order).toEqual(['change', 'edit']);
	});
});

describe('the rows after any edit', () => {
	it('are those of the edits one after the other, read at once or by difference', async () => {
		const seen = new Map<number, readonly LivingRow[]>();
		const note = async () => seen.set((await lastEdit(db(), t.workspace)).number, await rows());
		/** What a page has that is told steps: it asks now and then. */
		let had = { mark: '', rows: [] as readonly LivingRow[] };
		const step = async () => {
			const mark = await markNow();
			const told = (await rowsAfter(db(), t.workspace, TABLE, mark, had.mark))!;
			had = { mark, rows: 'put' in told ? stepped(had.rows, told) : told };
			expect(had.rows).toEqual(await rows());
		};
		await step();
		await note();
		await fc.assert(
			fc.asyncProperty(
				fc.array(fc.tuple(fc.nat(9), fc.constantFrom('1', '2', '3', null)), {
					minLength: 1,
					maxLength: 4
				}),
				async (steps) => {
					const had = await rows();
					const edits = new Map<string, RowEdit>();
					for (const [at, district] of steps) {
						const r = had[had.length - 1 - at];
						const one =
							district === null
								? { id: r.id, before: r.cells, after: null }
								: at === 0
									? fresh({ country: 'france', begins: `9${Math.random()}`.slice(0, 8), district })
									: to(r, { district });
						edits.set(one.id, one);
					}
					const all = [...edits.values()];
					const { rows: next } = editedRows(had, all);
					await put(all);
					expect(await rows()).toEqual(
						next.map((r) => ({ ...r, place: expect.any(Number) as number }))
					);
					await note();
					if (steps.length > 1) await step();
				}
			),
			{ numRuns: 25 }
		);
		for (const [number, stood] of seen)
			expect((await rowsAt(db(), t.workspace, number)).rows[TABLE]).toEqual(stood);
	}, 60_000);

	it('are told by what tells the last edit of the table, also when it is not the last any more', async () => {
		const before = { mark: await markNow(), rows: await rows() };
		expect(await rowsAfter(db(), t.workspace, TABLE, before.mark)).toBe(before.rows);
		await put([fresh({ country: 'poland', begins: '94', district: '1' })]);
		expect(await markNow()).not.toBe(before.mark);
		expect(await rowsAfter(db(), t.workspace, TABLE, await markNow())).toEqual(await rows());
		expect(await rowsAfter(db(), t.workspace, TABLE, before.mark)).toEqual(before.rows);
		// a row more is told alone; from what is no edit of the table, or a later one, all are told
		const { number } = await lastEdit(db(), t.workspace);
		expect(await rowsAfter(db(), t.workspace, TABLE, await markNow(), before.mark)).toMatchObject({
			gone: [],
			put: [{ at: before.rows.length, row: { cells: { begins: '94' } } }]
		});
		for (const since of ['', randomUUID()])
			expect(await rowsAfter(db(), t.workspace, TABLE, await markNow(), since)).toEqual(
				await rows()
			);
		expect(await rowsAfter(db(), t.workspace, TABLE, before.mark, await markNow())).toEqual(
			before.rows
		);
		await takeRowsBack(t.admin, TABLE, number, false);
		expect(await rowsAfter(db(), t.workspace, TABLE, await markNow(), before.mark)).toMatchObject({
			gone: [expect.any(String)],
			put: []
		});
		for (const odd of ['', 'x', randomUUID()])
			expect(await rowsAfter(db(), t.workspace, TABLE, odd)).toBe(null);
		expect(await rowsAfter(db(), t.workspace, 'country_desk', before.mark)).toBe(null);
	});

	it('come with each page where they are few, and by their mark where they are many', async () => {
		const few = await rowsToSend(db(), t.workspace);
		expect(few.large).toEqual({});
		expect(few.rows[TABLE]).toEqual((await rows()).map(({ id, cells }) => ({ id, cells })));
		const stored = (edits: readonly RowEdit[]) =>
			transaction(async (c) => {
				await betweenChanges(c, t.workspace);
				const { label } = (await readEdit(c, t.workspace, few.number))!;
				return storeEdit(c, t.workspace, { table: TABLE, label, account: null, edits });
			});
		const edits = Array.from({ length: 1000 }, (_, i) =>
			fresh({ country: 'poland', begins: `95-${i}`, district: '1' })
		);
		const number = await stored(edits);
		const many = await rowsToSend(db(), t.workspace);
		expect(many).toMatchObject({ number, rows: {} });
		expect(many.rows).not.toHaveProperty(TABLE);
		expect(await rowsAfter(db(), t.workspace, TABLE, many.large[TABLE])).toEqual(await rows());
		await stored(edits.map(({ id, after }) => ({ id, before: after, after: null })));
		expect((await rowsToSend(db(), t.workspace)).rows[TABLE]).toEqual(few.rows[TABLE]);
	});

	it('of an edit that came to nothing are kept by nobody', async () => {
		const before = await rows();
		const { number } = await lastEdit(db(), t.workspace);
		const doomed = transaction(async (c) => {
			await betweenChanges(c, t.workspace);
			const edits = [fresh({ country: 'poland', begins: '90', district: '1' })];
			expect(
				await storeEdit(c, t.workspace, { table: TABLE, label: '', account: null, edits })
			).toBe(number + 1);
			// it is read in the transaction itself, which then fails
			expect((await rowsAt(c, t.workspace)).rows[TABLE]).toHaveLength(before.length + 1);
			await inForce(c, t.workspace);
			throw new Error('no');
		});
		await expect(doomed).rejects.toThrow('no');
		expect(await rows()).toEqual(before);
		expect(await put([fresh({ country: 'poland', begins: '91', district: '2' })])).toBe(number + 1);
		const id = await customer('91-000');
		expect(await districtOf(id)).toBe('2');
		expect((await rows()).some((r) => r.cells.begins === '90')).toBe(false);
	});
});

describe('the records', () => {
	const lined = async (is: 'open' | 'left' = 'open') => {
		const out = [];
		for (let after: string | null = '0'; after !== null;) {
			const asked = { type: 'customer', field: 'service_district', is };
			const page: Awaited<ReturnType<typeof lineShown>> = await lineShown(
				t.workspace,
				asked,
				after
			);
			out.push(...page.rows);
			after = page.next;
		}
		return out;
	};

	it('that an edit concerns are found; one is left with a reason, the others are brought in', async () => {
		await workAll();
		const ids = [await customer('60-001'), await customer('60-002'), await customer('60-003')];
		const number = await put([fresh({ country: 'poland', begins: '60', district: '9' })]);
		await workAll();
		const edit = (await readEdit(db(), t.workspace, number))!;
		expect(edit).toMatchObject({ looked: 'done', bulks: [] });
		const found = (await lined()).filter((r) => ids.includes(r.record));
		expect(found.map((r) => [r.record, r.result])).toEqual(ids.map((id) => [id, '9']));
		const { rows: marked } = await db().query<{ record: string }>(
			`select record::text from out_of_line where edit = $1 and field = 'service_district' order by record`,
			[number]
		);
		expect(marked.map((r) => r.record)).toEqual(ids);
		await lineStep(
			t.author,
			checkLineStep({
				step: 'leave',
				type: 'customer',
				field: 'service_district',
				is: 'open',
				ids: [ids[1]],
				why: 'Has always been driven to from Gdańsk.'
			})
		);
		expect((await lined('left')).map((r) => r.record)).toEqual([ids[1]]);
		// another edit that makes the same of them brings what it concerns, and nothing that was left
		const again = await put([to(await row('poland', '60'), { begins: '600' })], { brings: true });
		await workAll();
		expect(await readEdit(db(), t.workspace, again)).toMatchObject({ looked: 'done' });
		expect(await districtOf(ids[1])).not.toBe('9');
	});

	it('follow where whoever edits asks for it, a reader too, once, and are taken back like any bulk change', async () => {
		const ids = [await customer('61-001'), await customer('61-002')];
		const was = await districtOf(ids[0]);
		const number = await put(
			[fresh({ country: 'poland', begins: '61', district: '10' })],
			{ brings: true },
			t.reader
		);
		await workAll();
		const edit = (await readEdit(db(), t.workspace, number))!;
		expect(edit).toMatchObject({
			open: 0,
			bulks: expect.arrayContaining([
				expect.objectContaining({ field: 'service_district', state: 'done', n: 2 })
			]) as unknown
		});
		const many = edit.bulks.length;
		for (const id of ids) expect(await districtOf(id)).toBe('10');
		const { rows: by } = await db().query<{ account: string; entry_point: string }>(
			`select c.account::text, c.entry_point from record_change h join change c on c.id = h.change
			 where h.type = 'customer' and h.record = $1 order by c.id desc limit 1`,
			[ids[0]]
		);
		expect(by[0]).toEqual({ account: t.reader.id, entry_point: 'bulk' });
		// the queue gives its pieces once more, as after a kill
		await db().query(`update job set state = state where id = $1`, [edit.look]);
		await workAll();
		expect((await readEdit(db(), t.workspace, number))!.bulks).toHaveLength(many);
		// taken back, the records follow again
		const back = await takeRowsBack(t.reader, TABLE, number, true);
		expect(back).toEqual({ number: number + 1 });
		await workAll();
		for (const id of ids) expect(await districtOf(id)).toBe(was);
		await expect(takeRowsBack(t.reader, TABLE, number, true)).rejects.toThrow('already');
		expect(await readEdit(db(), t.workspace, number + 1)).toMatchObject({ undoes: number });
	});

	it('an edit whose rows somebody edited since is not taken back, and says whose they are', async () => {
		const r = await row('netherlands', '4');
		const number = await put([to(r, { district: '5' })], {}, t.reader);
		const now = await row('netherlands', '4');
		await put([to(now, { district: '6' })]);
		expect(await takeRowsBack(t.reader, TABLE, number, false)).toMatchObject({
			overtaken: [{ id: r.id, by: t.admin.name }]
		});
		expect((await row('netherlands', '4')).cells.district).toBe('6');
	});

	it('are looked at first where many rows are edited: as they stand, and by nobody else’s look', async () => {
		const id = await customer('55-123');
		const edits = Array.from({ length: 30 }, (_, i) =>
			fresh({ country: 'poland', begins: `55-1${String(i).padStart(2, '0')}`, district: '9' })
		);
		await expect(put(edits)).rejects.toThrow('Look first');
		const look = await lookAtRows(t.reader, TABLE, edits);
		await workAll();
		expect(await readJob(db(), look)).toMatchObject({ state: 'done', message: null });
		const { result, rows: about } = (await readRehearsal(db(), t.workspace, look))!;
		expect(about).toMatchObject({ table: TABLE, edits: 30 });
		expect(result.fields.find((f) => f.field === 'service_district')).toMatchObject({ count: 1 });
		expect(await districtOf(id)).not.toBe('9');
		// of another edit than the one that was looked at
		await expect(put(edits.slice(1), { look })).rejects.toThrow('Look first');
		await put(edits, { look });
		expect(await districtOf(await customer('55-129'))).toBe('9');
	});

	it('a form that ran other rows is told what comes out otherwise before anything is saved', async () => {
		const id = await customer('50-001');
		const { number } = await lastEdit(db(), t.workspace);
		const { rows: v } = await db().query<{ version: number }>(
			'select version from r_customer where id = $1',
			[id]
		);
		const release = await releaseInForce(db(), t.workspace);
		await put([fresh({ country: 'poland', begins: '50', district: '7' })]);
		const saved = (living: number) =>
			change(
				id,
				{ postal_code: '50-002' },
				{ keep: 'touched', release, living, version: v[0].version }
			);
		const refused = await saved(number).catch((e: unknown) => e);
		expect(refused).toBeInstanceOf(RefusedChange);
		expect(refused).toMatchObject({
			status: 409,
			otherwise: {
				living: number + 1,
				differences: expect.arrayContaining([
					expect.objectContaining({ field: 'service_district', now: '7' })
				]) as unknown
			}
		});
		await saved(number + 1);
		expect(await districtOf(id)).toBe('7');
	});
});

describe('a rehearsal', () => {
	it('of the draft says of which tables rows were edited since it began, until it is made again', async () => {
		await workAll();
		await queueRehearsal(t.admin);
		await workAll();
		const since = async () => (await newestOfDraft(db(), t.workspace, 'records'))!.rowsSince;
		expect(await since()).toEqual([]);
		const number = await put([fresh({ country: 'poland', begins: '93', district: '2' })]);
		expect(await since()).toEqual(['District postcodes']);
		// what was taken back was an edit too
		await takeRowsBack(t.admin, TABLE, number, false);
		expect(await since()).toEqual(['District postcodes']);
		await queueRehearsal(t.admin);
		await workAll();
		expect(await since()).toEqual([]);
	}, 60_000);
});

describe('rows that another system sends by their keys', () => {
	const send = (v: object, by: Account = t.reader) => editRowsByKey(by, TABLE, checkRowsSent(v));
	const at = (begins: string, more: object = {}) => ({ country: 'poland', begins, ...more });
	const done = async (v: object, by?: Account) => {
		const taken = await send(v, by);
		if ('overtaken' in taken) throw new Error('overtaken');
		return taken;
	};

	it('are added, changed and removed by one edit, which is told and taken back like any', async () => {
		await done({ rows: [at('600', { district: '1' }), at('601', { district: '1' })] });
		const taken = await done({
			rows: [at('600', { district: '2' }), at('60-2', { district: '3' })],
			remove: [at('601'), at('603')],
			why: 'A new yard'
		});
		expect(taken).toMatchObject({ added: 1, changed: 1, removed: 1, notThere: [1] });
		expect(await row('poland', '601')).toBeUndefined();
		expect((await row('poland', '600')).cells.district).toBe('2');
		expect(await readEdit(db(), t.workspace, taken.edit!)).toMatchObject({
			by: t.reader.name,
			why: 'A new yard'
		});
		expect(await districtOf(await customer('60-212'))).toBe('3');
		await takeRowsBack(t.reader, TABLE, taken.edit!, false);
		expect((await row('poland', '601')).cells.district).toBe('1');
	});

	it('change nothing when they are sent again, and nothing is kept of that', async () => {
		const again = { rows: [at('600', { district: '1' })], remove: [at('999')] };
		const before = await lastEdit(db(), t.workspace);
		expect(await done(again)).toEqual({
			edit: null,
			added: 0,
			changed: 0,
			removed: 0,
			notThere: [0]
		});
		expect(await lastEdit(db(), t.workspace)).toEqual(before);
	});

	it('by several at once: each is carried out, in some order', async () => {
		const all = await Promise.all(
			['1', '2', '3', '4'].map((district) => done({ rows: [at('600', { district })] }))
		);
		expect(all.map((x) => x.changed + (x.edit === null ? 1 : 0))).toEqual([1, 1, 1, 1]);
		const last = (await row('poland', '600')).cells.district;
		expect(['1', '2', '3', '4']).toContain(last);
		// a row that all of them add is added once
		const added = await Promise.all(
			['1', '2', '3', '4'].map((district) => done({ rows: [at('610', { district })] }))
		);
		expect(added.reduce((n, x) => n + x.added, 0)).toBe(1);
		expect((await rows()).filter((r) => r.cells.begins === '610')).toHaveLength(1);
	});

	it('are held against the edit that was seen: what somebody made otherwise since is told, and nothing stored', async () => {
		const { edit } = (await readTable(db(), t.workspace, TABLE))!;
		await put([to(await row('poland', '600'), { district: '5' })]);
		const seen = { rows: [at('600', { district: '6' }), at('604', { district: '6' })], edit };
		expect(await send(seen)).toMatchObject({
			overtaken: [{ by: t.admin.name, stands: at('600', { district: '5' }) }],
			places: ['rows[0]']
		});
		expect(await row('poland', '604')).toBeUndefined();
		// one that somebody added since is there as well
		await put([fresh(at('606', { district: '5' }))]);
		expect(await send({ rows: [at('606', { district: '6' })], edit })).toMatchObject({
			overtaken: [{ by: t.admin.name, stands: at('606', { district: '5' }) }]
		});
		// rows that nobody met go through, and so does what stands already as it is sent
		expect(await done({ rows: [at('600', { district: '5' })], edit })).toMatchObject({
			edit: null
		});
		await done({ rows: [at('604', { district: '6' })], edit });
		await expect(send({ ...seen, edit: 999_999 })).rejects.toThrow('there is no edit 999999');
	});

	it('are refused where they do not fit, are too many, or are not theirs', async () => {
		const before = await lastEdit(db(), t.workspace);
		await expect(send({ rows: [at('605', { district: '999999' })] })).rejects.toThrow(
			'no service district with number 999999'
		);
		await expect(send({ rows: [{ country: 'poland' }] })).rejects.toThrow(
			'rows[0] does not say Postal code begins'
		);
		const many = Array.from({ length: 21 }, (_, i) => at(`7000${i}`, { district: '1' }));
		await expect(send({ rows: many })).rejects.toThrow('edits 21 rows at once');
		await expect(send({ rows: [at('605')] }, t.author)).rejects.toThrow(NotTheirTable);
		await expect(
			editRowsByKey(t.admin, 'country_desk', checkRowsSent({ rows: [{ country: 'poland' }] }))
		).rejects.toThrow('part of the draft');
		await expect(
			editRowsByKey(t.admin, 'constructor', checkRowsSent({ rows: [{ country: 'poland' }] }))
		).rejects.toThrow('no such table');
		expect(await readTable(db(), t.workspace, 'constructor')).toBeNull();
		for (const v of [
			{},
			{ rows: [] },
			{ rows: [null] },
			{ rows: [1] },
			{ rows: {} },
			{ remove: [[]] }
		])
			expect(() => checkRowsSent(v)).toThrow();
		expect(() => checkRowsSent({ rows: [{}], edit: 0 })).toThrow('edit');
		expect(() => checkRowsSent({ rows: [{}], more: 1 })).toThrow('more');
		expect(await lastEdit(db(), t.workspace)).toEqual(before);
	});
});

describe('a release', () => {
	it('names a living table without rows; what is released with rows again has them, and brings them when it lives again', async () => {
		const force = await releaseInForce(db(), t.workspace);
		const doc = (await readRelease(db(), t.workspace, force))!;
		expect(doc.tables!.find((x) => x.id === TABLE)).toMatchObject({ living: true, rows: [] });
		const { model } = await readModel(db(), t.workspace);
		const set = rulesOf(doc);
		const stood = await rows();
		const withTable = (living: boolean, all: JsonValue[][]) => ({
			...set,
			tables: set.tables!.map((x) => {
				if (x.id !== TABLE) return x;
				const { living: _, ...rest } = x;
				return { ...rest, rows: all, ...(living ? { living: true as const } : {}) };
			})
		});
		const release = (s: ReturnType<typeof withTable>) =>
			transaction((c) => createRelease(c, t.workspace, s, model, 'A test', t.admin.id));
		const released = await release(withTable(false, [['poland', '5', '3']]));
		expect(
			(await readRelease(db(), t.workspace, released))!.tables!.find((x) => x.id === TABLE)!.rows
		).toHaveLength(1);
		expect(await districtOf(await customer('53-000'))).toBe('3');
		await expect(put([fresh({ country: 'poland', begins: '5', district: '1' })])).rejects.toThrow(
			'part of the draft'
		);
		// an earlier release in force again finds the rows as they stood last
		await transaction((c) => putInForce(c, t.workspace, force, t.admin.id));
		expect(await rows()).toEqual(stood);
		const before = await lastEdit(db(), t.workspace);
		const again = await release(
			withTable(true, [
				['poland', '5', '4'],
				['poland', '', '2']
			])
		);
		const edit = (await readEdit(db(), t.workspace, before.number + 1))!;
		expect(edit).toMatchObject({
			release: again,
			table: TABLE,
			removed: expect.any(Number) as number
		});
		expect(await rows()).toHaveLength(2);
		expect(
			(await readRelease(db(), t.workspace, again))!.tables!.find((x) => x.id === TABLE)!.rows
		).toEqual([]);
		expect(await districtOf(await customer('53-000'))).toBe('4');
		// a column that a release takes away: what stands in it stays, and is no matter of an edit
		const less = withTable(true, []);
		const without = {
			...less,
			tables: less.tables.map((x) =>
				x.id === TABLE ? { ...x, columns: x.columns.filter((c) => c.id !== 'district') } : x
			),
			rules: less.rules.filter((r) => r.body.kind !== 'lookup' || r.body.table !== TABLE)
		};
		await release(without);
		const r = await row('poland', '5');
		await put([to(r, { begins: '57' })]);
		expect((await row('poland', '57')).cells.district).toBe('4');
		await expect(put([fresh({ country: 'poland', begins: '58', more: '1' })])).rejects.toThrow(
			'no column “more”'
		);
		// the job that looked goes with retention, the edit stays
		await workAll();
		await db().query(
			"update job set ended_at = now() - interval '100 days', queued_at = now() - interval '100 days'"
		);
		await forgetBeyond(db(), t.workspace, { jobs: 30 });
		expect((await listEdits(db(), t.workspace, TABLE, 500)).length).toBe(
			(await lastEdit(db(), t.workspace)).number
		);
	});
});
