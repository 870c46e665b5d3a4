import { error } from '@sveltejs/kit';
import { stringify } from 'csv-stringify/sync';
import { note } from '$server/audit/audit';
import { readRows } from '$server/db/imports';
import { isUuid } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import { importOf } from '$server/imports/imports';
import type { RequestHandler } from './$types';

const PIECE = 2_000;

/** What a sheet would run begins with an apostrophe instead; the import takes that off again. Numbers stay. */
const guarded = (cell: string) =>
	/^[=+\-@\t\r]/.test(cell) && !/^[+-]?[\d.,\s]+%?$/.test(cell) ? `'${cell}` : cell;

/** Rows as CSV: `?what=outcome` all with what became of them, `?what=mend` the refused ones as they came, to be mended and imported. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { id } = event.params;
	const file = isUuid(id) ? await importOf(account.workspace, id) : null;
	if (!file) error(404, 'There is no such file taken in.');
	const mend = event.url.searchParams.get('what') === 'mend';
	const column = file.job ? ('outcome' as const) : ('dry' as const);
	await note(
		db(),
		account,
		'took out a file',
		`${file.name}, ${mend ? 'rows to mend' : 'outcomes'}`
	);
	const told = ['Line', 'Outcome', 'Record', 'Why', 'Written by rules'];
	const encoder = new TextEncoder();
	const write = (rows: readonly (readonly string[])[]) =>
		encoder.encode(
			stringify(
				rows.map((r) => r.map(guarded)),
				{ record_delimiter: 'windows' }
			)
		);
	let after = 0;
	const stream = new ReadableStream<Uint8Array>({
		start: (c) => c.enqueue(write([mend ? file.head : [...told, ...file.head]])),
		async pull(c) {
			const rows = await readRows(db(), id, {
				column,
				is: mend ? 'refused' : null,
				after,
				most: PIECE
			});
			const lines = rows.map(({ line, cells, outcome: o }) =>
				mend
					? cells
					: [
							String(line),
							o?.is ?? 'not yet',
							o?.id ?? '',
							o?.faults.map((f) => f.message).join(' ') ?? '',
							o?.changes
								.flatMap((x) => (x.rule ? [`${x.field}: ${String(x.to)}`] : []))
								.join('; ') ?? '',
							...cells
						]
			);
			if (lines.length) c.enqueue(write(lines));
			after = rows.at(-1)?.line ?? after;
			if (rows.length < PIECE) c.close();
		}
	});
	const name = `${file.name.replace(/\.\w+$/, '').replace(/[^\p{L}\p{N} ._-]/gu, '_')}-${mend ? 'to-mend' : 'outcome'}.csv`;
	return new Response(stream, {
		headers: {
			'content-type': 'text/csv; charset=utf-8',
			'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`
		}
	});
};
