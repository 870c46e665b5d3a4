import { error } from '@sveltejs/kit';
import { rowsAfter } from '$server/db/living';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Rows that leave in one piece: a table of many is not put together in one go. */
const AT_ONCE = 2000;

/** The rows of a living table as one of its edits left them, for pages: the same for ever, so that a browser keeps them. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	const { id, mark } = event.params;
	const rows = await rowsAfter(db(), workspace, id, mark);
	if (!rows) error(404, 'There is no such edit of this table.');
	let i = 0;
	const encoder = new TextEncoder();
	const body = new ReadableStream<Uint8Array>({
		pull(to) {
			const some = rows.slice(i, i + AT_ONCE).map(({ id, cells }) => JSON.stringify({ id, cells }));
			const begin = i === 0 ? '[' : some.length ? ',' : '';
			i += AT_ONCE;
			const last = i >= rows.length;
			to.enqueue(encoder.encode(`${begin}${some.join()}${last ? ']' : ''}`));
			if (last) to.close();
		}
	});
	return new Response(body, {
		headers: {
			'content-type': 'application/json',
			'cache-control': 'private, max-age=31536000, immutable'
		}
	});
};
