/**
 * Changes of records on one side; on the other what they all read, the model and the rows of living tables. Many of the
 * first may be under way at once, and of the second one, between them.
 */
import type { Db } from './pool';

/** Tells this lock from others of the database. */
const LOCK = 0x726f7773;

/** A change of records reads one state of the model and of all rows: whoever edits these waits for those that are under way. */
export async function holdStill(db: Db, workspace: string): Promise<void> {
	await db.query('select pg_advisory_xact_lock_shared($1, hashtext($2))', [LOCK, workspace]);
}

/** Edits of model and rows come one after the other, and between changes of records. To be asked for before any other lock. */
export async function betweenChanges(db: Db, workspace: string): Promise<void> {
	await db.query('select pg_advisory_xact_lock($1, hashtext($2))', [LOCK, workspace]);
}
