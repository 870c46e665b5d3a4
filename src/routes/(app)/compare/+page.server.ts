import { db } from '$server/db/pool';
import { listReleases, readRelease, rulesOf } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** The two versions that the address names; the draft is on the page already, a file never leaves it. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:work');
	const side = async (name: string | null) => {
		if (!name || !/^\d{1,9}$/.test(name)) return null;
		const doc = await readRelease(db(), workspace, Number(name));
		return doc && { model: doc.model, set: rulesOf(doc) };
	};
	const { searchParams } = event.url;
	const [releases, from, to] = await Promise.all([
		listReleases(db(), workspace),
		side(searchParams.get('from')),
		side(searchParams.get('to'))
	]);
	return { releases: releases.map(({ number, note }) => ({ number, note })), from, to };
};
