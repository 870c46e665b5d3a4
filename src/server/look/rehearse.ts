/** What a draft would change in the records that exist: each is settled on request by both rule sets. */
import type { Change, JsonValue, Loader, Plan, Schema, Settled } from '../../core';
import { same, settle, toJson } from '../../core';
import { zones } from '../../runtime/zones';
import type { Db } from '../db/pool';
import { addedOf } from '../records';
import { AtHand } from '../records/near';
import type { StoredRecord } from '../db/records';
import { eachPiece } from '../db/records';

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
	/** The moment at which both are asked, milliseconds since 1970. */
	instant: number;
}

/** Moves of a field that are told apart in a range, and that are shown of all. */
const MOVES = 1000;
const MOVES_SHOWN = 20;

/** The record types on which either rule set decides anything. */
export const rehearsedTypes = ({ schema, force, plan }: Omit<Compared, 'instant'>): string[] =>
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
	{ schema, force, plan, instant }: Compared,
	range: { type: string; low: string; high: string }
): Promise<Rehearsal> {
	const { type } = schema.type(range.type);
	const title = schema.type(range.type).at.get(type.title)!;
	const counted = new Counted();
	let looked = 0;
	let records = 0;
	const visit = (r: StoredRecord, loader: Loader) => {
		looked++;
		const [before, after] = [
			standing(force, r, instant, loader),
			standing(plan, r, instant, loader)
		].map((s) => s.records[0].values);
		let differs = false;
		type.fields.forEach((f, i) => {
			if (same(before[i], after[i])) return;
			differs = true;
			const [from, to] = [toJson(before[i]), toJson(after[i])];
			const name = String(toJson(r.values[title]) ?? `No. ${r.id}`);
			counted.add(range.type, f.id, {
				count: 1,
				moves: [{ from, to, count: 1 }],
				records: [{ id: r.id, title: name, stored: toJson(r.values[i]), from, to }]
			});
		});
		if (differs) records++;
	};
	await eachPiece(
		db,
		schema,
		workspace,
		range.type,
		async (piece) => {
			const near = new AtHand(db, workspace, schema);
			await near.fill((loader) =>
				piece.flatMap((r) => [force, plan].flatMap((p) => standing(p, r, instant, loader).needs))
			);
			for (const r of piece) visit(r, near.loader);
		},
		range
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
function standing(plan: Plan, r: StoredRecord, instant: number, loader: Loader): Settled {
	const change: Change = {
		records: [
			{
				type: r.type,
				id: r.id,
				created: false,
				was: r.values,
				sent: new Map(),
				keep: new Set(),
				inLine: false,
				added: addedOf(r)
			}
		],
		entryPoint: 'bulk',
		instant,
		person: null,
		onRequest: true
	};
	return settle(plan, change, loader, { zones });
}
