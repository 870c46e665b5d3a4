import { json } from '@sveltejs/kit';
import { db } from '$server/db/pool';
import { readModel } from '$server/db/model';
import { listReleases, namesInReleases, readDraft } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Releases, and what fields, options and rules were called in one that are called otherwise now. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	const [{ model }, { set }, releases, names] = await Promise.all([
		readModel(db(), workspace),
		readDraft(db(), workspace),
		listReleases(db(), workspace),
		namesInReleases(db(), workspace)
	]);
	const now = new Map<string, string>([
		...model.types.flatMap((t) => t.fields.map((f) => [`field ${t.id}.${f.id}`, f.label] as const)),
		...model.lists.flatMap((l) =>
			l.options.map((o) => [`option ${l.id}.${o.id}`, o.label] as const)
		),
		...set.rules.map((r) => [`rule .${r.id}`, r.name] as const)
	]);
	const former = names.filter((n) => {
		const label = now.get(`${n.what} ${n.of}.${n.id}`);
		return label !== undefined && label !== n.label;
	});
	return json({ former, releases: releases.map(({ number, note }) => ({ number, note })) });
};
