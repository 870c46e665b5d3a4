/** What a match among records finds at the records that exist, before anything is released. */
import type { Rule, Schema, Settled } from '../../core';
import { compilePlan, settle, toJson } from '../../core';
import { zones } from '../../runtime/zones';
import { indexMatched } from '../db/model';
import type { Db } from '../db/pool';
import { eachPiece, titlesOf } from '../db/records';
import { BadInput } from '../../door';
import { AtHand } from '../records/near';

/** How many records are shown of each outcome. */
const SHOWN = 8;
/** Most records that are looked at. */
const MOST_LOOKED = 100_000;

export interface MatchLook {
	/** Records looked at, and how many of them find one, none, several, or have nothing to look for. */
	of: number;
	one: number;
	none: number;
	several: number;
	blank: number;
	/** Whether there are more records than were looked at. */
	more: boolean;
	examples: {
		outcome: 'one' | 'none' | 'several';
		id: string;
		title: string;
		/** What it looks for. */
		values: string[];
		found: { id: string; title: string }[];
	}[];
}

/** Runs a match at every record of its type, whatever its guard and hold. @throws {BadInput} when it cannot be read */
export async function lookAtMatches(
	db: Db,
	workspace: string,
	schema: Schema,
	rule: Rule,
	instant: number
): Promise<MatchLook> {
	if (rule.body.kind !== 'match') throw new BadInput('The rule is no match among records.');
	const always: Rule = {
		...rule,
		moments: ['request'],
		entryPoints: null,
		watch: null,
		guard: null,
		entering: false,
		each: undefined,
		submittedOnly: undefined,
		off: undefined
	};
	const set = {
		rules: [always],
		order: {},
		definitions: [...schema.definitions.values()],
		tables: [...schema.tables.values()]
	};
	const plan = compilePlan(schema, set);
	if (plan.problems.length) throw new BadInput(plan.problems[0].message);
	await indexMatched(db, plan.matched);
	const { type, at } = schema.type(rule.type);
	const title = at.get(type.title)!;
	const out: MatchLook = {
		of: 0,
		one: 0,
		none: 0,
		several: 0,
		blank: 0,
		more: false,
		examples: []
	};
	const wanted = new Set<string>();
	await eachPiece(db, schema, workspace, rule.type, async (piece) => {
		if (out.of >= MOST_LOOKED) {
			out.more ||= piece.length > 0;
			return;
		}
		let results: Settled[] = [];
		await new AtHand(db, workspace, schema).fill((loader) => {
			results = piece.map((r) =>
				settle(
					plan,
					{
						records: [
							{
								type: r.type,
								id: r.id,
								created: false,
								was: r.values,
								sent: new Map(),
								keep: new Set(),
								inLine: false
							}
						],
						entryPoint: 'bulk',
						instant,
						person: null,
						onRequest: true
					},
					loader,
					{ zones, explain: true, alone: true }
				)
			);
			return results.flatMap((s) => s.needs);
		});
		results.forEach((s, i) => {
			const report = s.records[0].reports[0];
			const found = report.found ?? [];
			out.of++;
			if (report.outcome === 'blank') {
				out.blank++;
				return;
			}
			const outcome = found.length > 1 ? 'several' : found.length ? 'one' : 'none';
			out[outcome]++;
			if (out.examples.filter((x) => x.outcome === outcome).length >= SHOWN) return;
			for (const id of found.slice(0, 5)) wanted.add(id);
			out.examples.push({
				outcome,
				id: piece[i].id,
				title: String(toJson(piece[i].values[title]) ?? `No. ${piece[i].id}`),
				values: (report.reads ?? []).map((r) => String(toJson(r.value) ?? 'blank')),
				found: found.slice(0, 5).map((id) => ({ id, title: `No. ${id}` }))
			});
		});
	});
	const titles = await titlesOf(db, schema, workspace, rule.body.type, [...wanted]);
	for (const x of out.examples) for (const m of x.found) m.title = titles.get(m.id) ?? m.title;
	return out;
}
