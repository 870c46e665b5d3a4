/**
 * Fields of which no two records hold the same. An index of the database holds it whatever happens; here
 * it is asked before, so that who is refused hears which record has it.
 */
import type { MatchKey, Need, Schema, Settled } from '../../core';
import { matchHows, matchKey, refKey, toJson } from '../../core';
import type { AtHand } from './near';
import { RefusedChange, type SubmissionFault } from './types';

interface Claimed {
	type: string;
	id: string;
	field: string;
	label: string;
	match: MatchKey;
	/** Place of the submitted record; 0 for one that the change ran on to. */
	index: number;
}

/** What the records of a change hold anew in such fields. */
function claimed(schema: Schema, { records }: Settled): Claimed[] {
	return records.flatMap((rec, i) => {
		const { type, at } = schema.type(rec.type);
		const changed = new Set(rec.changes.map((c) => c.field));
		return type.fields.flatMap((f): Claimed[] => {
			if (!f.unique || !changed.has(f.id)) return [];
			const [how] = matchHows(f);
			const key = matchKey(how, rec.values[at.get(f.id)!]);
			if (key === null) return [];
			const index = rec.reached ? 0 : i;
			const match = { field: f.id, how, key };
			return [{ type: rec.type, id: rec.id, field: f.id, label: f.label, match, index }];
		});
	});
}

/** Refuses a change that would give two records the same. @throws {RefusedChange} naming the one that has it */
export async function refuseDoubled(
	atHand: AtHand,
	schema: Schema,
	settled: Settled
): Promise<void> {
	const all = claimed(schema, settled);
	if (!all.length) return;
	await atHand.fill((loader) =>
		all.flatMap((c): Need[] => {
			const ids = loader.matching(c.type, [c.match]);
			if (!ids) return [{ type: c.type, match: [c.match] }];
			return ids.flatMap((id) =>
				loader.record(c.type, id) === undefined ? [{ type: c.type, id }] : []
			);
		})
	);
	const own = new Map(settled.records.map((r) => [refKey(r.type, r.id), r]));
	for (const c of all) {
		const { type, at } = schema.type(c.type);
		// of the records of this change counts what it makes of them
		const stored = atHand.loader
			.matching(c.type, [c.match])!
			.filter((id) => id !== c.id && !own.has(refKey(c.type, id)));
		const within = all.filter(
			(x) =>
				x.type === c.type && x.field === c.field && x.match.key === c.match.key && x.id !== c.id
		);
		const other = stored[0] ?? within[0]?.id;
		if (other === undefined) continue;
		const values = own.get(refKey(c.type, other))?.values ?? atHand.loader.record(c.type, other);
		const title = values ? toJson(values[at.get(type.title)!] ?? null) : null;
		const named = `${title === null ? '' : `“${String(title)}”, `}No. ${other}`;
		const value = toJson(own.get(refKey(c.type, c.id))!.values[at.get(c.field)!]);
		const fault: SubmissionFault = {
			field: c.field,
			message: `${c.label}: “${String(value)}” is that of the ${type.label.toLowerCase()} ${named} already, and no two may have the same.`
		};
		throw new RefusedChange([fault], c.index, 409);
	}
}
