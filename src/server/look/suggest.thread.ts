/** Reads the records that a field is explained by and looks for rules that would, once. */
import { parentPort, workerData } from 'node:worker_threads';
import { MOST_STUDIED, Schema, suggest, type Suggestions } from '../../core';
import { zones } from '../../runtime/zones';
import { readModel } from '../db/model';
import { closeDb, db } from '../db/pool';
import { countRelated, readRecords, relatedRecords, sampleRecords, titlesOf } from '../db/records';
import { readDraft, withLiving } from '../db/rules';
import type { JsonValue } from '../../core';
import type { StoredRecord } from '../db/records';

export interface SuggestJob {
	workspace: string;
	type: string;
	field: string;
	/** Wanted values, by record. */
	examples: Record<string, JsonValue>;
	instant: number;
}

export interface SuggestAnswer extends Suggestions {
	/** What the records that are named are called, by number, and linked ones by `type.id`. */
	titles: Record<string, string>;
	links: Record<string, string>;
}

/** Most related records that are read; fewer records are looked at where they have more. */
const MOST_RELATED = 50_000;

async function answer(job: SuggestJob): Promise<SuggestAnswer> {
	const { workspace: w, type, field } = job;
	const { model } = await readModel(db(), w);
	const set = await withLiving(db(), w, (await readDraft(db(), w)).set);
	const schema = new Schema(model).with(set);
	const t = schema.type(type);
	let records = await sampleRecords(db(), schema, w, type, MOST_STUDIED, Object.keys(job.examples));
	for (;;) {
		const ids = records.map((r) => r.id);
		let related = 0;
		for (const c of t.collections) related += await countRelated(db(), w, c.type, c.field, ids);
		if (related <= MOST_RELATED || records.length < 2) break;
		records = records.slice(0, records.length >> 1);
	}
	const near: StoredRecord[] = [];
	const links = t.type.fields.filter((f) => f.type === 'link' && !f.retired);
	for (const target of new Set(links.map((f) => f.target!))) {
		const ids = new Set<string>();
		for (const f of links)
			if (f.target === target)
				for (const r of records) {
					const to = r.values[t.at.get(f.id)!];
					if (typeof to === 'string') ids.add(to);
				}
		near.push(...(await readRecords(db(), schema, w, target, [...ids])));
	}
	// what a link could have pointed to
	const target = schema.field(type, field)?.target;
	if (target) near.push(...(await sampleRecords(db(), schema, w, target, MOST_STUDIED, [])));
	for (const c of t.collections)
		near.push(
			...(await relatedRecords(
				db(),
				schema,
				w,
				c.type,
				c.field,
				records.map((r) => r.id)
			))
		);
	const found = suggest({ schema, set, ...job, records, near, zones });
	const named = [...new Set(found.found.flatMap((s) => s.differ.map((d) => d.id)))];
	const f = schema.field(type, field)!;
	const told = found.found.flatMap((s) => s.differ.flatMap((d) => [d.stored, d.gives]));
	const linked = target ? [...new Set(told.filter((v): v is string => typeof v === 'string'))] : [];
	return {
		...found,
		titles: Object.fromEntries(await titlesOf(db(), schema, w, type, named)),
		links: Object.fromEntries(
			[...(target ? await titlesOf(db(), schema, w, f.target!, linked) : [])].map(([id, title]) => [
				`${f.target}.${id}`,
				title
			])
		)
	};
}

try {
	parentPort!.postMessage(await answer((workerData as { job: SuggestJob }).job));
} finally {
	await closeDb();
}
