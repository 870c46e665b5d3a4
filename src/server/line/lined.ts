/** Records held against the rules in force: which of their values are out of line, and why. */
import { lineOf, reason, standingFields, toJson, type LineTold, type Lined } from '../../core';
import { zones } from '../../runtime/zones';
import { keepLine, keptBy, type LineRow } from '../db/line';
import type { Db } from '../db/pool';
import { readValues, type Looked } from '../db/records';
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

const linedOf = (r: Looked, kept: readonly string[] = []): Lined => {
	const by = Object.entries(r.setBy ?? {});
	return {
		id: r.id,
		values: r.values,
		added: addedOf(r.setBy ?? {}),
		byHand: new Set([...by.filter(([, s]) => s.by === 'person').map(([f]) => f), ...kept]),
		by: new Map(by.flatMap(([f, s]) => (s.claim ? [[f, s.claim]] : [])))
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
	{ schema, plan }: InForce,
	type: string,
	records: readonly Looked[],
	instant: number,
	o: { fields?: ReadonlySet<string>; explain?: boolean } = {}
): Promise<Reasoned[]> {
	const near = new AtHand(db, workspace, schema);
	const settle = async (some: readonly Looked[], kept?: ReadonlyMap<Looked, string[]>) => {
		const out = new Map<Looked, LineTold>();
		await near.fill((loader) =>
			some.flatMap((r) => {
				const had = out.get(r);
				if (had && !had.needs.length) return [];
				const told = lineOf(plan, type, linedOf(r, kept?.get(r)), instant, loader, zones, o);
				out.set(r, told);
				return told.needs;
			})
		);
		return out;
	};
	const told = await settle(records);
	const kept = await keptAmong(db, type, told);
	if (kept.size) for (const [r, again] of await settle([...kept.keys()], kept)) told.set(r, again);
	const reasons = o.explain ? await reasonsOf(db, workspace, plan, told) : null;
	return [...told].flatMap(([r, { found, record }]) =>
		found.map((x) => ({
			record: r.id,
			field: x.field,
			claim: x.claim,
			stored: toJson(x.stored),
			result: toJson(x.result),
			byHand: x.byHand,
			failed: x.failed,
			version: r.version,
			because: x.failed ?? reasons?.(record, x.claim) ?? null
		}))
	);
}

async function reasonsOf(
	db: Db,
	workspace: string,
	plan: InForce['plan'],
	told: ReadonlyMap<Looked, LineTold>
) {
	const records = [...told.values()].flatMap((t) => (t.found.length ? [t.record] : []));
	const { format } = await titledFormat(db, workspace, plan, records);
	return (record: LineTold['record'], claim: string): string | null => {
		const r = record.reports.find((x) => x.claim === claim);
		// what is kept is told by what it would be
		return r ? reason(plan, r.outcome === 'kept' ? { ...r, outcome: 'wrote' } : r, format) : null;
	};
}

/** Looks again at some records, and keeps what is out of line of them. */
export async function lookAgain(
	db: Db,
	workspace: string,
	force: InForce,
	type: string,
	ids: readonly string[],
	instant: number,
	explain = false
): Promise<Reasoned[]> {
	if (!ids.length) return [];
	const records = await readValues(db, force.schema, workspace, type, ids, true);
	const found = await lineAmong(db, workspace, force, type, records, instant, { explain });
	const fields = standingFields(force.plan, type);
	await keepLine(db, workspace, type, { ids }, fields, force.release, found);
	return found;
}
