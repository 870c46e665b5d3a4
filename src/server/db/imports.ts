/** Files to import, their rows, and what became of each. */
import type { Db } from './pool';

export interface Import {
	id: string;
	workspace: string;
	account: string | null;
	by: string | null;
	/** ISO 8601. */
	at: string;
	type: string;
	name: string;
	sha256: string;
	encoding: string;
	head: string[];
	rows: number;
	settings: unknown;
	/** The jobs that tried it and carried it out, newest of each. */
	dryRun: string | null;
	job: string | null;
}

/** What became of a row. */
export interface RowOutcome {
	/** `same`: nothing was to change. */
	is: 'created' | 'changed' | 'same' | 'refused';
	/** Number of the record; of a dry run none for a new one. */
	id: string | null;
	faults: { field: string | null; message: string }[];
	changes: { field: string; to: unknown; rule: string | null; because: string | null }[];
	setAside: { field: string; sent: unknown; rule: string }[];
	nothing: { field: string; because: string }[];
	advice: string[];
	/** Other records that it ran on to, messages that left, records put off. */
	reached: number;
	sent: number;
	pending: number;
}

const COLUMNS = `i.id::text, i.workspace, i.account::text, a.name as by,
	to_char(i.at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at, i.type, i.name, i.sha256, i.encoding, i.head,
	i.rows, i.settings, i.dry_run::text as "dryRun", i.job::text as job`;

/** Keeps a file with its rows. @returns its identity */
export async function insertImport(
	db: Db,
	i: Pick<
		Import,
		'workspace' | 'account' | 'type' | 'name' | 'sha256' | 'encoding' | 'head' | 'settings'
	> & {
		content: Buffer;
	},
	rows: readonly { line: number; cells: string[] }[]
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into import (workspace, account, type, name, sha256, encoding, content, head, rows, settings)
		 values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) returning id::text`,
		[
			i.workspace,
			i.account,
			i.type,
			i.name,
			i.sha256,
			i.encoding,
			i.content,
			i.head,
			rows.length,
			JSON.stringify(i.settings)
		]
	);
	const { id } = r.rows[0];
	const PIECE = 5_000;
	for (let k = 0; k < rows.length; k += PIECE) {
		const some = rows.slice(k, k + PIECE);
		await db.query(
			`insert into import_row (import, line, cells)
			 select $1, r.line, array(select jsonb_array_elements_text(r.cells)) from jsonb_to_recordset($2::jsonb) as r(line int, cells jsonb)`,
			[id, JSON.stringify(some)]
		);
	}
	return id;
}

/** @param workspace whose it has to be; any for the worker */
export async function readImport(db: Db, id: string, workspace?: string): Promise<Import | null> {
	const r = await db.query<Import>(
		`select ${COLUMNS} from import i left join account a on a.id = i.account
		 where i.id = $1 and ($2::text is null or i.workspace = $2)`,
		[id, workspace ?? null]
	);
	return r.rows[0] ?? null;
}

/** Imports of the same file that were begun, newest first. */
export async function sameFile(db: Db, { workspace, sha256, type, id }: Import): Promise<Import[]> {
	const r = await db.query<Import>(
		`select ${COLUMNS} from import i left join account a on a.id = i.account
		 where i.workspace = $1 and i.sha256 = $2 and i.type = $3 and i.id <> $4 and i.job is not null
		 order by i.at desc limit 5`,
		[workspace, sha256, type, id]
	);
	return r.rows;
}

/** The newest imports of a record type. */
export async function listImports(
	db: Db,
	workspace: string,
	type: string,
	most: number
): Promise<Import[]> {
	const r = await db.query<Import>(
		`select ${COLUMNS} from import i left join account a on a.id = i.account
		 where i.workspace = $1 and i.type = $2 order by i.at desc limit $3`,
		[workspace, type, most]
	);
	return r.rows;
}

/** Locks an import, so that it is begun once. */
export async function lockImport(db: Db, id: string): Promise<void> {
	await db.query('select 1 from import where id = $1 for update', [id]);
}

export async function storeSettings(db: Db, id: string, settings: unknown): Promise<void> {
	await db.query('update import set settings = $2 where id = $1', [id, JSON.stringify(settings)]);
}

/** Which job tries it, or carries it out. */
export async function noteJob(
	db: Db,
	id: string,
	column: 'dry_run' | 'job',
	job: string
): Promise<void> {
	await db.query(`update import set ${column} = $2 where id = $1`, [id, job]);
	if (column === 'dry_run')
		await db.query('update import_row set dry = null where import = $1', [id]);
}

/** Rows from a line on that have no outcome yet, in their order. */
export async function nextRows(
	db: Db,
	id: string,
	most: number,
	{ dry = false, after = 0 }: { dry?: boolean; after?: number } = {}
): Promise<{ line: number; cells: string[] }[]> {
	const r = await db.query<{ line: number; cells: string[] }>(
		`select line, cells from import_row where import = $1 and line > $3 and (${dry ? 'dry' : 'outcome'} is null)
		 order by line limit $2`,
		[id, most, after]
	);
	return r.rows;
}

/** Keeps what became of rows. @returns how many had none yet */
export async function keepOutcomes(
	db: Db,
	id: string,
	outcomes: readonly { line: number; outcome: RowOutcome }[],
	column: 'outcome' | 'dry' = 'outcome'
): Promise<number> {
	const r = await db.query(
		`update import_row r set ${column} = o.outcome from jsonb_to_recordset($2::jsonb) as o(line int, outcome jsonb)
		 where r.import = $1 and r.line = o.line and r.${column} is null`,
		[id, JSON.stringify(outcomes)]
	);
	return r.rowCount ?? 0;
}

/** How many rows came to what. */
export async function tallyRows(
	db: Db,
	id: string,
	column: 'outcome' | 'dry'
): Promise<Record<RowOutcome['is'], number>> {
	const r = await db.query<{ is: RowOutcome['is']; n: number }>(
		`select ${column}->>'is' as is, count(*)::int as n from import_row where import = $1 and ${column} is not null group by 1`,
		[id]
	);
	const tally = { created: 0, changed: 0, same: 0, refused: 0 };
	for (const { is, n } of r.rows) tally[is] = n;
	return tally;
}

export interface SeenRow {
	line: number;
	cells: string[];
	outcome: RowOutcome | null;
}

/** Rows with what became of them. @param is only those that came to that */
export async function readRows(
	db: Db,
	id: string,
	o: { column: 'outcome' | 'dry'; is: RowOutcome['is'] | null; after: number; most: number }
): Promise<SeenRow[]> {
	const r = await db.query<SeenRow>(
		`select line, cells, ${o.column} as outcome from import_row
		 where import = $1 and line > $2 and ($3::text is null or ${o.column}->>'is' = $3) order by line limit $4`,
		[id, o.after, o.is, o.most]
	);
	return r.rows;
}
