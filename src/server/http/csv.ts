/** Tables as CSV files, written while they are sent. */
import { stringify } from 'csv-stringify/sync';

/** What a sheet would run begins with an apostrophe instead; the import takes that off again. Numbers stay. */
const guarded = (cell: string) =>
	/^[=+\-@\t\r]/.test(cell) && !/^[+-]?[\d.,\s]+%?$/.test(cell) ? `'${cell}` : cell;

/**
 * An answer that is a CSV file. @param name without its ending
 * @param rows gives some rows at a time; an empty list is their end
 */
export function csvAnswer(
	name: string,
	head: readonly string[],
	rows: () => Promise<readonly (readonly string[])[]>
): Response {
	const encoder = new TextEncoder();
	const write = (lines: readonly (readonly string[])[]) =>
		encoder.encode(
			stringify(
				lines.map((l) => l.map(guarded)),
				{ record_delimiter: 'windows' }
			)
		);
	const stream = new ReadableStream<Uint8Array>({
		start: (c) => c.enqueue(write([head])),
		async pull(c) {
			const lines = await rows();
			if (lines.length) c.enqueue(write(lines));
			else c.close();
		}
	});
	const file = `${name.replace(/[^\p{L}\p{N} ._-]/gu, '_')}.csv`;
	return new Response(stream, {
		headers: {
			'content-type': 'text/csv; charset=utf-8',
			'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(file)}`
		}
	});
}
