/** Remarks in the database: what people say of rules, findings and trials. */
import type { REMARKED } from '../../door/gate';
import { iso } from './iso';
import type { Db } from './pool';

/** What a remark stands at: what it is, by its identity. */
export interface RemarkedAt {
	kind: (typeof REMARKED)[number];
	key: string;
}

export interface Remark extends RemarkedAt {
	id: string;
	/** How what it stands at was called then. */
	title: string;
	text: string;
	by: string;
	/** ISO 8601. */
	at: string;
	/** By whom it was noted as settled, and when; null as long as it is open. */
	settledBy: string | null;
	settledAt: string | null;
}

/** Remarks that are shown: the open ones, and of those that are settled the newest. */
const OPEN = 200;
const SETTLED = 50;

const REMARK = `m.id::text, m.kind, m.key, m.title, m.text, coalesce(a.name, 'somebody') as by, ${iso('m.at')} as at,
	s.name as "settledBy", ${iso('m.settled_at')} as "settledAt"`;
const FROM =
	'from remark m left join account a on a.id = m.account left join account s on s.id = m.settled_by';

/** The open ones in their order, then those that were settled last. */
export async function listRemarks(db: Db, workspace: string): Promise<Remark[]> {
	const r = await db.query<Remark>(
		`(select ${REMARK} ${FROM} where m.workspace = $1 and m.settled_at is null order by m.id limit ${OPEN})
		 union all
		 (select ${REMARK} ${FROM} where m.workspace = $1 and m.settled_at is not null order by m.settled_at desc limit ${SETTLED})`,
		[workspace]
	);
	return r.rows;
}

/** @returns how many are open */
export async function countOpenRemarks(db: Db, workspace: string): Promise<number> {
	const r = await db.query<{ n: number }>(
		'select count(*)::int as n from remark where workspace = $1 and settled_at is null',
		[workspace]
	);
	return r.rows[0].n;
}

/** Stores one. @returns its number */
export async function addRemark(
	db: Db,
	workspace: string,
	account: string,
	m: RemarkedAt & { title: string; text: string }
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into remark (workspace, kind, key, title, text, account) values ($1, $2, $3, $4, $5, $6) returning id::text`,
		[workspace, m.kind, m.key, m.title, m.text, account]
	);
	return r.rows[0].id;
}

/** Notes that one is settled, or is open after all. @returns its title where there is such a one; null for none */
export async function settleRemark(
	db: Db,
	workspace: string,
	id: string,
	by: string | null
): Promise<string | null> {
	const r = await db.query<{ title: string }>(
		`update remark set settled_by = $3, settled_at = case when $3::bigint is null then null else coalesce(settled_at, now()) end
		 where workspace = $1 and id = $2 returning title`,
		[workspace, id, by]
	);
	return r.rows[0]?.title ?? null;
}
