import { fromText, matchHows, valuesToJson } from '$core';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { matchingIds, readRecords, relatedIds } from '$server/db/records';
import { checkNeeds, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Records that a rule reads through links, and the ids of those that point to one: what a form has not at hand. */
export const POST: RequestHandler = (event) => {
	const account = allow(event, 'reader');
	return answer(async () => {
		const needs = checkNeeds(await readJson(event.request));
		const { schema } = await inForce(db(), account.workspace);
		const records: { type: string; id: string; values: unknown }[] = [];
		const related: { type: string; field: string; of: string; ids: string[] }[] = [];
		const found: { type: string; match: unknown; ids: string[] }[] = [];
		for (const n of needs) {
			if (!schema.types.has(n.type)) continue;
			if ('id' in n) {
				const [r] = await readRecords(db(), schema, account.workspace, n.type, [n.id]);
				records.push({
					type: n.type,
					id: n.id,
					values: r ? valuesToJson(schema, n.type, r.values) : null
				});
			} else if ('match' in n) {
				const fits = n.match.every((k) => {
					const f = schema.field(n.type, k.field);
					return f && matchHows(f).includes(k.how) && fromText(f, k.key, schema).ok;
				});
				if (!fits) continue;
				const [ids] = await matchingIds(db(), schema, account.workspace, n.type, [n.match]);
				found.push({ ...n, ids });
				const near = await readRecords(db(), schema, account.workspace, n.type, ids.slice(0, 20));
				for (const r of near)
					records.push({ type: n.type, id: r.id, values: valuesToJson(schema, n.type, r.values) });
			} else if (schema.field(n.type, n.field)?.type === 'link') {
				const found = await relatedIds(db(), account.workspace, n.type, n.field, [n.of]);
				const ids = found.get(n.of) ?? [];
				related.push({ ...n, ids });
				const near = await readRecords(db(), schema, account.workspace, n.type, ids.slice(0, 500));
				for (const r of near)
					records.push({ type: n.type, id: r.id, values: valuesToJson(schema, n.type, r.values) });
			}
		}
		return { records, related, found };
	});
};
