/** Files that come to be imported: taken in, told how their rows are read, tried and carried out. */
import { createHash } from 'node:crypto';
import { BadInput } from '../../door';
import { note } from '../audit/audit';
import {
	insertImport,
	lockImport,
	noteJob,
	readImport,
	storeSettings,
	type Import
} from '../db/imports';
import { insertJob, readJob } from '../db/jobs';
import type { Account } from '../db/people';
import { db, transaction } from '../db/pool';
import { inForce } from '../records';
import { Undecodable, decode } from './decode';
import { MAX_IMPORT, checkSettings, columnsByName, readCsv, type Settings } from './rows';

/** The most bytes of a file: UTF-16 has two for a sign. */
export const MAX_BYTES = MAX_IMPORT + 2_000_000;

/** Takes a file in. @returns its identity @throws {BadInput} when it cannot be read */
export async function takeIn(
	by: Account,
	file: { type: string; name: string; content: Buffer; keep?: string[] }
): Promise<string> {
	if (file.content.length > MAX_BYTES)
		throw new BadInput(
			`A file may have ${MAX_BYTES / 1e6} MB; this one has ${Math.ceil(file.content.length / 1e6)}.`
		);
	let read: ReturnType<typeof decode>;
	try {
		read = decode(file.content);
	} catch (e) {
		if (e instanceof Undecodable) throw new BadInput(e.message);
		throw e;
	}
	const { head, rows } = readCsv(read.text);
	if (!rows.length) throw new BadInput('The file has a heading and no rows.');
	const { schema } = await inForce(db(), by.workspace);
	const settings: Settings = {
		columns: columnsByName(schema, file.type, head),
		keep: (file.keep ?? []).filter((k) => schema.field(file.type, k)),
		by: null,
		mode: 'both'
	};
	const { type, content } = file;
	return transaction((c) =>
		insertImport(
			c,
			{
				workspace: by.workspace,
				account: by.id,
				type,
				name: file.name.replace(/\p{Cc}/gu, ' ').slice(0, 200),
				sha256: createHash('sha256').update(content).digest('hex'),
				encoding: read.encoding,
				content,
				head,
				settings
			},
			rows
		)
	);
}

/** Of two who begin the same, or of one who changes what has begun, the second hears so. */
export class BegunAlready extends Error {}

/**
 * Begins to try an import, or to carry it out, as it is told to be read.
 * @returns the job
 * @throws {BadInput | BegunAlready}
 */
export async function begin(
	by: Account,
	id: string,
	what: 'dry run' | 'import',
	settings: Settings
): Promise<string> {
	const { schema } = await inForce(db(), by.workspace);
	return transaction(async (c) => {
		await lockImport(c, id);
		const file = (await readImport(c, id, by.workspace))!;
		if (file.job) throw new BegunAlready('This import was begun already.');
		const trying = file.dryRun && (await readJob(c, file.dryRun));
		if (trying && !trying.ended)
			throw new BegunAlready('It is being tried just now. Stop that first.');
		checkSettings(schema, file.type, file.head, settings);
		await storeSettings(c, id, settings);
		const { label, plural } = schema.type(file.type).type;
		const job = await insertJob(c, {
			workspace: by.workspace,
			kind: what,
			title: `${file.name}, ${file.rows} ${(file.rows === 1 ? label : plural).toLowerCase()}`,
			account: by.id,
			input: { import: id },
			of: file.rows
		});
		await noteJob(c, id, what === 'import' ? 'job' : 'dry_run', job);
		if (what === 'import')
			await note(c, by, 'imported a file', file.name, {
				type: file.type,
				rows: file.rows,
				sha256: file.sha256,
				encoding: file.encoding,
				settings
			});
		return job;
	});
}

/** The import of a workspace; null for none. */
export const importOf = (workspace: string, id: string): Promise<Import | null> =>
	readImport(db(), id, workspace);
