/** What a draft would change in the records that exist: each is settled on request by both rule sets. */
import type { Change, Differing, JsonValue, Loader, Need, Plan, Schema, Settled } from '../../core';
import { refKey, same, settle, toJson } from '../../core';
import { zones } from '../../runtime/zones';
import type { Db } from '../db/pool';
import { addedOf } from '../records';
import { AtHand } from '../records/near';
import type { Looked } from '../db/records';
import { countRange, eachValues } from '../db/records';

const NOTHING_ADDED: ReadonlyMap<string, readonly string[]> = new Map();

/** How many records are kept to show for each field. */
const SHOWN = 100;

export interface RehearsedField {
	type: string;
	field: string;
	/** Records in which the draft gives another value than the release in force. */
	count: number;
	/** How many go from which value to which, the most frequent first. */
	moves: { from: JsonValue; to: JsonValue; count: number }[];
	records: { id: string; title: string; stored: JsonValue; from: JsonValue; to: JsonValue }[];
}

/** Of all records, or of those in a range of keys: then with more of the moves, so that they can be added up. */
export interface Rehearsal {
	/** Records in which anything would differ. */
	records: number;
	looked: number;
	fields: RehearsedField[];
}

/** What a rehearsal compares. */
export interface Compared {
	schema: Schema;
	/** The rules in force. */
	force: Plan;
	/** The draft. */
	plan: Plan;
	/** What of the two can differ at all. */
	differing: Differing;
	/** The moment at which both are asked, milliseconds since 1970. */
	instant: number;
}

/** Moves of a field that are told apart in a range, and that are shown of all. */
const MOVES = 1000;
const MOVES_SHOWN = 20;

/** The record types on which either rule set decides anything. */
export const rehearsedTypes = ({
	schema,
	force,
	plan
}: Pick<Compared, 'schema' | 'force' | 'plan'>): string[] =>
	schema.model.types
		.filter((t) => plan.types.get(t.id)!.nodes.length || force.types.get(t.id)?.nodes.length)
		.map((t) => t.id);

/** Adds up what a field came to, in the order in which it is told. */
class Counted {
	private readonly fields = new Map<
		string,
		{ of: RehearsedField; tally: Map<string, RehearsedField['moves'][number]> }
	>();

	add(type: string, field: string, more: Pick<RehearsedField, 'count' | 'moves' | 'records'>) {
		const key = `${type}.${field}`;
		let had = this.fields.get(key);
		if (!had) {
			had = { of: { type, field, count: 0, moves: [], records: [] }, tally: new Map() };
			this.fields.set(key, had);
		}
		const { of, tally } = had;
		of.count += more.count;
		for (const m of more.moves) {
			const name = JSON.stringify([m.from, m.to]);
			const same = tally.get(name);
			if (same) same.count += m.count;
			else if (tally.size < MOVES) tally.set(name, { ...m });
		}
		of.records.push(...more.records.slice(0, SHOWN - of.records.length));
	}

	/** The fields with most records first. @param most moves of each */
	told = (most: number): RehearsedField[] =>
		[...this.fields.values()]
			.map(({ of, tally }) => ({
				...of,
				moves: [...tally.values()].sort((a, b) => b.count - a.count).slice(0, most)
			}))
			.sort((a, b) => b.count - a.count);
}

/**
 * Rehearses a draft against the plan in force on the records of a range. Memory does not grow with the records.
 */
export async function rehearseRange(
	db: Db,
	workspace: string,
	{ schema, instant, differing }: Compared,
	range: { type: string; low: string; high: string }
): Promise<Rehearsal> {
	const { type } = schema.type(range.type);
	const { before: force, after: plan } = differing;
	const asked = type.fields.flatMap((f, i) =>
		differing.fields.has(refKey(range.type, f.id)) ? [i] : []
	);
	if (!asked.length) {
		// whatever these records hold, both rule sets give the same
		const looked = await countRange(db, workspace, range.type, range.low, range.high);
		return { records: 0, looked, fields: [] };
	}
	// what rules added to sets stands beside the values
	const adds = [force, plan].some((p) => p.nodes.some((n) => n.adders.length));
	const title = schema.type(range.type).at.get(type.title)!;
	const counted = new Counted();
	let looked = 0;
	let records = 0;
	const visit = (r: Looked, both: readonly Settled[]) => {
		looked++;
		const [before, after] = both.map((s) => s.records[0].values);
		let differs = false;
		for (const i of asked) {
			if (same(before[i], after[i])) continue;
			const f = type.fields[i];
			differs = true;
			const [from, to] = [toJson(before[i]), toJson(after[i])];
			const name = String(toJson(r.values[title]) ?? `No. ${r.id}`);
			counted.add(range.type, f.id, {
				count: 1,
				moves: [{ from, to, count: 1 }],
				records: [{ id: r.id, title: name, stored: toJson(r.values[i]), from, to }]
			});
		}
		if (differs) records++;
	};
	await eachValues(
		db,
		schema,
		workspace,
		range.type,
		async (piece) => {
			const near = new AtHand(db, workspace, schema);
			// each is settled again only while something of it is missing
			const open = new Map<Looked, Settled[]>(piece.map((r) => [r, []]));
			await near.fill((loader) => {
				const needs: Need[] = [];
				for (const [r, was] of open) {
					if (was.length && !was.some((s) => s.needs.length)) continue;
					const both = [force, plan].map((p) => standing(p, type.id, r, instant, loader));
					open.set(r, both);
					for (const s of both) needs.push(...s.needs);
				}
				return needs;
			});
			for (const [r, both] of open) visit(r, both);
		},
		{ ...range, setBy: adds }
	);
	return { records, looked, fields: counted.told(MOVES) };
}

/** What the ranges came to, taken together in their order. */
export function together(ranges: readonly Rehearsal[]): Rehearsal {
	const counted = new Counted();
	for (const r of ranges) for (const f of r.fields) counted.add(f.type, f.field, f);
	const sum = (what: 'records' | 'looked') => ranges.reduce((n, r) => n + r[what], 0);
	return { records: sum('records'), looked: sum('looked'), fields: counted.told(MOVES_SHOWN) };
}

/** What a record would be if the standing claims ran on it now. */
function standing(plan: Plan, type: string, r: Looked, instant: number, loader: Loader): Settled {
	const change: Change = {
		records: [
			{
				type,
				id: r.id,
				created: false,
				was: r.values,
				sent: new Map(),
				keep: new Set(),
				inLine: false,
				added: r.setBy ? addedOf(r.setBy) : NOTHING_ADDED
			}
		],
		entryPoint: 'bulk',
		instant,
		person: null,
		onRequest: true
	};
	return settle(plan, change, loader, { zones });
}
