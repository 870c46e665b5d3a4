import { error } from '@sveltejs/kit';
import { note } from '$server/audit/audit';
import { readRows } from '$server/db/imports';
import { isUuid } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { csvAnswer } from '$server/http/csv';
import { allow } from '$server/http/guard';
import { importOf } from '$server/imports/imports';
import type { RequestHandler } from './$types';

const PIECE = 2_000;

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
	let after = 0;
	const name = `${file.name.replace(/\.\w+$/, '')}-${mend ? 'to-mend' : 'outcome'}`;
	return csvAnswer(name, mend ? file.head : [...told, ...file.head], async () => {
		const rows = await readRows(db(), id, {
			column,
			is: mend ? 'refused' : null,
			after,
			most: PIECE
		});
		after = rows.at(-1)?.line ?? after;
		return rows.map(({ line, cells, outcome: o }) =>
			mend
				? cells
				: [
						String(line),
						o?.is ?? 'not yet',
						o?.id ?? '',
						o?.faults.map((f) => f.message).join(' ') ?? '',
						o?.changes.flatMap((x) => (x.rule ? [`${x.field}: ${String(x.to)}`] : [])).join('; ') ??
							'',
						...cells
					]
		);
	});
};
