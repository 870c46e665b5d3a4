/** Records held against the rules in force: which of their values are out of line, and why. */
import {
	inLine,
	lineOf,
	reason,
	rulesOfRecord,
	standingFields,
	toJson,
	type InLine,
	type LineTold,
	type Lined,
	type Need,
	type OutOfLine
} from '../../core';
import { zones } from '../../runtime/zones';
import { keepLine, keptBy, type LineRow } from '../db/line';
import { membersAmong } from '../db/pilot';
import type { Db } from '../db/pool';
import { eachValues, readValues, type Looked } from '../db/records';
import { addedOf, type InForce } from '../records';
import { titledFormat } from '../records/describe';
import { AtHand } from '../records/near';

/** A value out of line, with the reason why it would be something else. */
export interface Reasoned extends LineRow {
	because: string | null;
}

/** Fields that an import or the API sent and asked to be kept, by record: of the values that look out of line. */
async function keptAmong(
	db: Db,
	type: string,
	found: ReadonlyMap<Looked, LineTold>
): Promise<Map<Looked, string[]>> {
	const asked = new Map<string, { of: Looked; field: string }>();
	for (const [r, told] of found)
		for (const { field } of told.found) {
			const by = r.setBy?.[field];
			if (by?.change && (by.by === 'import' || by.by === 'api'))
				asked.set(`${by.change} ${type}.${r.id}.${field}`, { of: r, field });
		}
	const out = new Map<Looked, string[]>();
	if (!asked.size) return out;
	const changes = [...new Set([...asked.keys()].map((k) => k.split(' ', 1)[0]))];
	for (const key of await keptBy(db, changes)) {
		const one = asked.get(key);
		if (one) out.set(one.of, [...(out.get(one.of) ?? []), one.field]);
	}
	return out;
}

const linedOf = (r: Looked, pilot: boolean, kept: readonly string[] = []): Lined => {
	const by = Object.entries(r.setBy ?? {});
	return {
		id: r.id,
		values: r.values,
		added: addedOf(r.setBy ?? {}),
		byHand: new Set([...by.filter(([, s]) => s.by === 'person').map(([f]) => f), ...kept]),
		by: new Map(by.flatMap(([f, s]) => (s.claim ? [[f, s.claim]] : []))),
		pilot
	};
};

/**
 * What of some records is out of line.
 * @param records with who set their values
 * @param explain with the reason of each
 */
export async function lineAmong(
	db: Db,
	workspace: string,
	{ schema, plan, pilot }: InForce,
	type: string,
	records: readonly Looked[],
	instant: number,
	o: { fields?: ReadonlySet<string>; explain?: boolean } = {}
): Promise<Reasoned[]> {
	const near = new AtHand(db, workspace, schema);
	const settle = async (some: ReadonlyMap<Looked, Lined>) => {
		const out = new Map<Looked, LineTold>();
		await near.fill((loader) =>
			[...some].flatMap(([r, lined]) => {
				const had = out.get(r);
				if (had && !had.needs.length) return [];
				const told = lineOf(plan, type, lined, instant, loader, zones, o);
				out.set(r, told);
				return told.needs;
			})
		);
		return out;
	};
	const ids = records.map((r) => r.id);
	const members = pilot && (await membersAmong(db, pilot.id, type, ids));
	const inPilot = (r: Looked) => members?.has(r.id) ?? false;
	const lined = new Map(records.map((r) => [r, linedOf(r, inPilot(r))]));
	const told = await settle(lined);
	const kept = await keptAmong(db, type, told);
	for (const [r, fields] of kept) lined.set(r, linedOf(r, inPilot(r), fields));
	if (kept.size)
		for (const [r, again] of await settle(new Map([...kept.keys()].map((r) => [r, lined.get(r)!]))))
			told.set(r, again);
	const reasons = o.explain
		? await reasonsOf(db, workspace, plan, lined, told, await settle(letGoOf(lined, told)))
		: null;
	return [...told].flatMap(([r, { found }]) =>
		found.map((x) => ({
			record: r.id,
			field: x.field,
			claim: x.claim,
			stored: toJson(x.stored),
			result: toJson(x.result),
			byHand: x.byHand,
			failed: x.failed,
			version: r.version,
			because: x.failed ?? reasons?.(r, x) ?? null
		}))
	);
}

/** Ids of those of some records that are not as the rules in force give them. @param records as {@link inLine} reads them */
async function notInLine(
	db: Db,
	workspace: string,
	{ schema, pilot }: InForce,
	type: string,
	records: readonly Looked[],
	instant: number,
	asked: InLine
): Promise<string[]> {
	const near = new AtHand(db, workspace, schema, { reads: asked.reads });
	const ids = records.map((r) => r.id);
	const members = pilot && (await membersAmong(db, pilot.id, type, ids));
	await near.fill(() => records.flatMap((r) => asked.ahead(r)).filter((n) => !near.has(n)));
	let open = records;
	const out: string[] = [];
	await near.fill((loader) => {
		const is = asked.begin(instant, loader, zones);
		const needs: Need[] = [];
		open = open.filter(({ id, values, setBy }) => {
			const told = is({ id, values, added: addedOf(setBy), pilot: members?.has(id) ?? false });
			if (told === false) out.push(id);
			else if (told !== true) needs.push(...told);
			return typeof told !== 'boolean';
		});
		return needs;
	});
	return out;
}

/** What of a range of records is out of line, some at a time, with how many were looked at. */
export async function eachOutOfLine(
	db: Db,
	workspace: string,
	force: InForce,
	{ type, low, high }: { type: string; low: string; high: string },
	fields: ReadonlySet<string>,
	visit: (looked: number, found: Reasoned[], among: readonly Looked[]) => Promise<void>
): Promise<void> {
	const { schema, plan } = force;
	const asked = inLine(plan, type, fields);
	await eachValues(
		db,
		schema,
		workspace,
		type,
		async (piece) => {
			const now = Date.now();
			const ids = await notInLine(db, workspace, force, type, piece, now, asked);
			const some = ids.length
				? await readValues(db, schema, workspace, type, ids, { setBy: true })
				: [];
			const found = await lineAmong(db, workspace, force, type, some, now, { fields });
			await visit(piece.length, found, some);
		},
		{ low, high, only: asked.reads.get(type)!, setBy: asked.sets }
	);
}

/** Records with values set by hand against rules, as they would be settled if nobody had set those. */
const letGoOf = (
	lined: ReadonlyMap<Looked, Lined>,
	told: ReadonlyMap<Looked, LineTold>
): Map<Looked, Lined> =>
	new Map(
		[...told].flatMap(([r, { found }]) => {
			const against = new Set(found.filter((x) => x.byHand).map((x) => x.field));
			if (!against.size) return [];
			const of = lined.get(r)!;
			return [[r, { ...of, byHand: new Set([...of.byHand].filter((f) => !against.has(f))) }]];
		})
	);

/** @param letGo what was set by hand, as its rule would have it */
async function reasonsOf(
	db: Db,
	workspace: string,
	plan: InForce['plan'],
	lined: ReadonlyMap<Looked, Lined>,
	told: ReadonlyMap<Looked, LineTold>,
	letGo: ReadonlyMap<Looked, LineTold>
) {
	const records = [...told.values(), ...letGo.values()].flatMap((t) =>
		t.found.length ? [t.record] : []
	);
	const { format } = await titledFormat(db, workspace, plan, records);
	return (r: Looked, { claim, byHand }: OutOfLine): string | null => {
		const { record } = (byHand ? letGo : told).get(r)!;
		const report = record.reports.find((x) => x.claim === claim);
		return report
			? reason(rulesOfRecord(plan, { pilot: !!lined.get(r)?.pilot }), report, format)
			: null;
	};
}

/** What of some records is out of line now, with the reasons. */
export async function lineNow(
	db: Db,
	workspace: string,
	force: InForce,
	type: string,
	ids: readonly string[]
): Promise<Reasoned[]> {
	const records = await readValues(db, force.schema, workspace, type, ids, { setBy: true });
	return lineAmong(db, workspace, force, type, records, Date.now(), { explain: true });
}

/** Keeps what was found of some records in the place of what was found before. */
export const keepFound = (
	db: Db,
	workspace: string,
	{ plan, release }: InForce,
	type: string,
	ids: readonly string[],
	found: readonly Reasoned[]
): Promise<void> =>
	keepLine(db, workspace, type, { ids }, standingFields(plan, type), release, found);
