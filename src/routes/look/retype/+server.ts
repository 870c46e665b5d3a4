import { Schema, applied } from '$core';
import { BadInput, checkModel, checkModelPieces, readJson } from '$door';
import { readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { lookAtRetype } from '$server/draft/convert';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** What every value of a field would become by an edit that gives it another type. Nothing is changed. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const body = (await readJson(event.request)) as {
			type?: unknown;
			field?: unknown;
			pieces?: unknown;
		} | null;
		const { model } = await readModel(db(), account.workspace);
		const before = new Schema(model);
		const { type, field } = body ?? {};
		const from =
			typeof type === 'string' && typeof field === 'string' ? before.field(type, field) : undefined;
		if (!from) throw new BadInput('type and field must name a field.');
		const after = applied(model, checkModelPieces(body?.pieces)).set;
		const schemas = { before, after: new Schema(checkModel(after, true)) };
		const to = schemas.after.field(type as string, from.id);
		if (!to) throw new BadInput('pieces must leave the field where it is.');
		return lookAtRetype(db(), account.workspace, { type: type as string, from, to }, schemas);
	});
};
