import { error, text } from '@sveltejs/kit';
import { Schema } from '$core';
import { BadInput, readJson } from '$door';
import { DMN_VERSIONS, fromDmn, toDmn, type DmnVersion } from '$door/dmn';
import { note } from '$server/audit/audit';
import { db } from '$server/db/pool';
import { readModel } from '$server/db/model';
import { readDraft, readRelease, rulesOf } from '$server/db/rules';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Rules of the draft or a release as a DMN file; with `told` what other programs do not find in it. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { workspace } = account;
	const q = event.url.searchParams;
	const version = (q.get('version') ?? '1.3') as DmnVersion;
	if (!DMN_VERSIONS.includes(version)) error(400, `Versions are ${DMN_VERSIONS.join(', ')}.`);
	const of = q.get('of') ?? 'draft';
	const number = /^\d{1,9}$/.test(of) ? Number(of) : 0;
	const doc = number ? await readRelease(db(), workspace, number) : null;
	if (of !== 'draft' && !doc) error(404, `There is no release “${of}”.`);
	const set = doc ? rulesOf(doc) : (await readDraft(db(), workspace)).set;
	const model = doc?.model ?? (await readModel(db(), workspace)).model;
	const name = doc ? `Release ${number}` : 'Draft';
	const file = await toDmn(set, new Schema(model).with(set), { name, version });
	if (q.has('told')) return answer(async () => ({ lost: file.lost, holds: file.holds }));
	await note(db(), account, 'took out a file', `${name} as DMN ${version}`);
	return text(file.xml, {
		headers: {
			'content-type': 'application/xml; charset=utf-8',
			'content-disposition': `attachment; filename="rules-${of}.dmn"`
		}
	});
};

/** Reads a DMN file against the draft: what it holds and what of it cannot be taken in. Nothing is stored. */
export const POST: RequestHandler = (event) => {
	const { workspace } = allow(event);
	return answer(async () => {
		const sent = (await readJson(event.request)) as { xml?: unknown; type?: unknown } | null;
		if (typeof sent?.xml !== 'string') throw new BadInput('xml must be the text of a DMN file.');
		const { model } = await readModel(db(), workspace);
		const { set } = await readDraft(db(), workspace);
		const schema = new Schema(model).with(set);
		if (typeof sent.type !== 'string' || !schema.types.has(sent.type))
			throw new BadInput('type must be a record type.');
		return fromDmn(sent.xml, schema, sent.type);
	});
};
