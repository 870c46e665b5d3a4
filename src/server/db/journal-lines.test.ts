/** The journal line by line, in PostgreSQL: each filter against all lines filtered here, and the days against their sum. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel } from '../../../tests/model';
import { withNewField, withoutField } from '../../core';
import { ALL_LINES, JOURNAL_WHAT, type JournalAsked, type JournalWhat } from '../../door/journal';
import { remove, save } from '../records';
import { journalDays, journalOf, type JournalLine } from './journal-lines';
import { db } from './pool';

let t: Fresh;
const DAY = 86_400_000;
const NOW = Date.UTC(2026, 10, 20, 12);
beforeAll(async () => {
	t = await freshDatabase();
	const set = (
		at: number,
		type: string,
		id: string | null,
		sent: [string, string | null][],
		account = t.author,
		entryPoint: 'full' | 'api' | 'bulk' = 'full'
	) =>
		save({ workspace: t.workspace, account, entryPoint, instant: at }, [
			{ type, id, keep: [], sent }
		]).then((r) => r[0].id);
	const firm = await set(NOW, 'customer', null, [
		['trading_name', 'Journal Firm'],
		['headcount', '9']
	]);
	await set(NOW + DAY, 'customer', firm, [['headcount', '60']], t.admin, 'api');
	await set(NOW + DAY, 'customer', firm, [['size_class', 'large']]);
	await set(NOW + 2 * DAY, 'customer', firm, [['headcount', null]]);
	await set(
		NOW + 2 * DAY,
		'contact',
		null,
		[['full_name_as_received', 'Anna Berg']],
		t.admin,
		'bulk'
	);
	await set(NOW + 3 * DAY, 'customer', firm, [['location_number', '1234567890123']]).catch(
		() => undefined
	);
	const gone = await set(NOW + 3 * DAY, 'contact', null, [['full_name_as_received', 'Gone Soon']]);
	let made = '';
	await changeModel(t.admin, (m) => {
		const [model, id] = withNewField(m, 'customer', {
			label: 'Boiler make',
			group: 'Identity',
			type: 'text'
		});
		made = id;
		return model;
	});
	await set(NOW + 3 * DAY, 'customer', firm, [[made, 'Crone']]);
	await changeModel(t.admin, (m) => withoutField(m, 'customer', made), 1);
	const sender = { workspace: t.workspace, account: t.author, entryPoint: 'full' as const };
	await remove({ ...sender, instant: NOW + 4 * DAY }, { type: 'contact', id: gone });
});
afterAll(() => t.drop());

const lines = (a: Partial<JournalAsked> = {}, more = {}) =>
	journalOf(db(), t.workspace, a, { size: 10_000, ...more });
/** What a line comes under, said once more. */
const whatOf = (l: JournalLine): JournalWhat => {
	if (l.outcome === 'set') {
		if (l.claim !== null) return 'wrote';
		return l.entryPoint === 'model' ? 'model' : 'entered';
	}
	if (l.outcome === 'sent') return 'wrote';
	if (l.outcome === 'set aside') return 'aside';
	if (l.outcome === 'refused' || l.outcome === 'failed' || l.outcome === 'deleted')
		return l.outcome;
	return 'nothing';
};

describe('the journal', () => {
	it('has each kind of line, the newest first', async () => {
		const all = await lines();
		expect(new Set(all.map(whatOf))).toEqual(
			new Set(['wrote', 'entered', 'model', 'nothing', 'aside', 'refused', 'deleted'])
		);
		const at = all.map((l) => l.at);
		expect(at).toEqual([...at].sort().reverse());
		expect(
			all.find((l) => l.claim?.startsWith('size_class:') && l.outcome === 'set')
		).toMatchObject({
			ruleName: 'Size class follows headcount',
			entryPoint: expect.any(String),
			release: expect.any(Number)
		});
	});

	it('filters as is asked, alone and together', async () => {
		const all = await lines();
		const accounts = new Map([
			[t.author.id, t.author.name],
			[t.admin.id, t.admin.name]
		]);
		const holds = (a: JournalAsked) => (l: JournalLine) =>
			(a.rule === null || !!l.claim?.startsWith(`${a.rule}:`)) &&
			(!a.field || (l.type === a.field.type && l.field === a.field.field)) &&
			(!a.by || l.who === accounts.get(a.by)) &&
			(!a.road || l.entryPoint === a.road) &&
			(!a.what || whatOf(l) === a.what) &&
			(!a.change || l.change === a.change);
		const some: Partial<JournalAsked>[] = [
			{ rule: 'size_class' },
			{ rule: 'no_such_rule' },
			{ field: { type: 'customer', field: 'headcount' } },
			{ field: { type: 'customer', field: 'size_class' } },
			{ by: t.admin.id },
			{ road: 'api' },
			{ road: 'bulk' },
			{ road: 'model' },
			{ change: all.find((l) => l.change)!.change },
			...JOURNAL_WHAT.map((what) => ({ what }))
		];
		for (const [i, a] of some.entries())
			for (const b of some.slice(i)) {
				const asked = { ...ALL_LINES, ...a, ...b };
				const expected = all.filter(holds(asked));
				expect(await lines(asked), JSON.stringify(asked)).toEqual(expected);
			}
		expect(all.filter(holds({ ...ALL_LINES, rule: 'size_class', what: 'aside' })).length).toBe(1);
	});

	it('comes page by page, and between days', async () => {
		const all = await lines();
		const paged = [];
		for (let page = 0; ; page++) {
			const some = await journalOf(db(), t.workspace, {}, { page, size: 3 });
			paged.push(...some);
			if (some.length < 3) break;
		}
		expect(paged).toEqual(all);
		const from = new Date(NOW + DAY - 1000).toISOString();
		const before = new Date(NOW + 2 * DAY - 1000).toISOString();
		expect(await lines({}, { between: { from, before } })).toEqual(
			all.filter((l) => l.at.startsWith('2026-11-21'))
		);
	});

	it('is counted by the day, in the zone where days begin', async () => {
		const all = await lines();
		const open = { from: null, before: null };
		for (const rule of [null, 'size_class']) {
			const of = all.filter((l) => rule === null || l.claim?.startsWith(`${rule}:`));
			const days = await journalDays(db(), t.workspace, { rule }, open, 'UTC');
			for (const d of days)
				for (const w of JOURNAL_WHAT)
					expect(d[w], `${d.day} ${w}`).toBe(
						of.filter((l) => l.at.startsWith(d.day) && whatOf(l) === w).length
					);
			expect(days.map((d) => d.day)).toEqual([...new Set(of.map((l) => l.at.slice(0, 10)))].sort());
		}
		const [first] = await journalDays(db(), t.workspace, {}, open, 'Pacific/Kiritimati');
		expect(first.day).toBe('2026-11-21');
	});
});
