/** Rows of living tables as pages get them: few with the page, those of a large table by an address that a browser keeps. */
import type { LivingRows } from '../../core';
import { lastMarks, rowsAt } from '../db/living';
import type { Db } from '../db/pool';

/** Rows of a table that come with each page. */
const MOST_ALONG = 1000;

export interface SentRows {
	/** Of the last edit. */
	number: number;
	/** Of tables with few rows. */
	rows: LivingRows;
	/** Of the others what tells their last edit, by which they are asked for. */
	large: Record<string, string>;
}

/** The rows as they stand. */
export async function rowsToSend(db: Db, workspace: string): Promise<SentRows> {
	const { number, rows } = await rowsAt(db, workspace);
	const of = Object.entries(rows);
	const large = of.filter(([, own]) => own.length > MOST_ALONG).map(([id]) => id);
	return {
		number,
		rows: Object.fromEntries(
			of
				.filter(([id]) => !large.includes(id))
				.map(([id, own]) => [id, own.map(({ id, cells }) => ({ id, cells }))])
		),
		large: large.length ? await lastMarks(db, workspace, large, number) : {}
	};
}
