/** Links that a sender gives by a key of the record instead of its number: `{"vat_number": "NL…"}`. */
import type { Field, Loader, MatchKey, Schema } from '../../core';
import { fromJson, matchHows, matchKey } from '../../core';

type Wrong = { ok: false; message: string };

/** Whether a link is given by a key. */
export const isByKey = (json: unknown): json is Record<string, unknown> =>
	typeof json === 'object' && json !== null && !Array.isArray(json);

/** The fields by which other systems know the records of a type. */
export const keysOf = (schema: Schema, type: string): Field[] =>
	schema.type(type).type.fields.filter((f) => f.key && !f.retired);

/** What to look for; or what is wrong with what is given. */
export function keySearch(
	schema: Schema,
	link: Field,
	given: Record<string, unknown>
): { ok: true; keys: MatchKey[] } | Wrong {
	const target = schema.type(link.target!).type;
	const wrong = (message: string): Wrong => ({ ok: false, message: `${link.label}: ${message}` });
	const known = keysOf(schema, target.id);
	const keys: MatchKey[] = [];
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
		keys.push({ field: f.id, how, key });
	}
	return keys.length ? { ok: true, keys } : wrong('No key is given.');
}

/** The number of the one record that has the keys given; or what is wrong: not a key, none, several. */
export function linkByKey(
	loader: Loader,
	schema: Schema,
	link: Field,
	given: Record<string, unknown>
): { ok: true; id: string } | Wrong {
	const search = keySearch(schema, link, given);
	if (!search.ok) return search;
	const target = schema.type(link.target!).type;
	const found = loader.matching(target.id, search.keys) ?? [];
	const said = Object.entries(given)
		.map(([id, v]) => `${schema.field(target.id, id)!.label} “${String(v)}”`)
		.join(' and ');
	if (found.length === 1) return { ok: true, id: found[0] };
	return {
		ok: false,
		message: found.length
			? `${link.label}: several ${target.plural.toLowerCase()} have ${said}: numbers ${found.slice(0, 5).join(', ')}. Send the number of one.`
			: `${link.label}: no ${target.label.toLowerCase()} has ${said}.`
	};
}
