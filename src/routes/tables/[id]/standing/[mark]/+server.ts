import { error, json } from '@sveltejs/kit';
import type { LivingRow } from '$core';
import { rowsAfter } from '$server/db/living';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Rows that leave in one piece: a table of many is not put together in one go. */
const AT_ONCE = 2000;

/** What an edit left is the same for ever, so that a browser keeps it. */
const FOR_EVER = { 'cache-control': 'private, max-age=31536000, immutable' };
const sent = ({ id, cells }: LivingRow): LivingRow => ({ id, cells });

/** The rows of a living table as one of its edits left them, for pages; with `?since=` only what few became others since an earlier one. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	const { id, mark } = event.params;
	const told = await rowsAfter(db(), workspace, id, mark, event.url.searchParams.get('since'));
	if (!told) error(404, 'There is no such edit of this table.');
	if ('put' in told) {
		const put = told.put.map(({ at, row }) => ({ at, row: sent(row) }));
		return json({ gone: told.gone, put }, { headers: FOR_EVER });
	}
	const rows = told;
	let i = 0;
	const encoder = new TextEncoder();
	const body = new ReadableStream<Uint8Array>({
		pull(to) {
			const some = rows.slice(i, i + AT_ONCE).map((r) => JSON.stringify(sent(r)));
			const begin = i === 0 ? '[' : some.length ? ',' : '';
			i += AT_ONCE;
			const last = i >= rows.length;
			to.enqueue(encoder.encode(`${begin}${some.join()}${last ? ']' : ''}`));
			if (last) to.close();
		}
	});
	return new Response(body, { headers: { ...FOR_EVER, 'content-type': 'application/json' } });
};
