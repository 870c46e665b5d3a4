/** Texts compared without regard to what people type differently. */

/**
 * The key under which texts that differ only in case, accents, spaces or Unicode form are the same.
 * The same on every machine: it uses no locale.
 */
export function looseKey(s: string): string {
	return s
		.normalize('NFKD')
		.replace(/\p{M}/gu, '')
		.toLowerCase()
		.replace(/ß/g, 'ss')
		.replace(/\s+/gu, '')
		.normalize('NFC');
}
