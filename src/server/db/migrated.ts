/** Whether the database has the shape that this program needs. Apart from what brings it there, which the built server has no part in. */
import type { Db } from './pool';

/** The newest change of shape that this program counts on. */
const NEWEST = '036_bulk_rows_due.sql';

/** Whether the database has the shape that this program needs. @throws when it cannot be asked */
export async function isMigrated(db: Db): Promise<boolean> {
	// a database that was never brought up to date has no such table
	const there = await db.query("select to_regclass('migration') is not null as there");
	if (!(there.rows[0] as { there: boolean }).there) return false;
	const r = await db.query('select 1 from migration where name = $1', [NEWEST]);
	return r.rowCount === 1;
}
