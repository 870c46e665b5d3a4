/** The journal as a file: every line that the pages have, each once, in words as they were at the time. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel, retyped } from '../../../tests/model';
import { withNewField, type JsonValue, type Model } from '../../core';
import { ALL_LINES, JOURNAL_WHAT, type JournalAsked } from '../../door/journal';
import { journalOf, journalStretch, type JournalLine } from '../db/journal-lines';
import { readPastFields } from '../db/model';
import { db } from '../db/pool';
import { RefusedChange, inForce, save } from '.';
import { JOURNAL_HEAD, journalRows } from './journal-file';
import { titlesOfLines } from './view';

let t: Fresh;
let at = Date.UTC(2026, 9, 1, 8);
const put = async (
	type: string,
	id: string | null,
	sent: [string, JsonValue][],
	who = t.author
) => {
	at += 60_000;
	const sender = {
		workspace: t.workspace,
		account: who,
		entryPoint: 'full' as const,
		instant: at
	};
	try {
		return (await save(sender, [{ type, id, sent, keep: [] }]))[0].id;
	} catch (e) {
		if (e instanceof RefusedChange) return null;
		throw e;
	}
};
beforeAll(async () => {
	t = await freshDatabase();
	const [{ n }] = (await db().query<{ n: string }>('select count(*) as n from change')).rows;
	expect(n).toBe('0');
	for (let i = 0; i < 65; i++) {
		await put('customer', '1', [['headcount', String(1 + i * 7)]], i % 5 ? t.author : t.admin);
		// refused, by a rule: it belongs to no change
		if (i % 8 === 0) await put('customer', '1', [['location_number', '1234567890123']]);
	}
	// many at one instant, across the end of a stretch
	await db().query(
		"update change set at = '2026-10-01T08:30:00.123456Z' where id % 65 between 18 and 24"
	);
});
afterAll(() => t.drop());

const OPEN = { from: null, before: null };
async function file(
	asked: JournalAsked,
	between: { from: string | null; before: string | null } = OPEN
) {
	const out: JournalLine[] = [];
	let stretches = 0;
	for (let before: string | null = null; ;) {
		const s = await journalStretch(db(), t.workspace, asked, between, before, 20);
		out.push(...s.lines);
		stretches++;
		if (s.next === null) return { lines: out, stretches };
		before = s.next;
	}
}

describe('a file of the journal', () => {
	it('has each line that pages have, in their order', async () => {
		const whole = await journalOf(db(), t.workspace, {}, { size: 10_000 });
		expect(whole.some((l) => l.outcome === 'refused')).toBe(true);
		const { lines, stretches } = await file(ALL_LINES);
		expect(lines).toEqual(whole);
		expect(stretches).toBeGreaterThan(2);
	});
	it('of what is asked alone', async () => {
		const asked: Partial<JournalAsked>[] = [
			...JOURNAL_WHAT.map((what) => ({ what })),
			{ rule: 'size_class' },
			{ field: { type: 'customer', field: 'size_class' } },
			{ by: t.admin.id, what: 'entered' },
			{ road: 'import' },
			{ change: (await journalOf(db(), t.workspace, {}, { size: 1 }))[0].change }
		];
		for (const a of asked)
			expect((await file({ ...ALL_LINES, ...a })).lines, JSON.stringify(a)).toEqual(
				await journalOf(db(), t.workspace, a, { size: 10_000 })
			);
		const between = { from: '2026-10-01T08:20:00Z', before: '2026-10-01T08:50:00Z' };
		const some = await journalOf(db(), t.workspace, {}, { size: 10_000, between });
		expect(some.length).toBeGreaterThan(20);
		expect((await file(ALL_LINES, between)).lines).toEqual(some);
	});
	it('says it in words, by the fields as they were', async () => {
		const force = await inForce(db(), t.workspace);
		const { lines } = await file(ALL_LINES);
		const rows = async (all: readonly JournalLine[]) => {
			const f = await inForce(db(), t.workspace);
			const titles = await titlesOfLines(t.workspace, f.schema, all);
			return journalRows(all, f, await readPastFields(db(), t.workspace), titles);
		};
		const before = await rows(lines);
		expect(before.every((r) => r.length === JOURNAL_HEAD.length)).toBe(true);
		const size = lines.findIndex((l) => l.field === 'size_class' && l.outcome === 'set');
		const cell = (row: string[], head: (typeof JOURNAL_HEAD)[number]) =>
			row[JOURNAL_HEAD.indexOf(head)];
		const label = force.schema.field('customer', 'size_class')!.label;
		expect(cell(before[size], 'Field')).toBe(label);
		expect(cell(before[size], 'Record')).not.toBe('');
		expect(cell(before[size], 'What')).toBe('wrote');
		expect(cell(before[size], 'To')).toMatch(/^(Micro|Small|Medium|Large)$/);
		expect(cell(before[size], 'Rule')).not.toBe('');
		// a field that becomes text tells no yes and no any more, and what is told of them stays
		let field = '';
		const make = (m: Model) => {
			const [next, id] = withNewField(m, 'customer', {
				label: 'Seen',
				group: 'Walk',
				type: 'yesno'
			});
			field = id;
			return next;
		};
		await changeModel(t.admin, make, 0);
		await put('customer', '2', [[field, true]]);
		const told = (await file(ALL_LINES)).lines.filter((l) => l.field === field);
		const was = await rows(told);
		await changeModel(t.admin, retyped('customer', field, { type: 'text' }), 1_000);
		expect(was.map((r) => [cell(r, 'What'), cell(r, 'To')])).toEqual([['entered', 'yes']]);
		expect(await rows(told)).toEqual(was);
	});
});
