/** Lists of records that somebody named. */
import type { ListAsked } from '../../door/lists';
import type { Db } from './pool';

export interface View {
	id: string;
	name: string;
	list: ListAsked;
	/** Grows with every change of it. */
	version: number;
	/** Who made it, by account and by name. */
	account: string | null;
	by: string;
}

/** Most views of one record type. */
export const MOST_VIEWS = 200;

const VIEW = `v.id::text, v.name, v.list, v.version, v.account::text, coalesce(a.name, 'somebody') as by`;

/** Those of a record type, by name. */
export async function listViews(db: Db, workspace: string, type: string): Promise<View[]> {
	const r = await db.query<View>(
		`select ${VIEW} from list_view v left join account a on a.id = v.account
		 where v.workspace = $1 and v.type = $2 order by lower(v.name) limit ${MOST_VIEWS}`,
		[workspace, type]
	);
	return r.rows;
}

/** One of them, locked until the transaction ends; null where there is none. */
export async function lockView(
	db: Db,
	workspace: string,
	id: string
): Promise<(View & { type: string }) | null> {
	const r = await db.query<View & { type: string }>(
		`select ${VIEW}, v.type from list_view v left join account a on a.id = v.account
		 where v.workspace = $1 and v.id = $2 for update of v`,
		[workspace, id]
	);
	return r.rows[0] ?? null;
}

/** Whether a name is taken by another view of the type, whatever its case. */
export async function nameTaken(
	db: Db,
	workspace: string,
	type: string,
	name: string,
	but: string | null
): Promise<boolean> {
	const r = await db.query(
		`select from list_view where workspace = $1 and type = $2 and lower(name) = lower($3) and id is distinct from $4::bigint`,
		[workspace, type, name, but]
	);
	return r.rowCount !== 0;
}

/** Stores one. @returns its number */
export async function insertView(
	db: Db,
	workspace: string,
	type: string,
	account: string,
	v: { name: string; list: ListAsked }
): Promise<string> {
	const r = await db.query<{ id: string }>(
		'insert into list_view (workspace, type, name, list, account) values ($1, $2, $3, $4, $5) returning id::text',
		[workspace, type, v.name, JSON.stringify(v.list), account]
	);
	return r.rows[0].id;
}

/** Stores what one has become. */
export async function updateView(
	db: Db,
	workspace: string,
	id: string,
	v: { name: string; list: ListAsked }
): Promise<void> {
	await db.query(
		'update list_view set name = $3, list = $4, version = version + 1 where workspace = $1 and id = $2',
		[workspace, id, v.name, JSON.stringify(v.list)]
	);
}

export async function deleteView(db: Db, workspace: string, id: string): Promise<void> {
	await db.query('delete from list_view where workspace = $1 and id = $2', [workspace, id]);
}
