import { BadInput } from '$door';
import { isUuid } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { behind, readRehearsal, type BehindAsked } from '$server/db/rehearsals';
import { allow, answer } from '$server/http/guard';
import { error } from '@sveltejs/kit';
import type { RequestHandler } from './$types';

/** Records that come with one answer. */
const MOST = 2_000;

/**
 * The records behind something that a rehearsal tells, in the order of their numbers, or of a replay the changes:
 * `about`, and of a value `from` and `to` (JSON), `only`, `least`, `most`, `claim` (`-` for none); `after` the `row`
 * to go on behind.
 */
export const GET: RequestHandler = (event) => {
	const { workspace } = allow(event);
	return answer(async () => {
		const { id } = event.params;
		const q = event.url.searchParams;
		if (!isUuid(id) || !(await readRehearsal(db(), workspace, id)))
			error(404, 'There is no such rehearsal; those that are old are forgotten.');
		const after = q.get('after');
		if (after !== null && !/^\d{1,9}\.\d{1,18}$/.test(after))
			throw new BadInput('after must be the row of the last one, as the answer before gave it.');
		const rows = await behind(db(), id, askedFrom(q), after, MOST);
		return { rows, more: rows.length === MOST };
	});
};

function askedFrom(q: URLSearchParams): BehindAsked {
	const about = q.get('about');
	if (!about) throw new BadInput('about must say what the records are behind.');
	const json = (name: string) => {
		const text = q.get(name);
		if (text === null) return {};
		try {
			return { [name]: JSON.parse(text) as never };
		} catch {
			throw new BadInput(`${name} must be JSON.`);
		}
	};
	const size = (name: string) => {
		const text = q.get(name);
		if (text === null) return {};
		const n = Number(text);
		if (!text || !Number.isFinite(n)) throw new BadInput(`${name} must be a number.`);
		return { [name]: n };
	};
	const only = q.get('only');
	if (only !== null && only !== 'overwritten' && only !== 'blanked')
		throw new BadInput('only must be overwritten or blanked.');
	const claim = q.get('claim');
	return {
		about,
		...json('from'),
		...json('to'),
		...size('least'),
		...size('most'),
		...(only ? { only } : {}),
		...(claim === null ? {} : { claim: claim === '-' ? null : claim })
	};
}
