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
	const many = of.filter(([, own]) => own.length > MOST_ALONG).map(([id]) => id);
	const large = many.length ? await lastMarks(db, workspace, many, number) : {};
	const along = of.filter(([id]) => !Object.hasOwn(large, id));
	return {
		number,
		rows: Object.fromEntries(
			along.map(([id, own]) => [id, own.map(({ id, cells }) => ({ id, cells }))])
		),
		large
	};
}
