/** What a draft would change in the records that exist: each is settled on request by both rule sets. */
import type { Change, JsonValue, Loader, Plan, RuleSet, Schema, Settled } from '../../core';
import { compilePlan, same, settle, toJson } from '../../core';
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

export interface Rehearsal {
	/** Records in which anything would differ. */
	records: number;
	looked: number;
	fields: RehearsedField[];
}

/**
 * Rehearses a draft against the plan in force on every record. Memory does not grow with the records.
 * @param looked told after each piece how many records were looked at
 */
export async function rehearse(
	db: Db,
	workspace: string,
	schema: Schema,
	force: Plan,
	draft: RuleSet,
	instant: number,
	looked: (n: number) => Promise<void> = () => Promise.resolve()
): Promise<Rehearsal> {
	const plan = compilePlan(schema, draft);
	type Counted = RehearsedField & { tally: Map<string, RehearsedField['moves'][number]> };
	const found = new Map<string, Counted>();
	const result: Rehearsal = { records: 0, looked: 0, fields: [] };
	const types = schema.model.types.filter(
		(t) => plan.types.get(t.id)!.nodes.length || force.types.get(t.id)?.nodes.length
	);
	for (const t of types) {
		const title = schema.type(t.id).at.get(t.title)!;
		const visit = (r: StoredRecord, loader: Loader) => {
			result.looked++;
			const [before, after] = [
				standing(force, r, instant, loader),
				standing(plan, r, instant, loader)
			].map((s) => s.records[0].values);
			let differs = false;
			t.fields.forEach((f, i) => {
				if (same(before[i], after[i])) return;
				differs = true;
				const key = `${t.id}.${f.id}`;
				const entry: Counted = found.get(key) ?? {
					type: t.id,
					field: f.id,
					count: 0,
					moves: [],
					records: [],
					tally: new Map()
				};
				found.set(key, entry);
				const [from, to] = [toJson(before[i]), toJson(after[i])];
				entry.count++;
				const move = JSON.stringify([from, to]);
				const had = entry.tally.get(move);
				if (had) had.count++;
				else if (entry.tally.size < 1000) entry.tally.set(move, { from, to, count: 1 });
				if (entry.records.length < SHOWN)
					entry.records.push({
						id: r.id,
						title: String(toJson(r.values[title]) ?? `No. ${r.id}`),
						stored: toJson(r.values[i]),
						from,
						to
					});
			});
			if (differs) result.records++;
		};
		await eachPiece(db, schema, workspace, t.id, async (piece) => {
			const near = new AtHand(db, workspace, schema);
			await near.fill((loader) =>
				piece.flatMap((r) => [force, plan].flatMap((p) => standing(p, r, instant, loader).needs))
			);
			for (const r of piece) visit(r, near.loader);
			await looked(result.looked);
		});
	}
	result.fields = [...found.values()]
		.map(({ tally, ...f }) => ({
			...f,
			moves: [...tally.values()].sort((a, b) => b.count - a.count).slice(0, 20)
		}))
		.sort((a, b) => b.count - a.count);
	return result;
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
