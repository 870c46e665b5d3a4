/** Who did what, as it is kept: rows that are only ever added. */
import type { Db } from './pool';

/** What can be done that is kept, for people. The journal keeps what becomes of records. */
export const DEEDS = {
	'signed in': 'Sign-ins',
	'signed out': 'Sign-ins',
	'refused at sign-in': 'Sign-ins',
	'ended sessions': 'Sign-ins',
	'was refused a right': 'Refusals',
	'added a person': 'People',
	'changed a person': 'People',
	'retired a person': 'People',
	'took a person back': 'People',
	'gave a password': 'People',
	'changed a password': 'People',
	'added a service': 'People',
	'made a token': 'Tokens',
	'revoked a token': 'Tokens',
	'changed a setting': 'Settings',
	'changed the model': 'Model',
	'edited the draft': 'Draft',
	'stored a trial': 'Draft',
	'removed a trial': 'Draft',
	'accepted a finding': 'Draft',
	'took an acceptance back': 'Draft',
	'changed many records': 'Records',
	'took a bulk change back': 'Records',
	'took an import back': 'Records',
	'left values out of line': 'Records',
	'took up again what was left out of line': 'Records',
	'kept a view': 'Records',
	'changed a view': 'Records',
	'removed a view': 'Records',
	'wanted an index': 'Records',
	'wanted an index no more': 'Records',
	remarked: 'Draft',
	'settled a remark': 'Draft',
	'opened a remark again': 'Draft',
	'took a release as the draft': 'Draft',
	'returned to a draft': 'Draft',
	'rehearsed the draft': 'Releases',
	'rehearsed a version': 'Releases',
	'rehearsed rows of a table': 'Tables',
	'edited rows of a table': 'Tables',
	'took an edit of rows back': 'Tables',
	'said who edits a table': 'Settings',
	'made a webhook': 'Outside',
	'changed a webhook': 'Outside',
	'deleted a webhook': 'Outside',
	'sent events of a webhook again': 'Outside',
	'left out an event of a webhook': 'Outside',
	'handed a message over again': 'Outside',
	'said how a stand-in answers': 'Outside',
	'started the lead source': 'Outside',
	'stopped the lead source': 'Outside',
	released: 'Releases',
	'put in force': 'Releases',
	'started a pilot': 'Releases',
	'widened a pilot': 'Releases',
	'withdrew a pilot': 'Releases',
	'put a pilot in force for all': 'Releases',
	'imported a file': 'Records',
	'deleted a record': 'Records',
	'stopped a job': 'Jobs',
	'paused a job': 'Jobs',
	'went on with a job': 'Jobs',
	'took out a file': 'Exports',
	'exported the audit': 'Exports'
} as const;
export type Deed = keyof typeof DEEDS;

export interface NewEntry {
	workspace: string;
	/** Null where nobody was signed in. */
	account: string | null;
	who: string;
	did: Deed;
	object: string;
	detail: unknown;
	address: string | null;
	request: string | null;
}

export async function insertEntry(db: Db, e: NewEntry): Promise<void> {
	await db.query(
		`insert into audit (workspace, account, who, did, object, detail, address, request)
		 values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		[
			e.workspace,
			e.account,
			e.who.slice(0, 200),
			e.did,
			e.object.slice(0, 500),
			e.detail === undefined ? null : JSON.stringify(e.detail),
			e.address,
			e.request
		]
	);
}

/** An entry as it is read. */
export interface Entry {
	id: string;
	/** ISO 8601. */
	at: string;
	who: string;
	did: Deed;
	object: string;
	detail: unknown;
	address: string | null;
	request: string | null;
}

/** What is looked for. */
export interface AuditSearch {
	deeds: readonly Deed[] | null;
	/** Within who, object, address and request. */
	find: string;
	/** Days `YYYY-MM-DD`, in the zone of the workspace, both within. */
	from: string | null;
	to: string | null;
}

/** Entries, newest first, before a certain one where one is named. */
export async function readEntries(
	db: Db,
	workspace: string,
	{ deeds, find, from, to }: AuditSearch,
	{ before = null, most }: { before?: string | null; most: number }
): Promise<Entry[]> {
	const like = find ? `%${find.replace(/[\\%_]/g, '\\$&')}%` : null;
	const r = await db.query<Entry>(
		`select e.id::text, to_char(e.at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as at, e.who, e.did,
		        e.object, e.detail, e.address, e.request
		 from audit e join workspace w on w.id = e.workspace
		 where e.workspace = $1 and ($2::text[] is null or e.did = any($2))
		   and ($3::text is null or e.who ilike $3 or e.object ilike $3 or e.address ilike $3 or e.request ilike $3)
		   and ($4::date is null or e.at >= $4::date::timestamp at time zone w.zone)
		   and ($5::date is null or e.at < ($5::date + 1)::timestamp at time zone w.zone)
		   and ($6::bigint is null or e.id < $6::bigint)
		 order by e.id desc limit $7`,
		[workspace, deeds, like, from, to, before, most]
	);
	return r.rows;
}
