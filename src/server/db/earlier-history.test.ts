/** History as an earlier version left it, filled by that version's own statements, is moved while it is read and written. */
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { inForce, save } from '../records';
import { moveHistory } from './earlier-history';
import { readHistory, tellSetBy } from './history';
import { overruledIn, tallies } from './journal';
import { tallied } from './tally';
import { journalDays, journalOf } from './journal-lines';
import { db } from './pool';
import { readRecords } from './records';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const at = (minute: number) => `2026-11-20T09:${String(minute).padStart(2, '0')}:00.000Z`;

/** A change as the earlier version stored it. */
async function earlier(
	minute: number,
	road: string,
	lines: [
		record: string,
		field: string,
		was: unknown,
		now: unknown,
		claim: string | null,
		outcome?: string
	][],
	quiet: unknown[] | null = null
): Promise<string> {
	const { rows } = await db().query<{ id: string }>(
		`insert into change (workspace, at, account, entry_point, release, quiet) values ($1, $2, $3, $4, 3, $5) returning id::text`,
		[t.workspace, at(minute), t.admin.id, road, quiet && JSON.stringify(quiet)]
	);
	for (const [record, field, was, now, claim, outcome = 'set'] of lines)
		await db().query(
			`insert into change_line (change, type, record, field, was, now, claim, rule_name, because, outcome)
			 values ($1, 'customer', $2, $3, $4, $5, $6, $7, $8, $9)`,
			[
				rows[0].id,
				record,
				field,
				JSON.stringify(was),
				JSON.stringify(now),
				claim,
				claim && 'Size class',
				claim && `Headcount is ${String(now)}`,
				outcome
			]
		);
	return rows[0].id;
}

/** Who set the fields of a record, as the earlier version kept it. */
const words = (id: string, setBy: object) =>
	db().query('update r_customer set set_by = $2 where id = $1', [id, JSON.stringify(setBy)]);

const RULE = {
	by: 'rule',
	name: 'Ida Faro',
	release: 3,
	claim: 'size_class:o',
	rule: 'Size class'
};
let first: string;
let last: string;

beforeEach(async () => {
	for (const table of ['record_change', 'change_line', 'outbox', 'change'])
		await db().query(`delete from ${table}`);
	first = await earlier(
		1,
		'import',
		[
			['1', 'headcount', null, '60', null],
			['1', 'size_class', null, 'medium', 'size_class:o'],
			['2', 'headcount', null, '5', null]
		],
		[
			['customer', '1', 'service_plan:o', 'same value'],
			[
				'customer',
				'2',
				'size_class:o',
				'guard unknown',
				'Headcount is blank',
				'size_class',
				'Size class'
			]
		]
	);
	await earlier(2, 'full', [['1', 'size_class', 'medium', 'large', null]]);
	last = await earlier(3, 'api', [
		['1', 'headcount', '60', '61', null],
		['1', 'size_class', 'large', 'medium', 'size_class:o'],
		['1', 'region', null, 'north', 'region:o', 'failed']
	]);
	await words('1', {
		headcount: { by: 'api', name: 'Ida Faro', at: at(3) },
		size_class: { ...RULE, at: at(3), because: 'Headcount is medium', added: { 'x:o': ['a'] } },
		// of a change that history no longer has
		country: { by: 'person', name: 'Ida Faro', at: '2020-01-01T00:00:00.000Z' }
	});
});

const since = '2026-11-01T00:00:00.000Z';
/** All that anybody asks of history. */
async function asked() {
	const own = async (id: string) => readHistory(db(), t.workspace, 'customer', id);
	return {
		one: await own('1'),
		two: await own('2'),
		journal: await journalOf(db(), t.workspace, { rule: 'size_class' }),
		told: await journalOf(db(), t.workspace, { rule: 'size_class', what: 'wrote' }),
		all: await journalOf(db(), t.workspace, {}, { size: 10_000 }),
		days: await journalDays(db(), t.workspace, {}, { from: null, before: null }, 'UTC'),
		of: await journalOf(db(), t.workspace, { rule: 'size_class', change: first }),
		tallies: await tallies(db(), t.workspace, since)
	};
}

describe('history of an earlier version', () => {
	it('reads the same before it is moved, half way and afterwards', async () => {
		const before = await asked();
		expect(before.one).toHaveLength(3);
		expect(before.journal.map((l) => l.outcome)).toEqual(['set', 'set', 'guard unknown']);
		expect(before.told).toHaveLength(2);
		expect(await moveHistory(db(), 1)).toEqual({ changes: 1, more: true });
		expect(await asked()).toEqual(before);
		while ((await moveHistory(db(), 1)).more);
		expect(await asked()).toEqual(before);
		for (const left of ['change_line', 'change where quiet is not null'])
			expect((await db().query(`select 1 from ${left}`)).rowCount).toBe(0);
	});

	it('knows who had set what a line followed on, so that what people overrule is told', async () => {
		while ((await moveHistory(db(), 1)).more);
		const { rows } = await db().query<{ had: string | null }>(
			"select had from history_line where record = 1 and field = 'size_class' and outcome = 'set' order by change"
		);
		const middle = String(BigInt(first) + 1n);
		expect(rows.map((r) => r.had)).toEqual([
			null,
			`r ${first} size_class:o`,
			`p ${middle} ${t.admin.id}`
		]);
		expect(overruledIn(await tallied(db(), t.workspace, since), since)).toEqual({
			'size_class:o': { wrote: 2, overruled: 1, since: since.slice(0, 10) }
		});
	});

	it('takes the words off records whose present values it tells of, and leaves those of others', async () => {
		while ((await moveHistory(db())).more);
		const kept = await db().query<{ set_by: object }>('select set_by from r_customer where id = 1');
		expect(kept.rows[0].set_by).toEqual({
			headcount: `a ${last} ${t.admin.id}`,
			size_class: [`r ${last} size_class:o`, { 'x:o': ['a'] }],
			country: { by: 'person', name: 'Ida Faro', at: '2020-01-01T00:00:00.000Z' }
		});
		const { schema } = await inForce(db(), t.workspace);
		const [r] = await readRecords(db(), schema, t.workspace, 'customer', ['1']);
		expect(await tellSetBy(db(), r)).toMatchObject({
			headcount: { by: 'api', name: t.admin.name, at: at(3) },
			size_class: { ...RULE, because: 'Headcount is medium', added: { 'x:o': ['a'] } },
			country: { by: 'person', name: 'Ida Faro' }
		});
	});

	it('is moved by one at a time, and a record that is being saved keeps its words meanwhile', async () => {
		const other = await db().connect();
		await other.query('begin');
		await other.query('select 1 from r_customer where id = 1 for update');
		const both = await Promise.all([moveHistory(db()), moveHistory(db())]);
		expect(both.map((b) => b.changes).sort()).toEqual([0, 3]);
		await other.query('commit');
		other.release();
		const kept = await db().query<{ s: { by?: string } }>(
			"select set_by->'size_class' as s from r_customer where id = 1"
		);
		expect(kept.rows[0].s.by).toBe('rule');
		// and is saved as any other
		const sender = { workspace: t.workspace, account: t.admin, entryPoint: 'full' as const };
		await save({ ...sender, instant: Date.now() }, [
			{ type: 'customer', id: '1', sent: [['headcount', '700']], keep: [] }
		]);
		const [newest] = await readHistory(db(), t.workspace, 'customer', '1');
		expect(newest.lines.find((l) => l.field === 'headcount')).toMatchObject({
			claim: null,
			outcome: 'set'
		});
	});
});
