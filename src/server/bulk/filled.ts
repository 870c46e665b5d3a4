/** What a field of records is filled with from history: what the rules in force would have given it by what happened. */
import type { GivenByEvent, PastStep, Plan, Value } from '../../core';
import { eventFields, fromJson, givenByEvents, same, toJson } from '../../core';
import { BadInput } from '../../door';
import { dayIn, formatDate } from '../../runtime/format';
import { zones } from '../../runtime/zones';
import { isHistoryMoving } from '../db/earlier-history';
import { db } from '../db/pool';
import type { StoredRecord } from '../db/records';
import { changesOf, type ChangeOf, type ChangeOfByRoad } from '../db/replayed';
import { historyFrom } from '../db/retention';
import { markPilot, type InForce } from '../records';
import type { Give } from './to-send';

/** Most changes of one record that are gone through. */
const MOST = 2_000;

/**
 * For each record its changes are taken back as far as history goes and made again, the field alone by its rules.
 * @throws {BadInput} where nothing that happens gives the field a value, or history is still being moved
 */
export function fromHistory(
	workspace: string,
	{ plan, pilot, schema }: InForce,
	type: string,
	field: string
): Give {
	const label = schema.field(type, field)?.label ?? field;
	const tried = plan.pilot?.plan ?? plan;
	if (![plan, tried].some((p) => eventFields(p, type).includes(field)))
		throw new BadInput(
			`No rule in force gives “${label}” a value when something happens to the record: there is nothing in history to fill it from.`
		);
	return async (records) => {
		if (await isHistoryMoving(db()))
			throw new BadInput(
				'History is still being moved from an earlier version. Look once more in some minutes.'
			);
		const ids = records.map((r) => r.id);
		const all = new Map<string, ChangeOf[]>(ids.map((id) => [id, []]));
		for (const c of await changesOf(db(), workspace, type, ids, MOST)) all.get(c.record)!.push(c);
		await markPilot(db(), pilot, records);
		const from = await historyFrom(db(), workspace);
		return records.map((r) => filledFrom(r.pilot ? tried : plan, r, field, all.get(r.id)!, from));
	};
}

type Filled = Awaited<ReturnType<Give>>[number];

const refused = (fault: string): Filled => ({ value: undefined, fault });

/** @param from since when history is whole, ISO 8601; null where nothing was forgotten */
function filledFrom(
	plan: Plan,
	r: StoredRecord,
	field: string,
	changes: ChangeOf[],
	from: string | null
): Filled {
	if (changes.length > MOST) return refused(`It was changed more than ${MOST} times.`);
	const { type } = r;
	const { schema } = plan;
	// what was made again after it had been deleted begins anew: what happened then happened to nobody
	const made = changes.findLastIndex((c) => c.made);
	const first = changes[made]?.entryPoint === 'bulk' ? made + 1 : Math.max(made, 0);
	const known = changes.slice(first);
	const was = [...r.values];
	for (const c of known.toReversed())
		for (const [name, before, now] of c.set) {
			const i = schema.type(type).at.get(name);
			const f = schema.field(type, name);
			// a field that the model no longer has is read by no rule
			if (i === undefined || !f) continue;
			const [had, became] = [before, now].map((x) => fromJson(f, x, schema));
			if (name !== field && (!had.ok || !became.ok || !same(became.value, was[i])))
				return refused(
					`Its history does not tell how “${f.label}” came to be what it is: what was there at the time is not known.`
				);
			was[i] = had.ok ? had.value : null;
		}
	// an edit of the model took values and settled nothing
	const done = known.filter((c) => c.entryPoint !== 'model');
	const steps = done.map((c) => stepOf(plan, r, field, c));
	const given = givenByEvents(plan, { type, id: r.id, was }, field, steps, zones);
	if (given === 'beyond')
		return refused('It depends on other records, and what they were at the time is not known.');
	// what happened before may have given it a value, or another
	const whole = !from || (made >= 0 && Date.parse(changes[made].at) >= Date.parse(from));
	const day = whole ? null : formatDate(dayIn(from, schema.model.zone)!);
	if (given) return told(plan, given, done[given.step], field, day);
	return whole
		? { value: undefined, fault: null }
		: refused(`What happened to it before ${day} is not kept: that may have given it a value.`);
}

/** A change as it is made again. */
function stepOf({ schema }: Plan, r: StoredRecord, field: string, c: ChangeOfByRoad): PastStep {
	const sent = c.submission?.records.find((s) => s.record === r.id && s.type === r.type);
	const became = new Map<string, Value>();
	for (const [name, , now, claim] of c.set) {
		const f = schema.field(r.type, name);
		// what rules wrote there then, and what was done in bulk, is what is worked out here
		if (!f || (name === field && (claim || c.entryPoint === 'bulk'))) continue;
		const read = fromJson(f, now, schema);
		if (read.ok) became.set(name, read.value);
	}
	const keep = sent?.keep ?? 'touched';
	return {
		instant: Date.parse(c.at),
		entryPoint: c.entryPoint,
		person: c.submission?.person ?? null,
		created: c.made,
		became,
		keep: keep === 'touched' ? keep : new Set(keep)
	};
}

/** @param from the day from which on history is whole, where something was forgotten */
function told(
	{ claims }: Plan,
	{ value, claim, because }: GivenByEvent,
	{ at, who }: ChangeOf,
	field: string,
	from: string | null
): Filled {
	const rule = claims.get(claim)!.rule.name;
	const why = from ? `${because}; what happened before ${from} is not kept` : because;
	return {
		value: toJson(value),
		fault: null,
		event: { at, who, rule, because: why },
		// it is that rule's, as if it had been in force then
		had: {
			[field]: {
				by: 'rule',
				claim,
				rule,
				because: why,
				at,
				...(who ? { name: who } : {})
			}
		}
	};
}
