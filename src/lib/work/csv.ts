/** Reference tables as CSV files (RFC 4180) and as cells pasted from a spreadsheet. */
import { parse } from 'csv-parse/browser/esm/sync';
import { stringify } from 'csv-stringify/browser/esm/sync';

/** Largest text read, in UTF-16 units. */
const MOST = 20_000_000;

/** Reads CSV text parted by commas, semicolons or tabs; or says where it is malformed. */
export function readCells(
	text: string
): { ok: true; cells: string[][] } | { ok: false; message: string } {
	if (text.length > MOST)
		return { ok: false, message: `A file may have ${MOST / 1e6} million characters.` };
	const head = text.slice(0, text.indexOf('\n') + 1 || undefined);
	const count = (sign: string) => head.split(sign).length;
	const delimiter = [',', ';', '\t'].reduce((a, b) => (count(b) > count(a) ? b : a));
	try {
		const cells = parse(text, {
			bom: true,
			delimiter,
			relax_column_count: true,
			skip_empty_lines: true,
			max_record_size: 100_000
		}) as string[][];
		return { ok: true, cells };
	} catch (e) {
		const { lines = 1, code } = e as { lines?: number; code?: string };
		return {
			ok: false,
			message:
				code === 'CSV_MAX_RECORD_SIZE'
					? `Line ${lines}: a line may have 100 000 characters. Is a quotation mark missing?`
					: `Line ${lines}: the quotation marks do not match up. A quotation mark inside a value is doubled.`
		};
	}
}

/** Rows of text as CSV, lines ended as RFC 4180 says. */
export const writeCells = (cells: string[][]): string =>
	stringify(cells, { record_delimiter: '\r\n' });

/** Gives the browser a file to keep. */
export function offerFile(name: string, text: string, type: string) {
	const url = URL.createObjectURL(new Blob([text], { type }));
	const a = document.createElement('a');
	a.href = url;
	a.download = name;
	a.click();
	URL.revokeObjectURL(url);
}
