/** Remarks: said, settled, opened again; heard of by other pages; kept with a release. Data of the demo. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { BadInput, checkRemark } from '../../door';
import { readEntries } from '../db/audit';
import { hear, type Heard } from '../db/notices';
import { db } from '../db/pool';
import { listRemarks } from '../db/remarks';
import { remark, settle } from './remarks';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase({ customers: 2, contacts: 1, leads: 1, deals: 1 });
}, 120_000);
afterAll(() => t.drop());

const at = (key: string) => ({ kind: 'rule' as const, key, title: `Rule ${key}` });

describe('a remark', () => {
	it('stands until it is settled, by whom and when, and may be opened again', async () => {
		const { id } = await remark(t.author, { ...at('size_class'), text: 'Why 60?' });
		await remark(t.admin, { ...at('gone'), text: 'Of a rule that is gone.' });
		expect(await listRemarks(db(), t.workspace)).toMatchObject([
			{ id, kind: 'rule', key: 'size_class', text: 'Why 60?', by: t.author.name, settledAt: null },
			{ key: 'gone', by: t.admin.name }
		]);
		await settle(t.admin, id, true);
		const [, settled] = await listRemarks(db(), t.workspace);
		expect(settled).toMatchObject({ id, settledBy: t.admin.name });
		// once more by somebody else at the same moment: when it was settled stays
		await settle(t.author, id, true);
		expect((await listRemarks(db(), t.workspace))[1].settledAt).toBe(settled.settledAt);
		await settle(t.author, id, false);
		expect((await listRemarks(db(), t.workspace))[0]).toMatchObject({
			id,
			settledAt: null,
			settledBy: null
		});
		await expect(settle(t.author, '999999', true)).rejects.toThrow('There is no such remark.');
		const entries = await readEntries(
			db(),
			t.workspace,
			{ deeds: null, find: '', from: null, to: null },
			{ before: null, most: 10 }
		);
		expect(entries.map((e) => e.did).slice(0, 3)).toEqual([
			'opened a remark again',
			'settled a remark',
			'settled a remark'
		]);
	});

	it('is heard of by others who look at the draft', async () => {
		const heard: Heard[] = [];
		const { deaf, listening } = hear((h) => heard.push(h));
		await listening;
		await remark(t.author, { ...at('size_class'), text: 'Heard?' });
		for (let i = 0; i < 200 && !heard.length; i++) await new Promise((r) => setTimeout(r, 10));
		deaf();
		expect(heard).toContainEqual({ kind: 'beside', workspace: t.workspace });
	});

	it('is one of so many at the most, and says what is wrong with one that is none', async () => {
		const { rows } = await db().query<{ n: number }>(
			'select count(*)::int as n from remark where settled_at is null'
		);
		await db().query(
			`insert into remark (workspace, kind, key, title, text) select $1, 'trial', 'x', 'x', 'x' from generate_series(1, $2)`,
			[t.workspace, 200 - rows[0].n]
		);
		await expect(remark(t.author, { ...at('y'), text: 'One more' })).rejects.toThrow(
			'There are 200 open remarks.'
		);
		expect(await listRemarks(db(), t.workspace)).toHaveLength(200);
		for (const [v, says] of [
			[{ ...at('y'), text: '   ' }, 'text'],
			[{ ...at('y'), text: 'x'.repeat(1001) }, 'text'],
			[{ ...at('y'), text: 'x', kind: 'table' }, 'kind'],
			[{ ...at(''), text: 'x' }, 'key'],
			[null, ''],
			[{ ...at('y'), text: 'x', more: 1 }, 'more']
		] as const) {
			const wrong = (() => {
				try {
					checkRemark(v);
					return null;
				} catch (e) {
					return e;
				}
			})();
			expect(wrong).toBeInstanceOf(BadInput);
			expect((wrong as BadInput).message).toContain(says);
		}
	});
});
