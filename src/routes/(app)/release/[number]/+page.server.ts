import { error } from '@sveltejs/kit';
import { readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { listReleases, readRelease, rulesOf, timesInForce } from '$server/db/rules';
import { unfitFor } from '$server/draft/fits';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** A release, the one before it, and its time in force. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:work');
	const number = /^\d{1,9}$/.test(event.params.number) ? Number(event.params.number) : 0;
	const releases = await listReleases(db(), workspace);
	const release = releases.find((r) => r.number === number);
	if (!release) error(404, `There is no release ${event.params.number}.`);
	const version = async (n: number) => {
		const doc = await readRelease(db(), workspace, n);
		return doc && { model: doc.model, set: rulesOf(doc) };
	};
	const { model, revision } = await readModel(db(), workspace);
	return {
		release,
		releases: releases.map((r) => r.number),
		before: await version(number - 1),
		after: (await version(number))!,
		times: await timesInForce(db(), workspace, number),
		unfit: await unfitFor(db(), workspace, number, model, revision)
	};
};
