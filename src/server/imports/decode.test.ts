/** Encodings of files, against Node's own encoders and the table of the Unicode consortium. */
import { describe, expect, it } from 'vitest';
import { Undecodable, decode } from './decode';

const utf16 = (text: string, big = false, mark = true) => {
	const b = Buffer.from((mark ? '\ufeff' : '') + text, 'utf16le');
	return big ? b.swap16() : b;
};
const TEXT = 'Name;Ort\r\nMüller;Köln\r\nŁódź;東京 🌱\r\n';

describe('a file', () => {
	it('is read in UTF-8, with and without a mark', () => {
		expect(decode(Buffer.from(TEXT))).toEqual({ text: TEXT, encoding: 'UTF-8' });
		expect(decode(Buffer.from(`\ufeff${TEXT}`))).toEqual({ text: TEXT, encoding: 'UTF-8' });
	});
	it.each([false, true])('is read in UTF-16, big-endian %s, marked or not', (big) => {
		const encoding = big ? 'UTF-16BE' : 'UTF-16LE';
		expect(decode(utf16(TEXT, big))).toEqual({ text: TEXT, encoding });
		const latin = 'Name;Ort\nMüller;Köln\n';
		expect(decode(utf16(latin, big, false))).toEqual({ text: latin, encoding });
	});
	it('is read in Windows-1252 where it is no UTF-8: “Müller” stays “Müller”', () => {
		const bytes = Buffer.from('Name;Preis\nMüller;5 ', 'latin1');
		const euro = Buffer.concat([bytes, Buffer.from([0x80, 0x0a, 0x93, 0x94, 0x96])]);
		expect(decode(euro)).toEqual({
			text: 'Name;Preis\nMüller;5 €\n“”–',
			encoding: 'Windows-1252'
		});
	});
	it.each([
		['bytes that Windows-1252 has no sign for', [0x41, 0xfc, 0x81]],
		['zeros', [0x41, 0, 0, 0, 0x42]],
		['an image', [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13]],
		['a sheet as it is stored (a ZIP)', [0x50, 0x4b, 3, 4, 0x14, 0, 6, 0]],
		['half a pair in UTF-16', [0xff, 0xfe, 0, 0xd8]]
	])('of %s is refused', (_, bytes) => {
		expect(() => decode(Uint8Array.from(bytes))).toThrow(Undecodable);
	});
});
