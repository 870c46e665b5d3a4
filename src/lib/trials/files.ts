/** Trials from a file that somebody chose: JSON as the application writes it, or lines of a spreadsheet. */
import type { Schema, Trial } from '$core';
import { readCells } from '../work/csv';
import { trialsFromCells } from './csv';

/**
 * The trials of a file; what each holds is checked where it is stored.
 * @param at the moment of those that name none
 */
export function readTrials(
	text: string,
	name: string,
	schema: Schema,
	at: string
): { ok: true; trials: Trial[] } | { ok: false; message: string } {
	if (!/^\s*[[{]/.test(text)) {
		const cells = readCells(text);
		return cells.ok ? trialsFromCells(cells.cells, schema, at) : cells;
	}
	try {
		const doc: unknown = JSON.parse(text);
		if (Array.isArray(doc)) return { ok: true, trials: doc as Trial[] };
		return { ok: false, message: `${name} holds no list of trials.` };
	} catch {
		return { ok: false, message: `${name} is no JSON.` };
	}
}
