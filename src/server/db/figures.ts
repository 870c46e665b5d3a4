/** Figures of the records behind links: counted and put together by PostgreSQL, so that none of them has to be read. */
import type { Field, RollUp, Rolled, Schema, Value } from '../../core';
import { ENDS, FIRST, LocalDate, NONE_ROLLED, addedUp } from '../../core';
import { narrowed } from './filter';
import { columnOf, tableOf } from './model';
import type { Db } from './pool';
import { fromColumn } from './records';

const DAY_ONE = LocalDate.fromEpochDay(0)!;

/** All that point to a record: how many, and the numbers of the first. */
type Behind = Pick<Rolled, 'all' | 'first'>;

/** The figures of one record that others point to, as a row gives them from a place on. */
interface Asked {
	rollUp: RollUp;
	sql: string[];
	read: (row: readonly unknown[], from: number, behind: Behind) => Rolled | null;
}

/**
 * How PostgreSQL is asked for a roll-up; null where it cannot tell it as the core does.
 * @param values of the statement so far; what the condition needs is put behind them
 */
function asked(schema: Schema, rollUp: RollUp, values: unknown[]): Asked | null {
	const { type, by, fn } = rollUp;
	// a condition of a roll-up asks for nothing but the record: neither the day nor who asks matters
	const { today, person, period } = { today: DAY_ONE, person: null, period: null };
	const behind = [...values];
	const told = by && narrowed(by, false, { schema, type, today, person, period }, behind);
	if (told && !told.exact) return null;
	values.push(...behind.slice(values.length));
	const where = told ? told.sql : 'true';
	const n = `count(*) filter (where ${where})::int`;
	if (rollUp.field === null)
		return {
			rollUp,
			sql: [n],
			read: (row, at, behind) => ({
				...behind,
				n: row[at] as number,
				filled: 0,
				sum: null,
				ends: []
			})
		};
	const field = schema.field(type, rollUp.field)!;
	const x = `r.${columnOf(field.id)}`;
	const some = `filter (where (${where}) and ${x} is not null)`;
	const filled = `count(*) ${some}::int`;
	if (fn === 'min' || fn === 'max') {
		const order = fn === 'max' ? `${x} desc` : x;
		return {
			rollUp,
			sql: [n, filled, `((array_agg(${x} order by ${order}) ${some})[1:${ENDS}])::text[]`],
			read: (row, at, behind) => {
				const ends = ((row[at + 2] as string[] | null) ?? []).map((v) => valueOf(field, v));
				if (ends.includes(null)) return null;
				return { ...behind, n: row[at] as number, filled: row[at + 1] as number, sum: null, ends };
			}
		};
	}
	return {
		rollUp,
		sql: [
			n,
			filled,
			`sum(${x}) ${some}::text`,
			`sum(abs(${x})) ${some}::text`,
			`max(scale(${x})) ${some}`
		],
		read: (row, at, behind) => {
			const [of, filled, sum, absolute, decimals] = row.slice(at) as [
				number,
				number,
				string | null,
				string | null,
				number | null
			];
			const added = sum === null ? null : addedUp(sum, absolute!, decimals!);
			if (filled && !added) return null;
			return { ...behind, n: of, filled, sum: added, ends: [] };
		}
	};
}

const valueOf = (field: Field, text: string): Value => fromColumn(field.type, text, 'UTC');

/**
 * The figures of the records that point to each of some, as they are stored.
 * @returns null where PostgreSQL cannot tell what the core would: then each record has to be looked at
 */
export async function figuresOf(
	db: Db,
	workspace: string,
	schema: Schema,
	needs: readonly { rollUp: RollUp; of: string }[]
): Promise<{ of: RollUp; id: string; figures: Rolled | null }[]> {
	const links = new Map<string, { rollUps: Map<string, RollUp>; of: Set<string> }>();
	for (const { rollUp, of } of needs) {
		const key = `${rollUp.type}.${rollUp.link}`;
		const had = links.get(key) ?? { rollUps: new Map<string, RollUp>(), of: new Set<string>() };
		links.set(key, had);
		had.rollUps.set(rollUp.key, rollUp);
		had.of.add(of);
	}
	const out: { of: RollUp; id: string; figures: Rolled | null }[] = [];
	for (const { rollUps, of } of links.values()) {
		const [{ type, link }] = rollUps.values();
		const ids = [...of].filter((id) => /^\d{1,18}$/.test(id));
		const values: unknown[] = [workspace, ids];
		const told: Asked[] = [];
		for (const r of rollUps.values()) {
			const one = asked(schema, r, values);
			if (one) told.push(one);
			else out.push(...[...of].map((id) => ({ of: r, id, figures: null })));
		}
		if (!told.length) continue;
		const at = `r.${columnOf(link)}`;
		const { rows } = await db.query<unknown[]>({
			rowMode: 'array',
			text: `select ${at}::text, count(*)::int, ((array_agg(r.id order by r.id))[1:${FIRST}])::text[], ${told.flatMap((t) => t.sql).join(', ')}
			       from ${tableOf(type)} r where r.workspace = $1 and ${at} = any($2::bigint[]) group by ${at}`,
			values
		});
		const byId = new Map(rows.map((row) => [row[0] as string, row]));
		for (const id of of) {
			const row = byId.get(id);
			const behind = row && { all: row[1] as number, first: row[2] as string[] };
			let from = 3;
			for (const { rollUp, sql, read } of told) {
				out.push({
					of: rollUp,
					id,
					figures: row ? read(row, from, behind!) : NONE_ROLLED
				});
				from += sql.length;
			}
		}
	}
	return out;
}
