/** Records as pages show them. */
import type { JsonValue, Schema } from '../../core';
import { toJson, valuesToJson } from '../../core';
import { changeAt, readHistory } from '../db/history';
import { alongLinks } from '../db/journal';
import { readPastFields } from '../db/model';
import { db } from '../db/pool';
import type { StoredRecord } from '../db/records';
import { titlesOf } from '../db/records';
import { historyFrom } from '../db/retention';
import { addedOf } from './submitted';

/** How many of the other records of a change are named. */
const ALONG_NAMED = 8;

/** Titles of everything that some records link to, by `type.id`. */
export async function linkTitles(
	workspace: string,
	schema: Schema,
	records: readonly StoredRecord[]
): Promise<Record<string, string>> {
	const wanted = new Map<string, Set<string>>();
	for (const r of records)
		schema.type(r.type).type.fields.forEach((f, i) => {
			const v = r.values[i];
			if (f.type === 'link' && typeof v === 'string')
				wanted.set(f.target!, (wanted.get(f.target!) ?? new Set()).add(v));
		});
	const out: Record<string, string> = {};
	for (const [type, ids] of wanted)
		for (const [id, title] of await titlesOf(db(), schema, workspace, type, [...ids]))
			out[`${type}.${id}`] = title;
	return out;
}

/** Changes of a record that a page shows at once. */
const AT_ONCE = 100;

/** Which part of a record's history is shown. */
export interface HistoryPart {
	/** What came before this change, which is not shown; null where the newest is shown. */
	before: { change: string; at: string } | null;
	/** Older changes are those before this one; null where there are none. */
	older: string | null;
	/** At the end of it: from when on history is whole, ISO 8601, where some of what happened before may be forgotten. */
	knownFrom: string | null;
}

/** The part of a history that begins before some change. @param before as an address has it */
async function partOf(workspace: string, type: string, id: string, before: string | null) {
	const at = before && /^\d{1,18}$/.test(before) ? await changeAt(db(), workspace, before) : null;
	const read = await readHistory(db(), workspace, type, id, {
		most: AT_ONCE + 1,
		before: at && before
	});
	const history = read.slice(0, AT_ONCE);
	const [oldest, more] = [history.at(-1), read.length > AT_ONCE];
	const from = more ? null : await historyFrom(db(), workspace);
	const whole = !from || (!!oldest?.made && Date.parse(oldest.at) >= Date.parse(from));
	const part: HistoryPart = {
		before: at ? { change: before!, at } : null,
		older: more ? oldest!.change : null,
		knownFrom: whole ? null : from
	};
	return { history, part };
}

/**
 * The history of a record, with what a page needs to tell it: what else the same changes did, its fields as they were,
 * and the titles of whatever is named, by `type.id`.
 * @param also values that are told beside it
 * @param before only what came before that change, as an address has it; null for the newest
 */
export async function historyOf(
	workspace: string,
	schema: Schema,
	type: string,
	id: string,
	also: Readonly<Record<string, JsonValue>> = {},
	before: string | null = null
) {
	const { history, part } = await partOf(workspace, type, id, before);
	const changes = history.map((h) => h.change);
	const along = await alongLinks(db(), changes, { type, id });
	const past = (await readPastFields(db(), workspace)).filter((p) => p.type === type);
	const wanted = new Map<string, Set<string>>();
	const want = (of: string, ids: readonly unknown[]) => {
		if (!schema.types.has(of)) return;
		const all = wanted.get(of) ?? new Set();
		for (const v of ids) if (typeof v === 'string' && /^\d{1,18}$/.test(v)) all.add(v);
		wanted.set(of, all);
	};
	for (const h of history) if (h.began) want(h.began.type, [h.began.record]);
	for (const others of Object.values(along))
		for (const o of others.slice(0, ALONG_NAMED)) want(o.type, [o.record]);
	// links that history tells of may point elsewhere than today's, and be of fields that are others now
	for (const f of [...schema.type(type).type.fields, ...past.map((p) => p.field)]) {
		if (f.type !== 'link') continue;
		want(f.target!, [also[f.id]]);
		for (const { lines } of history)
			want(
				f.target!,
				lines.flatMap((l) => (l.field === f.id ? [l.was, l.now] : []))
			);
	}
	const links: Record<string, string> = {};
	for (const [of, ids] of wanted)
		for (const [k, t] of await titlesOf(db(), schema, workspace, of, [...ids]))
			links[`${of}.${k}`] = t;
	return { history, part, along, past, links };
}

/** Titles of the records that lines of history are of, and of those that values of links in them point to, by `type.id`. */
export async function titlesOfLines(
	workspace: string,
	schema: Schema,
	lines: readonly {
		type: string;
		record: string | null;
		field: string | null;
		was: JsonValue;
		now: JsonValue;
	}[]
): Promise<Record<string, string>> {
	const wanted = new Map<string, Set<string>>();
	const want = (type: string, id: unknown) => {
		if (!schema.types.has(type) || typeof id !== 'string' || !/^\d{1,18}$/.test(id)) return;
		wanted.set(type, (wanted.get(type) ?? new Set()).add(id));
	};
	for (const l of lines) {
		want(l.type, l.record);
		const f =
			l.field === null || !schema.types.has(l.type) ? undefined : schema.field(l.type, l.field);
		if (f?.type !== 'link') continue;
		want(f.target!, l.was);
		want(f.target!, l.now);
	}
	const out: Record<string, string> = {};
	for (const [type, ids] of wanted)
		for (const [id, title] of await titlesOf(db(), schema, workspace, type, [...ids]))
			out[`${type}.${id}`] = title;
	return out;
}

/** A stored record as a sample: its values, what its links are called, and what rules added to its sets. */
export async function sampleOf(workspace: string, schema: Schema, r: StoredRecord) {
	const { type, at } = schema.type(r.type);
	return {
		id: r.id,
		title: String(toJson(r.values[at.get(type.title)!]) ?? `No. ${r.id}`),
		values: valuesToJson(schema, r.type, r.values),
		links: await linkTitles(workspace, schema, [r]),
		added: Object.fromEntries(addedOf(r.setBy)) as Record<string, string[]>
	};
}
