import { stringify } from 'csv-stringify/sync';
import { note } from '$server/audit/audit';
import { auditSearch } from '$server/audit/search';
import { readEntries, type Entry } from '$server/db/audit';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Entries read at a time. */
const PIECE = 1000;

/** What was found, newest first, as CSV (RFC 4180), or as JSON lines with `?as=jsonl`. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { search, asked } = auditSearch(event.url.searchParams);
	const lines = event.url.searchParams.get('as') === 'jsonl';
	await note(db(), account, 'exported the audit', '', asked);
	const head = ['at', 'who', 'did', 'object', 'detail', 'address', 'request'] as const;
	const write = (entries: readonly Entry[], first: boolean) =>
		lines
			? entries.map((e) => `${JSON.stringify(e)}\n`).join('')
			: stringify(
					entries.map((e) =>
						head.map((k) => (k === 'detail' && e.detail ? JSON.stringify(e.detail) : (e[k] ?? '')))
					),
					{
						header: first,
						columns: head.map((key) => ({ key, header: key })),
						record_delimiter: 'windows',
						// a sheet would run it: what begins like a formula begins with an apostrophe instead
						escape_formulas: true
					}
				);
	const encoder = new TextEncoder();
	let before: string | null = null;
	let first = true;
	const stream = new ReadableStream<Uint8Array>({
		async pull(controller) {
			const entries: Entry[] = await readEntries(db(), account.workspace, search, {
				before,
				most: PIECE
			});
			controller.enqueue(encoder.encode(write(entries, first)));
			first = false;
			before = entries.at(-1)?.id ?? null;
			if (entries.length < PIECE) controller.close();
		}
	});
	return new Response(stream, {
		headers: {
			'content-type': lines ? 'application/jsonl; charset=utf-8' : 'text/csv; charset=utf-8',
			'content-disposition': `attachment; filename="audit.${lines ? 'jsonl' : 'csv'}"`
		}
	});
};
