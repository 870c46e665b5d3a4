/** Links that a sender gives by a key of the record instead of its number: `{"vat_number": "NL…"}`. */
import { fromJson } from '../core/model/codec';
import type { Field, Schema } from '../core/model/model';
import type { MatchKey } from '../core/text/match';
import { matchHows, matchKey } from '../core/text/match';
import type { Db } from './db/pool';
import { matchingIds } from './db/records';

/** Whether a link is given by a key. */
export const isByKey = (json: unknown): json is Record<string, unknown> =>
	typeof json === 'object' && json !== null && !Array.isArray(json);

/** The fields by which other systems know the records of a type. */
export const keysOf = (schema: Schema, type: string): Field[] =>
	schema.type(type).type.fields.filter((f) => f.key && !f.retired);

/** The number of the one record that has the keys given; or what is wrong: not a key, none, several. */
export async function linkByKey(
	db: Db,
	schema: Schema,
	workspace: string,
	link: Field,
	given: Record<string, unknown>
): Promise<{ ok: true; id: string } | { ok: false; message: string }> {
	const target = schema.type(link.target!).type;
	const wrong = (message: string) => ({ ok: false as const, message: `${link.label}: ${message}` });
	const known = keysOf(schema, target.id);
	const search: MatchKey[] = [];
	for (const [id, json] of Object.entries(given)) {
		const f = known.find((x) => x.id === id);
		if (!f) {
			const names = known.map((x) => `“${x.id}”`).join(', ');
			return wrong(
				`“${id}” is no key of a ${target.label.toLowerCase()}. ${names ? `Its keys: ${names}.` : 'It has none; send its number.'}`
			);
		}
		const [how] = matchHows(f);
		const r = fromJson(f, json, schema);
		if (!r.ok) return wrong(r.message);
		const key = matchKey(how, r.value);
		if (key === null) return wrong(`${f.label} is blank, so it names no record.`);
		search.push({ field: f.id, how, key });
	}
	if (!search.length) return wrong('No key is given.');
	const [found] = await matchingIds(db, schema, workspace, target.id, [search]);
	const said = Object.entries(given)
		.map(([id, v]) => `${schema.field(target.id, id)!.label} “${String(v)}”`)
		.join(' and ');
	if (!found.length) return wrong(`no ${target.label.toLowerCase()} has ${said}.`);
	if (found.length > 1)
		return wrong(
			`several ${target.plural.toLowerCase()} have ${said}: numbers ${found.slice(0, 5).join(', ')}. Send the number of one.`
		);
	return { ok: true, id: found[0] };
}
