import { json } from '@sveltejs/kit';
import { toJson } from '$core';
import { readApiBody } from '$server/http/api';
import { inForce, save } from '$server/records';
import { waitingAmong } from '$server/db/carried';
import { db } from '$server/db/pool';
import { readRecords } from '$server/db/records';
import { allow, answer, senderOf } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** One record: its values, version and who set each. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { type, id } = event.params;
	const { schema } = await inForce(db(), account.workspace);
	const known = schema.types.has(type) && /^\d{1,18}$/.test(id);
	const [r] = known ? await readRecords(db(), schema, account.workspace, type, [id]) : [];
	if (!r) return json({ message: `There is no ${type} with number ${id}.` }, { status: 404 });
	const values = Object.fromEntries(
		schema.type(type).type.fields.map((f, i) => [f.id, toJson(r.values[i])])
	);
	const pending = (await waitingAmong(db(), account.workspace, type, [id])).has(id);
	return json({ type, id, version: r.version, values, setBy: r.setBy, pending });
};

/** Changes a record: `{"values": {…}, "keep": ["field"], "version": 3}`. */
export const PATCH: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { sent, keep, version } = await readApiBody(event.request);
		const { type, id } = event.params;
		const [outcome] = await save(senderOf(account, 'api'), [{ type, id, sent, keep, version }]);
		return outcome;
	});
};
