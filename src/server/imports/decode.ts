/** What the bytes of a file say as text, and in which encoding they are. */
import iconv from 'iconv-lite';

/** The file is no text in any encoding that is read. */
export class Undecodable extends Error {
	constructor() {
		super(
			'This is no text file in UTF-8, UTF-16 or Windows-1252. Save the sheet as CSV in UTF-8, then take that.'
		);
	}
}

export type Encoding = 'UTF-8' | 'UTF-16LE' | 'UTF-16BE' | 'Windows-1252';

/** Bytes that Windows-1252 gives no sign to (https://www.unicode.org/Public/MAPPINGS/VENDORS/MICSFT/WINDOWS/CP1252.TXT). */
const UNASSIGNED = new Set([0x81, 0x8d, 0x8f, 0x90, 0x9d]);

/** Control characters that no text has: all but tab, line feed, carriage return. */
const CONTROL = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/;

const strictly = (encoding: string, bytes: Uint8Array): string | null => {
	try {
		return new TextDecoder(encoding, { fatal: true }).decode(bytes);
	} catch {
		return null;
	}
};

/**
 * Reads bytes as text. What is no UTF-8 and has no mark of UTF-16 is Windows-1252, unless it holds what that
 * has no sign for: “Müller” never becomes “M�ller”.
 * @throws {Undecodable}
 */
export function decode(bytes: Uint8Array): { text: string; encoding: Encoding } {
	const found = read(bytes);
	if (!found || CONTROL.test(found.text)) throw new Undecodable();
	return found;
}

function read(bytes: Uint8Array): { text: string; encoding: Encoding } | null {
	const [a, b] = bytes;
	const as = (encoding: Encoding) => {
		const text = strictly(encoding, bytes);
		return text === null ? null : { text, encoding };
	};
	if (a === 0xff && b === 0xfe) return as('UTF-16LE');
	if (a === 0xfe && b === 0xff) return as('UTF-16BE');
	// UTF-16 without a mark: every other byte of Latin text is zero
	const sample = bytes.subarray(0, 2000);
	const zeros = [0, 0];
	sample.forEach((x, i) => {
		if (x === 0) zeros[i % 2]++;
	});
	if (zeros[1] > sample.length / 4 && !zeros[0]) return as('UTF-16LE');
	if (zeros[0] > sample.length / 4 && !zeros[1]) return as('UTF-16BE');
	const utf8 = as('UTF-8');
	if (utf8) return utf8;
	if (bytes.some((x) => UNASSIGNED.has(x))) return null;
	// TextDecoder of Node 20 takes it for ISO 8859-1, and so loses the euro and all quotation marks
	return { text: iconv.decode(Buffer.from(bytes), 'win1252'), encoding: 'Windows-1252' };
}
