import { browser } from '$app/environment';
import { rowsOf } from '$lib/work/rows';
import type { LayoutLoad } from './$types';

/** What every page works on, with the rows of large tables: the page answers when they are there. On the server nothing is worked out of them. */
export const load: LayoutLoad = async ({ data, fetch }) => {
	const { number, rows, large } = data.living;
	return {
		...data,
		living: browser
			? { ...(await rowsOf(data.living, fetch)), away: [] }
			: { number, rows, away: Object.keys(large) }
	};
};
