import { error } from '@sveltejs/kit';
import { db, transaction } from '$server/db/pool';
import { putInForce, readRelease, replaceDraft, rulesOf } from '$server/db/rules';
import { Schema, compilePlan } from '$core';
import { unfitFor } from '$server/draft/fits';
import { inForce } from '$server/records';
import { noteOutOfLine } from '$server/records/out-of-line';
import { BadInput, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** A release as a file: rules, claim orders and the model it was made with. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event, 'reader');
	const number = Number(event.params.number);
	const doc = Number.isInteger(number) ? await readRelease(db(), account.workspace, number) : null;
	if (!doc) error(404, `There is no release ${event.params.number}.`);
	return new Response(`${JSON.stringify(doc, null, 2)}\n`, {
		headers: {
			'content-type': 'application/json; charset=utf-8',
			'content-disposition': `attachment; filename="release-${number}.json"`
		}
	});
};

/** Puts a release in force, or makes it the draft. */
export const POST: RequestHandler = (event) => {
	const account = allow(event, 'author');
	const number = Number(event.params.number);
	if (!Number.isInteger(number)) error(404, 'There is no such release.');
	return answer(async () => {
		const body = (await readJson(event.request)) as { do?: unknown } | null;
		await transaction(async (c) => {
			const doc = await readRelease(c, account.workspace, number);
			if (!doc) error(404, `There is no release ${number}.`);
			if (body?.do === 'put in force') {
				const { plan: before, schema, modelRevision } = await inForce(c, account.workspace);
				const { workspace } = account;
				const why = await unfitFor(c, workspace, number, schema.model, modelRevision);
				if (why)
					throw new BadInput(
						`Release ${number} no longer runs on the model as it is today. ${why} Take it as the draft and mend it there.`
					);
				await putInForce(c, account.workspace, number, account.id);
				const after = compilePlan(new Schema(schema.model), rulesOf(doc));
				await noteOutOfLine(c, account, number, { before, after }, Date.now());
			} else if (body?.do === 'take as draft')
				await replaceDraft(c, account.workspace, rulesOf(doc), account.id);
			else throw new BadInput('do must be “put in force” or “take as draft”.');
		});
	});
};
