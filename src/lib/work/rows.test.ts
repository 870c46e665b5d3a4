import { describe, expect, it, vi } from 'vitest';
import { rowsOf } from './rows';

const row = (id: string) => ({ id, cells: { code: id } });

/** A server that has some rows by address, and what it was asked. */
function server(has: Record<string, unknown>) {
	const asked: string[] = [];
	const ask = ((url: string) => {
		asked.push(url);
		return Promise.resolve(
			url in has ? Response.json(has[url]) : new Response(null, { status: 404 })
		);
	}) as typeof fetch;
	return { asked, ask };
}

describe('rows of living tables', () => {
	it('of large tables are fetched once for each edit of theirs, and are the very same until then', async () => {
		const { asked, ask } = server({
			'/tables/codes/standing/m1': [row('a')],
			'/tables/codes/standing/m2?since=m1': { gone: [], put: [{ at: 1, row: row('b') }] },
			'/tables/codes/standing/m3?since=m2': [row('c')],
			'/tables/desks%20one/standing/m1': [row('d')]
		});
		const small = { few: [row('f')] };
		const first = await rowsOf({ number: 1, rows: small, large: { codes: 'm1' } }, ask);
		expect(first).toEqual({ number: 1, rows: { few: [row('f')], codes: [row('a')] } });
		expect(first.rows.few).toBe(small.few);
		// an edit of another table
		const next = await rowsOf({ number: 2, rows: {}, large: { codes: 'm1' } }, ask);
		expect(next.rows.codes).toBe(first.rows.codes);
		const large = { codes: 'm2', 'desks one': 'm1' };
		const last = await rowsOf({ number: 3, rows: {}, large }, ask);
		expect(last.rows).toEqual({ codes: [row('a'), row('b')], 'desks one': [row('d')] });
		expect(last.rows.codes[0]).toBe(first.rows.codes[0]);
		const other = await rowsOf({ number: 4, rows: {}, large: { codes: 'm3' } }, ask);
		expect(other.rows.codes).toEqual([row('c')]);
		expect(asked).toEqual([
			'/tables/codes/standing/m1',
			'/tables/codes/standing/m2?since=m1',
			'/tables/desks%20one/standing/m1',
			'/tables/codes/standing/m3?since=m2'
		]);
	});

	it('are asked for once by two loads at once, and again after one that failed', async () => {
		const { asked, ask } = server({ '/tables/both/standing/m1': [row('a')] });
		const large = { both: 'm1' };
		const two = await Promise.all([1, 2].map(() => rowsOf({ number: 1, rows: {}, large }, ask)));
		expect(two.map((r) => r.rows.both)).toEqual([[row('a')], [row('a')]]);
		expect(asked).toHaveLength(1);
		const gone = () => rowsOf({ number: 2, rows: {}, large: { other: 'm2' } }, ask);
		for (const n of [2, 3]) {
			await expect(gone()).rejects.toMatchObject({ status: 503 });
			expect(asked).toHaveLength(n);
		}
	});

	it('are asked for again while the server is away', async () => {
		let times = 0;
		const ask = (() => {
			if (++times === 1) return Promise.reject(new TypeError('away'));
			if (times === 2) return Promise.resolve(new Response(null, { status: 503 }));
			if (times === 3) return Promise.resolve(new Response('[{"id":'));
			return Promise.resolve(Response.json([row('z')]));
		}) as typeof fetch;
		vi.useFakeTimers();
		const asked = rowsOf({ number: 1, rows: {}, large: { late: 'm1' } }, ask);
		await vi.runAllTimersAsync();
		expect((await asked).rows.late).toEqual([row('z')]);
		expect(times).toBe(4);
		vi.useRealTimers();
	});

	it('that cannot be fetched are not taken for none', async () => {
		const { ask } = server({});
		await expect(rowsOf({ number: 1, rows: {}, large: { away: 'm1' } }, ask)).rejects.toMatchObject(
			{ status: 503 }
		);
	});
});
