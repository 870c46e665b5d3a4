/** Answers kept for requests that come twice: claimed and filled in the transaction of what they answer. */
import type { Db } from './pool';

/** Which request it was. */
export interface RequestKey {
	account: string;
	/** Method and address. */
	route: string;
	key: string;
	/** Of all that was sent. */
	hash: string;
}

export interface KeptAnswer {
	status: number;
	body: unknown;
	hash: string;
}

/**
 * Claims a key for this transaction. One that another transaction has claimed is waited for.
 * @returns null when it is claimed; the answer that was given, when the request was answered before
 */
export async function claimAnswer(db: Db, k: RequestKey): Promise<KeptAnswer | null> {
	const claimed = await db.query(
		`insert into kept_answer (account, route, key, request_hash) values ($1, $2, $3, $4)
		 on conflict (account, route, key) do update set request_hash = excluded.request_hash, status = null,
		   body = null, at = now()
		 where kept_answer.at < now() - interval '1 day'`,
		[k.account, k.route, k.key, k.hash]
	);
	if (claimed.rowCount) return null;
	const r = await db.query<KeptAnswer>(
		`select status, body, request_hash as hash from kept_answer
		 where account = $1 and route = $2 and key = $3`,
		[k.account, k.route, k.key]
	);
	return r.rows[0];
}

/** Keeps what is answered. */
export async function keepAnswer(
	db: Db,
	k: RequestKey,
	{ status, body }: { status: number; body: unknown }
): Promise<void> {
	await db.query(
		'update kept_answer set status = $4, body = $5 where account = $1 and route = $2 and key = $3',
		[k.account, k.route, k.key, status, JSON.stringify(body)]
	);
}
