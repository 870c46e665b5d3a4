import { json } from '@sveltejs/kit';
import { BadInput, checkPieces, readJson } from '$door';
import { transaction } from '$server/db/pool';
import { editDraft } from '$server/draft/edit';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** The most that one edit may send: a large reference table put in at once. */
const MOST_CHARACTERS = 22_000_000;

/** Stores an edit of the draft where what it found still stands; all of it or nothing. */
export const PATCH: RequestHandler = async (event) => {
	const account = allow(event);
	let edited: Awaited<ReturnType<typeof editDraft>>;
	const response = await answer(async () => {
		const body = (await readJson(event.request, MOST_CHARACTERS)) as { pieces?: unknown } | null;
		if (!body) throw new BadInput('pieces is missing.');
		const pieces = checkPieces(body.pieces);
		edited = await transaction((c) => editDraft(c, account, pieces));
		return edited;
	});
	if (!response.ok || !('overtaken' in edited!)) return response;
	const { overtaken } = edited;
	const [{ name, by }] = overtaken;
	const message = `${by ?? 'Somebody else'} changed ${name} meanwhile, and your edit of it was not stored.`;
	return json({ message, overtaken }, { status: 409 });
};
