/** Texts cleaned and counted, as the functions of the language and proposals from records do it. */

/** Without spaces at either end, and inner runs of spaces made one. */
export const squeeze = (s: string): string => s.trim().replace(/\s+/gu, ' ');

/** Each word with a capital first and small letters after. */
export const properCase = (s: string): string =>
	s
		.toLowerCase()
		.replace(/(^|[\s\-'’])(\p{L})/gu, (_, a: string, b: string) => a + b.toUpperCase());

/** The words of a text: what stands between spaces and has a letter or a digit, without signs at its ends. */
export const wordsIn = (s: string): string[] =>
	s
		.split(/\s+/u)
		.map((w) => w.replace(/^[^\p{L}\p{M}\p{N}]+|[^\p{L}\p{M}\p{N}]+$/gu, ''))
		.filter((w) => w !== '');
