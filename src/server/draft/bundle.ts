/** Bundles: what decides values here, as one document for another workspace, and the records that such a one names. */
import type { JsonValue, KnownRecord, MatchKey } from '../../core';
import {
	FORMAT,
	Schema,
	fromJson,
	isBlank,
	matchHows,
	matchKey,
	recordsNamed,
	toJson
} from '../../core';
import { BadInput, MOST_KNOWN } from '../../door';
import { toDmn } from '../../door/dmn';
import { readModel } from '../db/model';
import type { Db } from '../db/pool';
import { matchingIds, readValues } from '../db/records';
import { listTrials, readDraft, readRelease, rulesOf, withLiving } from '../db/rules';
import { readWorkspace } from '../db/workspace';
import { keysOf } from '../records';

/**
 * The draft, or a release, as a bundle: with the model, the rows of living tables as they stand, and the trials of the
 * draft.
 * @param number of a release; null for the draft
 * @returns the document, or null where there is no such release
 */
export async function bundleOf(db: Db, workspace: string, number: number | null) {
	const [{ model: live }, { set: draft }, release, { name: of }, trials] = await Promise.all([
		readModel(db, workspace),
		readDraft(db, workspace),
		number === null ? null : readRelease(db, workspace, number),
		readWorkspace(db, workspace),
		listTrials(db, workspace)
	]);
	if (number !== null && !release) return null;
	const model = release?.model ?? live;
	const { accepted, ...set } = await withLiving(db, workspace, release ? rulesOf(release) : draft);
	const schema = new Schema(model, { definitions: set.definitions, tables: set.tables });
	return {
		format: 'rigid-rule/bundle',
		version: FORMAT,
		name: number === null ? 'Draft' : `Release ${number}`,
		of,
		made: new Date().toISOString(),
		model,
		...set,
		...(accepted?.length ? { accepted } : {}),
		trials,
		// for programs that read decisions; whoever takes the bundle reads the rules
		dmn: (await toDmn(set, schema, { name: 'Rules', version: '1.3' })).xml,
		records: await knownRecords(db, workspace, new Schema(live), recordsNamed(set, schema))
	};
}

/** What others know records by: the first of their keys that is not blank. Records that are gone are left out. */
async function knownRecords(
	db: Db,
	workspace: string,
	schema: Schema,
	named: readonly { type: string; id: string }[]
): Promise<KnownRecord[]> {
	const out: KnownRecord[] = [];
	for (const type of new Set(named.map((n) => n.type))) {
		if (!schema.types.has(type)) continue;
		const ids = named.filter((n) => n.type === type && /^\d{1,18}$/.test(n.id)).map((n) => n.id);
		const { type: t, at } = schema.type(type);
		const keys = keysOf(schema, type);
		for (const { id, values } of await readValues(db, schema, workspace, type, ids)) {
			const key = keys.find((f) => !isBlank(values[at.get(f.id)!]));
			const title = values[at.get(t.title)!];
			out.push({
				type,
				id,
				title: typeof title === 'string' ? title : `No. ${id}`,
				key: key ? { field: key.id, value: toJson(values[at.get(key.id)!]) } : null
			});
		}
	}
	return out.slice(0, MOST_KNOWN);
}

/** A record that is looked for by one of its keys. */
export interface Sought {
	type: string;
	field: string;
	value: JsonValue;
}

/**
 * The records here that have some keys: of each that is looked for all that have it, lowest number first, as far as
 * they are told.
 * @throws {BadInput} naming what is no key here
 */
export async function recordsKnown(
	db: Db,
	schema: Schema,
	workspace: string,
	sought: readonly Sought[]
): Promise<string[][]> {
	const out = sought.map((): string[] => []);
	const byType = new Map<string, { place: number; key: MatchKey }[]>();
	sought.forEach(({ type, field, value }, place) => {
		const f = schema.field(type, field);
		if (!f || !keysOf(schema, type).includes(f))
			throw new BadInput(`sought[${place}]: “${field}” is no key of “${type}” here.`);
		const [how] = matchHows(f);
		const read = fromJson(f, value, schema);
		const key = read.ok ? matchKey(how, read.value) : null;
		// what cannot be a value of it is held by no record
		if (key === null) return;
		const one = { place, key: { field, how, key } };
		const some = byType.get(type);
		if (some) some.push(one);
		else byType.set(type, [one]);
	});
	for (const [type, some] of byType) {
		const found = await matchingIds(
			db,
			schema,
			workspace,
			type,
			some.map((s) => [s.key])
		);
		some.forEach(({ place }, i) => (out[place] = found[i]));
	}
	return out;
}
