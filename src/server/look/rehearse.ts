/** What one version would change in the records that exist against another, range by range. */
import {
	Linked,
	Tally,
	askedOf,
	glance,
	glancing,
	isBlank,
	rehearseRecord,
	same,
	toJson,
	type Need,
	type Plan,
	type Rehearsal,
	type Rehearsed,
	type RehearsedRecord,
	type Rehearsing,
	type Schema,
	type Value
} from '../../core';
import { zones } from '../../runtime/zones';
import type { Db } from '../db/pool';
import type { Looked } from '../db/records';
import { countRange, eachValues, readValues, readWhoSet } from '../db/records';
import type { Behind } from '../db/rehearsals';
import { addedOf } from '../records';
import { AtHand } from '../records/near';

const rehearsed = ({ id, values, setBy }: Looked): Rehearsed => ({
	id,
	values,
	added: addedOf(setBy)
});

/** What a rehearsal compares, and how. */
export interface Compared {
	schema: Schema;
	before: Plan;
	after: Plan;
	rehearsing: Rehearsing;
}

/** The record types that are looked at: those on which either rule set says anything, or the one that is selected. */
export const rehearsedTypes = ({ schema, before, after, rehearsing }: Compared): string[] =>
	schema.model.types
		.map((t) => t.id)
		.filter((id) =>
			rehearsing.selector
				? id === rehearsing.selector.type
				: [before, after].some((p) => p.types.get(id)!.reported.length)
		);

/** What a range came to, with the records behind it. */
export interface RangeRehearsed {
	result: Rehearsal;
	behind: (Behind & { about: string })[];
}

/**
 * Rehearses the records of a range. Memory does not grow with the records, but for what is kept of them.
 * @param most records that are kept behind each thing that is told
 */
export async function rehearseRange(
	db: Db,
	workspace: string,
	{ schema, before, after, rehearsing }: Compared,
	range: { type: string; low: string; high: string },
	most = Infinity
): Promise<RangeRehearsed> {
	const { type } = schema.type(range.type);
	const tally = new Tally();
	const asked = askedOf(rehearsing, range.type);
	const checked = rehearsing.differing.checks.types.has(range.type);
	if (!asked.length && !checked && !rehearsing.selector) {
		// whatever these records hold, both rule sets give the same
		tally.looked = await countRange(db, workspace, range.type, range.low, range.high);
		return { result: tally.told(false), behind: [] };
	}
	// what rules added to sets stands beside the values
	const adds = [before, after].some((p) => p.nodes.some((n) => n.adders.length));
	const titleAt = (of: string, id: string, values: readonly Value[]) => {
		const { at, type: named } = schema.type(of);
		return String(toJson(values[at.get(named.title)!]) ?? `No. ${id}`);
	};
	const kept = new Map<string, number>();
	const behind: RangeRehearsed['behind'] = [];
	const keep = (about: string, id: string, name: string, doc: Behind['doc']) => {
		const n = kept.get(about) ?? 0;
		if (n >= most) return;
		kept.set(about, n + 1);
		behind.push({ about, id, title: name, doc });
	};

	const count = (r: Looked, of: RehearsedRecord, accounts: ReadonlyMap<string, string | null>) => {
		const name = titleAt(range.type, r.id, r.values);
		for (const m of of.moves) {
			const f = type.fields[m.index];
			const overwritten =
				accounts.has(f.id) && !isBlank(m.stored) && !same(m.stored, m.to) && m.claim !== null;
			tally.move(range.type, f, m, { id: r.id, title: name, overwritten });
			keep(`value ${range.type}.${f.id}`, r.id, name, {
				stored: toJson(m.stored),
				from: toJson(m.from),
				to: toJson(m.to),
				claim: m.claim,
				...(overwritten ? { overwritten } : {})
			});
		}
		for (const { claim, field, text } of of.refused) {
			const people = [...accounts.values()].filter((a) => a !== null);
			tally.refuse({ type: range.type, field, claim, text }, new Set(people));
			keep(`refused ${claim}`, r.id, name, { text });
		}
		// of one rule about one record together
		const sent = new Map<string, RehearsedRecord['sends']>();
		for (const x of of.sends) {
			const key = `${x.message.claim} ${x.type} ${x.id}`;
			sent.set(key, [...(sent.get(key) ?? []), x]);
		}
		for (const all of sent.values()) {
			const [{ type: about, id, values, message }] = all;
			const { claim } = message;
			const called = about === range.type && id === r.id ? name : titleAt(about, id, values);
			const texts = all.map(({ message: { to, subject, text } }) => ({
				title: called,
				to,
				subject,
				text
			}));
			tally.send({ type: about, claim, count: texts.length, texts });
			for (const { to, subject, text } of texts)
				keep(`sends ${claim}`, id, called, { to, subject, text });
		}
	};

	const glanced = glancing(rehearsing, range.type);
	/** Of some records those of which there may be something to tell; of the others it is counted that they were looked at. */
	const glanceAt = async (piece: readonly Looked[]): Promise<string[]> => {
		const near = new AtHand(db, workspace, schema, { reads: glanced.reads });
		const linked = new Linked(rehearsing);
		const of = piece.map((r): [Looked, Rehearsed] => [r, rehearsed(r)]);
		await near.fill(() => of.flatMap(([, r]) => glanced.ahead(r)).filter((n) => !near.has(n)));
		const closer: string[] = [];
		let open = of;
		await near.fill((loader) => {
			const needs: Need[] = [];
			open = open.filter(([, r]) => {
				const is = glance(rehearsing, range.type, r, linked, loader, zones);
				if (is === 'unmoved') tally.looked++;
				else if (is === 'to be rehearsed') closer.push(r.id);
				else if (is !== 'not selected') needs.push(...is);
				return typeof is !== 'string';
			});
			return needs;
		});
		return closer;
	};

	await eachValues(
		db,
		schema,
		workspace,
		range.type,
		async (glancedAt) => {
			const closer = await glanceAt(glancedAt);
			if (!closer.length) return;
			const piece = await readValues(db, schema, workspace, range.type, closer, { setBy: adds });
			const near = new AtHand(db, workspace, schema);
			const linked = new Linked(rehearsing);
			// each is settled again only while something of it is missing
			const open = new Map<Looked, RehearsedRecord | null>(piece.map((r) => [r, null]));
			await near.fill((loader) => {
				const needs = [];
				for (const [r, had] of open) {
					if (had && !had.needs.length) continue;
					const of = rehearseRecord(
						rehearsing,
						range.type,
						rehearsed(r),
						asked,
						linked,
						loader,
						zones
					);
					open.set(r, of);
					needs.push(...of.needs);
				}
				return needs;
			});
			const told = [...open].filter(([, of]) => of!.moves.length + of!.refused.length);
			const by = await readWhoSet(
				db,
				workspace,
				range.type,
				told.map(([r]) => r.id)
			);
			for (const [r, of] of open) {
				if (!of!.selected) continue;
				tally.looked++;
				if (of!.moves.length) tally.records++;
				if (of!.partly) tally.partly++;
				if (!of!.moves.length && !of!.refused.length) continue;
				const entered = Object.entries(by.get(r.id) ?? {}).filter(([, s]) => s.by === 'person');
				count(r, of!, new Map(entered.map(([field, { account }]) => [field, account ?? null])));
			}
		},
		{ ...range, only: glanced.reads.get(range.type) ?? new Set(), setBy: glanced.sets }
	);
	return { result: tally.told(false), behind };
}
