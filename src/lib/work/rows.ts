/** Rows of living tables as a page works on them: those of large tables are fetched once for each edit of theirs. */
import { error } from '@sveltejs/kit';
import { stepped, type LivingRow, type LivingRows, type RowsStep } from '../../core';
import type { SentRows } from '../../server/living/sent';

/** What was fetched last, by table: rows that nobody edits stay the very same, and so does what was made of them. */
const fetched = new Map<string, { mark: string; rows: readonly LivingRow[] }>();

/** Milliseconds before it is asked once more, by how often it was. */
const AGAIN = [300, 1500, 4000];

/**
 * The answer, asked again while the server is away: whoever loads a page anew has something on it.
 * @throws 503
 */
async function surely<Answer>(ask: () => Promise<Response>): Promise<Answer> {
	for (const wait of [...AGAIN, null]) {
		try {
			const response = await ask();
			if (response.ok) return (await response.json()) as Answer;
			if (response.status < 500) break;
		} catch {
			// it cannot be reached, or what it said was broken off
		}
		if (wait !== null) await new Promise((r) => setTimeout(r, wait));
	}
	error(503, 'Rows of a table could not be fetched. Load the page again.');
}

/** What is being fetched, by table and edit: two loads at once ask once. */
const under = new Map<string, Promise<readonly LivingRow[]>>();

/** The rows of a large table as an edit left them. @throws 503 */
function rowsAfter(
	table: string,
	mark: string,
	ask: typeof fetch
): Promise<readonly LivingRow[]> | readonly LivingRow[] {
	const had = fetched.get(table);
	if (had?.mark === mark) return had.rows;
	const key = `${table} ${mark}`;
	const get = async () => {
		try {
			const since = had ? `?since=${had.mark}` : '';
			const told = await surely<LivingRow[] | RowsStep>(() =>
				ask(`/tables/${encodeURIComponent(table)}/standing/${mark}${since}`)
			);
			const rows = Array.isArray(told) ? told : stepped(had!.rows, told);
			fetched.set(table, { mark, rows });
			return rows;
		} finally {
			under.delete(key);
		}
	};
	const one = under.get(key) ?? get();
	under.set(key, one);
	return one;
}

/**
 * All rows, those of large tables fetched where they are not at hand.
 * @throws 503 where they cannot be fetched: what rules give by a table is nothing without its rows
 */
export async function rowsOf(
	{ number, rows, large }: SentRows,
	ask: typeof fetch
): Promise<{ number: number; rows: LivingRows }> {
	const all: Record<string, readonly LivingRow[]> = { ...rows };
	for (const [table, mark] of Object.entries(large)) all[table] = await rowsAfter(table, mark, ask);
	return { number, rows: all };
}
