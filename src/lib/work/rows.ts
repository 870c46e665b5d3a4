/** Rows of living tables as a page works on them: those of large tables are fetched once for each edit of theirs. */
import { error } from '@sveltejs/kit';
import type { LivingRow, LivingRows } from '../../core';
import type { SentRows } from '../../server/living/sent';

/** What was fetched last, by table: the very same rows as long as nobody edits them, so that what was made of them stays. */
const fetched = new Map<string, { mark: string; rows: readonly LivingRow[] }>();

/**
 * All rows, those of large tables fetched where they are not at hand.
 * @throws 503 where they cannot be fetched: what rules give by a table is nothing without its rows
 */
export async function rowsOf(
	{ number, rows, large }: SentRows,
	ask: typeof fetch
): Promise<{ number: number; rows: LivingRows }> {
	const all: Record<string, readonly LivingRow[]> = { ...rows };
	for (const [table, mark] of Object.entries(large)) {
		const had = fetched.get(table);
		if (had?.mark === mark) {
			all[table] = had.rows;
			continue;
		}
		const response = await ask(`/tables/${encodeURIComponent(table)}/standing/${mark}`);
		if (!response.ok) error(503, 'Rows of a table could not be fetched. Load the page again.');
		const own = (await response.json()) as LivingRow[];
		fetched.set(table, { mark, rows: own });
		all[table] = own;
	}
	return { number, rows: all };
}
