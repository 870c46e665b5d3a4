/**
 * The format of stored documents. Every rule, definition, table, trial and release is stored with the
 * format it was written in; what is read is brought to the present one by pure steps, while stored
 * bytes and their hashes never change. A format from the future is refused by name, never guessed at.
 */

/** The format that is written now. */
export const FORMAT = 1;

export type DocumentKind =
	'rule' | 'definition' | 'table' | 'acceptance' | 'trial' | 'release' | 'bundle';

/** A document cannot be read here. */
export class FormatError extends Error {}

/**
 * From each format to the next, by the kind of document. The first change of a format puts its step
 * here, and a file of the past one into `fixtures/`.
 */
const STEPS: readonly Partial<Record<DocumentKind, (doc: unknown) => unknown>>[] = [];

/**
 * A document as the present format has it.
 * @param format the one it was stored in
 * @throws {FormatError} when that is none, or one of a later version of this program
 */
export function upgraded<T>(kind: DocumentKind, doc: unknown, format: number): T {
	if (!Number.isInteger(format) || format < 1)
		throw new FormatError(`This ${kind} says no format; the present one is ${FORMAT}.`);
	if (format > FORMAT)
		throw new FormatError(
			`This ${kind} has format ${format}; this version reads formats up to ${FORMAT}. It was written by a later version.`
		);
	return STEPS.slice(format - 1).reduce((d, step) => step[kind]?.(d) ?? d, doc) as T;
}
