/** What a match among records, or a look-up, finds at the records that exist, before anything is released. */
import type { Rule, Schema, Settled, Value } from '../../core';
import { cellText, compilePlan, settle, toJson } from '../../core';
import { formatValue } from '../../runtime/format';
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
/** Most different keys without a row that are counted. */
const MOST_MISSING = 2_000;

export interface FindsLook {
	/** Records looked at, and how many of them find one, none, several, or have nothing to look for. */
	of: number;
	one: number;
	none: number;
	several: number;
	blank: number;
	/** What found nothing, most often first, with how many records have it. */
	missing: { values: string[]; records: number }[];
	/** Whether there are more records than were looked at. */
	more: boolean;
	examples: {
		outcome: 'one' | 'none' | 'several';
		id: string;
		title: string;
		/** What it looks for. */
		values: string[];
		/** Records, or rows (from 1 up) with what the first of them says. */
		found: { id: string; title: string }[];
	}[];
}

/** Runs such a rule at every record of its type, whatever its guard and hold. @throws {BadInput} when it cannot be read */
export async function lookAtFinds(
	db: Db,
	workspace: string,
	schema: Schema,
	rule: Rule,
	instant: number
): Promise<FindsLook> {
	const { body } = rule;
	if (body.kind !== 'match' && body.kind !== 'lookup')
		throw new BadInput('The rule neither matches records nor looks up in a table.');
	const always: Rule = {
		...rule,
		// a Locked one may not be narrowed to what is asked here
		outputs: rule.outputs.map((o) => ({ ...o, hold: 'follow' as const, closed: undefined })),
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
	const out: FindsLook = {
		of: 0,
		one: 0,
		none: 0,
		several: 0,
		blank: 0,
		missing: [],
		more: false,
		examples: []
	};
	const wanted = new Set<string>();
	const missing = new Map<string, { values: string[]; records: number }>();
	const say = (r: { type: string; field: string; value: Value }) => {
		const f = schema.field(r.type, r.field);
		return f && r.value !== null ? formatValue(f, toJson(r.value), schema) : 'blank';
	};
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
			const found = report.found ?? rowsOf(report.row);
			out.of++;
			if (report.outcome === 'blank' || (report.reads ?? []).every((r) => r.value === null)) {
				out.blank++;
				return;
			}
			const outcome = found.length > 1 ? 'several' : found.length ? 'one' : 'none';
			out[outcome]++;
			const values = (report.reads ?? []).map(say);
			if (outcome === 'none' && (missing.size < MOST_MISSING || missing.has(values.join('\0')))) {
				const had = missing.get(values.join('\0'));
				missing.set(values.join('\0'), { values, records: (had?.records ?? 0) + 1 });
			}
			if (out.examples.filter((x) => x.outcome === outcome).length >= SHOWN) return;
			for (const id of found.slice(0, 5)) wanted.add(id);
			out.examples.push({
				outcome,
				id: piece[i].id,
				title: String(toJson(piece[i].values[title]) ?? `No. ${piece[i].id}`),
				values,
				found: found.slice(0, 5).map((id) => ({ id, title: `No. ${id}` }))
			});
		});
	});
	out.missing = [...missing.values()].sort((a, b) => b.records - a.records).slice(0, SHOWN);
	if (body.kind === 'match') {
		const titles = await titlesOf(db, schema, workspace, body.type, [...wanted]);
		for (const x of out.examples) for (const m of x.found) m.title = titles.get(m.id) ?? m.title;
	} else {
		const table = schema.tables.get(body.table);
		const column = table?.columns.findIndex((c) => c.id === body.columns[0]) ?? -1;
		for (const x of out.examples)
			for (const m of x.found) {
				const cell = table?.rows[Number(m.id) - 1]?.[column] ?? null;
				const text = table && column >= 0 ? cellText(table.columns[column], cell, schema) : '';
				m.title = `row ${m.id}${text ? `: ${text}` : ''}`;
			}
	}
	return out;
}

/** The rows of a table that a report names, from 1 up. */
function rowsOf(row: number | string | undefined): string[] {
	if (row === undefined || row === '') return [];
	return typeof row === 'number' ? [String(row + 1)] : (row.match(/\d+/g) ?? []);
}
