/** What people are told of a change, in PostgreSQL: nothing happened and why, who refused, one clock, who typed what. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { JsonValue } from '../../core';
import { tallies } from '../db/journal';
import { journalOf } from '../db/journal-lines';
import { db } from '../db/pool';
import { readHistory } from '../db/history';
import type { RefusedChange } from '.';
import { save } from '.';
import { importCsv } from '../../../tests/csv';
import { freshDatabase } from '../../../tests/fresh';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 20, contacts: 10, leads: 5, deals: 20 });
});
afterAll(() => t.drop());

const NOW = Date.UTC(2026, 10, 24, 9);
const put = (
	type: string,
	id: string | null,
	sent: Record<string, JsonValue>,
	entryPoint: 'api' | 'full' = 'api'
) =>
	save({ workspace: t.workspace, account: t.admin, entryPoint, instant: NOW }, [
		{ type, id, sent: Object.entries(sent), keep: entryPoint === 'full' ? 'touched' : [] }
	]).then(([o]) => o);
const history = (type: string, id: string) => readHistory(db(), t.workspace, type, id);

describe('nothing happened, and why', () => {
	it('is in the answer, in the record’s history and in the journal', async () => {
		for (const name of ['Twin', 'TWIN']) await put('customer', null, { trading_name: name });
		const lead = await put('lead', null, { company_as_typed: 'twin' });
		const [told] = lead.nothing.filter((n) => n.field === 'customer');
		expect(told.because).toMatch(/2 customers match Company as typed twin: T\w+, T\w+$/);
		const [entry] = await history('lead', lead.id);
		expect(entry.lines.filter((l) => l.outcome === 'nothing')).toContainEqual(
			expect.objectContaining({ field: 'customer', because: told.because, ruleName: told.rule })
		);
		const [line] = await journalOf(db(), t.workspace, { rule: 'lead_customer' });
		expect(line).toMatchObject({ record: lead.id, because: told.because });
		expect(line.outcome).not.toBe('set');
	});
	it('is in the outcome of an imported row', async () => {
		const sender = { workspace: t.workspace, account: t.admin, entryPoint: 'import' as const };
		const r = await importCsv(
			{ ...sender, instant: NOW },
			'lead',
			'Company as typed\nnobody of that name\n',
			[]
		);
		expect(r.ok && r.rows[0].outcome!.nothing.map((n) => [n.field, n.because])).toContainEqual([
			'customer',
			expect.stringContaining('no customer matches Company as typed nobody of that name')
		]);
	});
	it('is not said where a rule gave the field, or a person did', async () => {
		const a = await put('customer', null, { trading_name: 'Alone Ltd' });
		const found = await put('lead', null, { company_as_typed: 'alone ltd' });
		expect(found.nothing.map((n) => n.field)).not.toContain('customer');
		const given = await put('lead', null, { company_as_typed: 'nobody', customer: a.id });
		expect(given.nothing.map((n) => n.field)).not.toContain('customer');
	});
});

describe('a refusal', () => {
	it('is in the journal of the rule that refused, with its message, though nothing was saved', async () => {
		const wrong = () =>
			put('deal', null, { name: 'X', stage: 'negotiation', close_date: '2026-01-01' }).then(
				() => null,
				(e: RefusedChange) => e
			);
		const e = (await wrong())!;
		expect(e.status).toBe(422);
		await wrong();
		const [{ claim }] = e.by!.rules;
		const rule = claim.split(':')[0];
		const tally = (await tallies(db(), t.workspace, '2026-01-01')).find((x) => x.rule === rule)!;
		expect(tally).toMatchObject({ refused: 2, failed: 0 });
		expect(tally.name).not.toBe(rule);
		const [line] = await journalOf(db(), t.workspace, { rule });
		expect(line).toMatchObject({
			outcome: 'refused',
			change: null,
			record: null,
			field: 'close_date',
			because: e.faults[0].message
		});
	});
});

describe('who typed what', () => {
	it('a rule that puts it into another form is credited for the form, the person for the rest', async () => {
		const made = await put('customer', null, { trading_name: 'Caller', country: 'netherlands' });
		const o = await put('customer', made.id, { phone: '020 123 4567' }, 'full');
		const phone = o.changes.find((c) => c.field === 'phone')!;
		expect(phone).toMatchObject({ to: '+31201234567', typed: '020 123 4567' });
		expect(phone.because).toContain(`made of “020 123 4567”, which ${t.admin.name} gave`);
	});
});

describe('reasons in history', () => {
	it('speak of labels, dates and amounts as people write them, never of numbers of records', async () => {
		const all = await db().query<{ because: string }>(
			`select distinct because from history_line where because is not null and outcome = 'set'`
		);
		const deal = await put('deal', null, {
			name: 'D',
			customer: '1',
			kind: 'new_build',
			stage: 'negotiation',
			amount: '150185.52'
		});
		const texts = [
			...all.rows.map((x) => x.because),
			...deal.changes.flatMap((c) => (c.because ? [c.because] : []))
		];
		expect(texts.length).toBeGreaterThan(5);
		for (const x of texts) {
			expect(x).not.toMatch(/\d{4}-\d{2}-\d{2}/);
			expect(x).not.toMatch(/\b\d{6,}\.\d/);
		}
		expect(texts.join('\n')).toContain('150\u202f185.52\u00a0EUR');
	});
});

describe('one clock on every road', () => {
	it('the same instant sent on different clocks is the same record', async () => {
		const at = ['2026-11-24T22:30:00Z', '2026-11-25T00:30:00+02:00', '2026-11-24 23:30'];
		const made = await Promise.all(
			at.map((status_changed_at) => put('lead', null, { company_as_typed: 'q', status_changed_at }))
		);
		const { rows } = await db().query<{ n: string }>(
			'select count(distinct f_status_changed_at) as n from r_lead where id = any($1::bigint[])',
			[made.map((m) => m.id)]
		);
		expect(rows[0].n).toBe('1');
		expect(new Set(made.map((m) => m.values.status_changed_at)).size).toBe(1);
	});
});
