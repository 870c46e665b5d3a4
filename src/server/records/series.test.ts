/** Changes saved together in one transaction come to the very same as saved one by one. */
import { afterEach, describe, expect, it } from 'vitest';
import { seeded } from '../../../demo/generate';
import type { Submission } from '.';
import { RefusedChange, save, saveInOrder } from '.';
import { db } from '../db/pool';
import { freshDatabase } from '../../../tests/fresh';

const ROUNDS = Number(process.env.RIGID_RUNS ?? 2);
let t: Awaited<ReturnType<typeof freshDatabase>> | null = null;
afterEach(async () => {
	await t?.drop();
	t = null;
});

const sender = () => ({
	workspace: t!.workspace,
	account: t!.admin,
	entryPoint: 'import' as const,
	instant: Date.UTC(2026, 10, 24, 9)
});

/** Changes that meet at the same few records, some of which are refused. */
function changes(seed: number): Submission[] {
	const rnd = seeded(seed);
	const pick = <T>(xs: readonly T[]) => xs[Math.floor(rnd() * xs.length)];
	const some = (n: number) => String(1 + Math.floor(rnd() * n));
	const one = (type: string, id: string | null, sent: [string, unknown][]): Submission => ({
		type,
		id,
		sent,
		keep: []
	});
	const make: (() => Submission)[] = [
		() =>
			one('deal', rnd() < 0.4 ? null : some(30), [
				['customer', rnd() < 0.1 ? '999999' : some(4)],
				['stage', pick(['won', 'lost', 'enquiry'])],
				['amount', pick(['10', '2500.50', 'much'])],
				['close_date', '2027-03-01']
			]),
		() => one('customer', some(4), [['headcount', pick(['5', '20', '300', null])]]),
		() => one('customer', some(4), [['key_grower', rnd() < 0.5]]),
		() => one('customer', some(4), [['country', pick(['netherlands', 'germany', 'poland'])]]),
		() => one('customer', some(4), [['season_notice', rnd() < 0.5]]),
		() => one('customer', some(4), [['vat_number', pick(['NL000', null])]]),
		() =>
			one('customer', null, [
				['trading_name', pick(['Twin', 'Fresh Growers', 'Äpfel  & Co'])],
				['crops', [pick(['tomato', 'rose'])]]
			]),
		() => one('lead', null, [['company_as_typed', pick(['twin', 'FRESH growers', 'apfel & co'])]]),
		() =>
			one('contact', rnd() < 0.5 ? null : some(5), [
				['full_name_as_received', pick(['Ilse  Ooster', 'Bram', 'Noor van Dal'])],
				['customer', some(4)],
				['e_mail', pick(['a@b.example', null])]
			])
	];
	return Array.from({ length: 60 }, () => pick(make)());
}

/** All that a database holds after them, without the moments at which it was written. */
async function everything(): Promise<unknown> {
	const out: Record<string, unknown> = {};
	for (const table of ['r_customer', 'r_deal', 'r_lead', 'r_contact'])
		out[table] = (
			await db().query(
				`select to_jsonb(r) - 'created_at' - 'updated_at' as r from ${table} r order by id`
			)
		).rows;
	out.history = (
		await db().query(
			`select c.entry_point, c.release, c.submission, array(
				select to_jsonb(l) - 'change' from history_line l where l.change = c.id order by type, record, field, outcome, claim
			 ) as lines from change c order by c.id`
		)
	).rows;
	out.outbox = (
		await db().query(
			`select claim, record, target, recipient, subject, body, once_key from outbox order by change, id`
		)
	).rows;
	// a change that is tried again takes another number: only their order counts
	const { rows } = await db().query<{ id: string }>('select id::text from change order by id');
	const nth = new Map(rows.map((r, i) => [r.id, i + 1]));
	return JSON.parse(
		JSON.stringify(out).replace(
			/"([pira]) (\d+) /g,
			(_, by: string, id: string) => `"${by} ${nth.get(id) ?? id} `
		)
	);
}

describe('changes saved together', () => {
	it('are the same as saved one by one: records, versions, history, messages and refusals', async () => {
		for (let round = 1; round <= ROUNDS; round++) {
			const all = changes(round);
			const sizes = { customers: 8, contacts: 6, leads: 4, deals: 30 };
			t = await freshDatabase(sizes);
			await farNumbers();
			const single: unknown[] = [];
			for (const s of all)
				single.push(
					await save(sender(), [s]).catch((e: unknown) => {
						if (e instanceof RefusedChange) return { refused: e.faults, status: e.status };
						throw e;
					})
				);
			const alone = await everything();
			await t.drop();
			t = await freshDatabase(sizes);
			await farNumbers();
			const together = (
				await saveInOrder(
					sender(),
					all.map((s) => [s])
				)
			).map((o) => (o instanceof RefusedChange ? { refused: o.faults, status: o.status } : o));
			expect(renumbered(together)).toEqual(renumbered(single));
			expect(renumbered(await everything())).toEqual(renumbered(alone));
			expect(
				single.filter((x) => x && typeof x === 'object' && 'refused' in x).length
			).toBeGreaterThan(3);
			await t.drop();
			t = null;
		}
	}, 240_000);
});

/** New records get numbers like no other value, so that they can be told from those. */
async function farNumbers() {
	for (const [i, type] of ['customer', 'deal', 'lead', 'contact'].entries())
		await db().query(`select setval(pg_get_serial_sequence('r_${type}', 'id'), $1)`, [
			(i + 6) * 1_000_000
		]);
}

/** How many numbers are used up on the way may differ; their order may not. */
function renumbered(x: unknown): unknown {
	const text = JSON.stringify(x);
	const ids = [...new Set(text.match(/\b[6-9]0\d{5}\b/g) ?? [])].sort();
	return JSON.parse(text.replace(/\b[6-9]0\d{5}\b/g, (id) => String(9e8 + ids.indexOf(id))));
}
