/** Carrying the values of a field over to another type: looked at first, then done. */
import type { Field, Reading, RuleSet, Value } from '../../core';
import { Schema, compilePlan, converted, same, toJson } from '../../core';
import { formatValue } from '../../runtime/format';
import { zones } from '../../runtime/zones';
import type { Db } from '../db/pool';
import { titlesOf } from '../db/records';
import { readDraft, readRelease, releaseInForce, rulesOf, withLiving } from '../db/rules';
import { pilotOn } from '../db/pilot';
import { eachValue, titlesToConvert } from '../db/values';

/** A field whose values become those of another type. */
export interface Retyped {
	type: string;
	from: Field;
	to: Field;
}

interface Schemas {
	before: Schema;
	after: Schema;
}

/** Hands over what each record's value becomes, piece by piece. */
export async function eachConverted(
	db: Db,
	workspace: string,
	what: Retyped,
	schemas: Schemas,
	visit: (all: { id: string; was: Value; read: Reading }[]) => Promise<void>
) {
	const titles = await titlesToConvert(db, schemas.before, workspace, what.from, what.to);
	const { zone } = schemas.before.model;
	await eachValue(db, workspace, zone, { type: what.type, field: what.from }, (values) =>
		visit(
			values.map(({ id, value }) => ({
				id,
				was: value,
				read: converted(what.from, what.to, value, schemas.after, schemas.before, zones, titles)
			}))
		)
	);
}

/** What a change of type would do. */
export interface RetypeLook {
	/** Records that hold a value; how many of these keep it as it is, have it changed, and lose it. */
	of: number;
	same: number;
	changed: number;
	lost: number;
	/** Records whose value changes, some of them. */
	examples: { id: string; title: string; has: string; becomes: string }[];
	/** Values that are lost, most often first, some of them, with why. */
	losses: { has: string; why: string; records: number; id: string; title: string }[];
	/** Whether there are more different lost values than are told. */
	more: boolean;
	/** Rules of the release in force that would no longer run: the change is refused while there are any. */
	force: string[];
	/** Rules of the draft that would have to be mended. */
	draft: string[];
}

const EXAMPLES = 8;
const LOSSES = 200;

/** Looks at what every value of a field becomes. Nothing is changed. */
export async function lookAtRetype(
	db: Db,
	workspace: string,
	what: Retyped,
	schemas: Schemas
): Promise<RetypeLook> {
	const look = { of: 0, same: 0, changed: 0, lost: 0, more: false };
	const changed: { id: string; was: Value; now: Value }[] = [];
	const losses = new Map<string, { was: Value; why: string; records: number; id: string }>();
	await eachConverted(db, workspace, what, schemas, async (all) => {
		look.of += all.length;
		for (const { id, was, read } of all) {
			if (read.ok && read.value !== null) {
				if (same(read.value, was)) look.same++;
				else {
					look.changed++;
					if (changed.length < EXAMPLES) changed.push({ id, was, now: read.value });
				}
				continue;
			}
			look.lost++;
			const key = JSON.stringify(toJson(was));
			const had = losses.get(key);
			if (had) had.records++;
			else if (losses.size < LOSSES)
				losses.set(key, {
					was,
					why: read.ok ? 'It would be blank.' : read.message,
					records: 1,
					id
				});
			else look.more = true;
		}
	});
	const told = [...losses.values()].sort((a, b) => b.records - a.records);
	const titles = await titlesOf(db, schemas.before, workspace, what.type, [
		...changed.map((x) => x.id),
		...told.map((x) => x.id)
	]);
	const say = await sayer(db, workspace, what, schemas, [
		...changed.flatMap((x) => [x.was, x.now]),
		...told.map((x) => x.was)
	]);
	return {
		...look,
		examples: changed.map(({ id, was, now }) => ({
			id,
			title: titles.get(id) ?? `No. ${id}`,
			has: say.from(was),
			becomes: say.to(now)
		})),
		losses: told.map(({ was, why, records, id }) => ({
			has: say.from(was),
			why,
			records,
			id,
			title: titles.get(id) ?? `No. ${id}`
		})),
		...(await brokenBy(db, workspace, schemas))
	};
}

/** Values as people read them, before and after. */
async function sayer(
	db: Db,
	workspace: string,
	{ from, to }: Retyped,
	schemas: Schemas,
	values: readonly Value[]
) {
	const links: Record<string, string> = {};
	for (const f of [from, to])
		if (f.type === 'link' && schemas.before.types.has(f.target!)) {
			const ids = values.filter((v): v is string => typeof v === 'string' && /^\d{1,18}$/.test(v));
			for (const [id, title] of await titlesOf(db, schemas.before, workspace, f.target!, ids))
				links[`${f.target}.${id}`] = title;
		}
	const say = (f: Field, schema: Schema) => (v: Value) => formatValue(f, toJson(v), schema, links);
	return { from: say(from, schemas.before), to: say(to, schemas.after) };
}

/**
 * What no longer runs with another model, by the name of the rule: in the release in force and the pilot beside it, and
 * in the draft.
 */
export async function brokenBy(
	db: Db,
	workspace: string,
	{ before, after }: Schemas
): Promise<{ force: string[]; draft: string[] }> {
	const number = await releaseInForce(db, workspace);
	const pilot = await pilotOn(db, workspace);
	const releases = await Promise.all(
		[number, pilot?.release].flatMap((n) => (n ? [readRelease(db, workspace, n)] : []))
	);
	const living = <S extends RuleSet>(set: S) => withLiving(db, workspace, set);
	const set = await living((await readDraft(db, workspace)).set);
	const problems = (rules: typeof set) => {
		const of = (schema: Schema) => compilePlan(schema.with(rules), rules).problems;
		const key = (p: { rule: string; message: string }) => `${p.rule} ${p.message}`;
		const had = new Set(of(before).map(key));
		const names = new Map(rules.rules.map((r) => [r.id, r.name]));
		const said = of(after)
			.filter((p) => !had.has(key(p)))
			.map((p) => `“${names.get(p.rule) ?? p.rule}”: ${p.message}`);
		return [...new Set(said)];
	};
	const force = new Set<string>();
	for (const doc of releases)
		if (doc) for (const p of problems(await living(rulesOf(doc)))) force.add(p);
	return { force: [...force], draft: problems(set) };
}
