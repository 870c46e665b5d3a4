import { json } from '@sveltejs/kit';
import { toJson } from '$core';
import { answerOne, carryOut, ifMatch, readApiBody } from '$server/http/api';
import { inForce } from '$server/records';
import { waitingAmong } from '$server/db/carried';
import { db } from '$server/db/pool';
import { tellSetBy } from '$server/db/history';
import { readRecords } from '$server/db/records';
import { allow, answered, reaches } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** One record: its values, version and who set each. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	reaches(account, event.params.type);
	const { type, id } = event.params;
	const { schema } = await inForce(db(), account.workspace);
	const known = schema.types.has(type) && /^\d{1,18}$/.test(id);
	const [r] = known ? await readRecords(db(), schema, account.workspace, type, [id]) : [];
	if (!r) return json({ message: `There is no ${type} with number ${id}.` }, { status: 404 });
	const values = Object.fromEntries(
		schema.type(type).type.fields.map((f, i) => [f.id, toJson(r.values[i])])
	);
	const pending = (await waitingAmong(db(), account.workspace, type, [id])).has(id);
	const setBy = await tellSetBy(db(), r);
	return json(
		{ type, id, version: r.version, values, setBy, pending },
		{ headers: { etag: `"${r.version}"` } }
	);
};

/** Changes a record: `{"values": {…}, "keep": ["field"], "version": 3}`; the version may come as `If-Match`. */
export const PATCH: RequestHandler = (event) => {
	const account = allow(event);
	const { type, id } = event.params;
	reaches(account, type);
	return answered(async () => {
		const { sent, keep, version: said } = await readApiBody(event.request);
		const version = ifMatch(event.request, said);
		// whoever asked by If-Match is answered as HTTP has it (RFC 9110, 13.1.1)
		const conflict = event.request.headers.has('if-match') ? 412 : 409;
		return carryOut(
			event,
			account,
			[[{ type, id, sent, keep, version }]],
			answerOne(false, conflict)
		);
	});
};
