import { error, json } from '@sveltejs/kit';
import { db, transaction } from '$server/db/pool';
import { removePart, savePart, type PartKind } from '$server/db/rules';
import { BadInput, checkDefinition, checkTable, checkVersion, readJson } from '$server/door';
import { allow, answer } from '$server/guard';
import type { RequestHandler } from './$types';

const elsewhere = () =>
	json(
		{ message: 'Somebody else changed this meanwhile. Load it again to see theirs.' },
		{ status: 409 }
	);

function kindOf(kind: string): PartKind {
	if (kind !== 'definition' && kind !== 'table') error(404, 'There is no such part of a draft.');
	return kind;
}

/** Stores a definition or a reference table of the draft, when nobody stored another version meanwhile. */
export const PUT: RequestHandler = async (event) => {
	const account = allow(event, 'author');
	const kind = kindOf(event.params.kind);
	let saved: number | null = null;
	const response = await answer(async () => {
		const body = (await readJson(event.request, 22_000_000)) as {
			part?: unknown;
			version?: unknown;
		} | null;
		const part = kind === 'table' ? checkTable(body?.part) : checkDefinition(body?.part);
		if (part.id !== event.params.id)
			throw new BadInput('The identity in the address and in the document differ.');
		const version = checkVersion(body?.version);
		saved = await transaction((c) =>
			savePart(c, account.workspace, kind, part, version, account.id)
		);
		return { version: saved };
	});
	return response.ok && saved === null ? elsewhere() : response;
};

export const DELETE: RequestHandler = async (event) => {
	const account = allow(event, 'author');
	const gone = await removePart(
		db(),
		account.workspace,
		kindOf(event.params.kind),
		event.params.id,
		Number(event.url.searchParams.get('version'))
	);
	return gone ? json({}) : elsewhere();
};
