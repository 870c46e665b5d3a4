/**
 * What the rules of a field would have given it by the events that history holds: the changes of one record made
 * again in their order, all other fields as they are recorded. Nothing is written.
 */
import { refKey } from '../document/model';
import type { EntryPoint } from '../document/rules';
import { reason } from '../explain/reason';
import { nodeKey, planOf, type Claim, type Plan, type PlanNode } from '../plan/plan';
import { settle } from '../settle/settle';
import type { SubmittedRecord } from '../settle/types';
import { NOTHING_ELSE } from '../trials/records';
import type { ZoneClock } from '../value/temporal';
import type { Value } from '../value/value';

/** A claim that an event of its own record sets off: on request it does not run. */
const isEvent = (c: Claim): boolean => c.eventful && c.each < 0;

const givesByEvent = (n: PlanNode): boolean =>
	// what is Locked is always as its rule has it: nothing is to be filled
	!n.hasLocked && [...n.claims, ...n.adders].some(isEvent);

/** The fields of a type that rules give values when something happens to the record. */
export const eventFields = (plan: Plan, type: string): string[] =>
	plan.nodes.filter((n) => n.type === type && givesByEvent(n)).map((n) => n.field.id);

/** A change of a record as history holds it. */
export interface PastStep {
	/** Milliseconds since 1970 UTC. */
	instant: number;
	entryPoint: EntryPoint;
	/** Record of the person who sent it. */
	person: string | null;
	/** It made the record. */
	created: boolean;
	/** What fields became, whoever set them; of the field that is asked for only what was sent. */
	became: ReadonlyMap<string, Value>;
	keep: SubmittedRecord['keep'];
}

/** What an event gave a field. */
export interface GivenByEvent {
	value: Value;
	/** Which of the changes was the event. */
	step: number;
	claim: string;
	/** Why, without the name of the rule. */
	because: string;
}

/** Plans of one field alone, worked out once for many records. */
const alone = new WeakMap<Plan, Map<string, Plan>>();

function rulesOfField(plan: Plan, type: string, field: string): Plan {
	let known = alone.get(plan);
	if (!known) alone.set(plan, (known = new Map()));
	const key = refKey(type, field);
	let only = known.get(key);
	if (!only) known.set(key, (only = planOf(plan, (n) => nodeKey(n) === key)));
	return only;
}

/**
 * Goes through the changes of a record.
 * @param was its values before the first of them, in the order of the fields of its type
 * @returns what an event gave the field last; null where none did, or where something else came after it: a person
 *   who sent a value, or a rule that needs no event. `beyond` where it depends on other records, of which nobody
 *   knows here what they were
 */
export function givenByEvents(
	plan: Plan,
	{ type, id, was }: { type: string; id: string; was: readonly Value[] },
	field: string,
	steps: readonly PastStep[],
	zones: ZoneClock
): GivenByEvent | 'beyond' | null {
	const { at } = plan.schema.type(type);
	const target = at.get(field)!;
	const only = rulesOfField(plan, type, field);
	let values = was;
	let added: SubmittedRecord['added'];
	let given: GivenByEvent | null = null;
	for (const [step, s] of steps.entries()) {
		const record: SubmittedRecord = {
			type,
			id,
			created: s.created,
			was: values,
			sent: s.became,
			keep: s.keep,
			inLine: true,
			...(added ? { added } : {})
		};
		const { instant, entryPoint, person } = s;
		const change = { records: [record], instant, entryPoint, person };
		const { records, needs } = settle(only, change, NOTHING_ELSE, { zones, explain: true });
		if (needs.length) return 'beyond';
		const [rec] = records;
		added = new Map([...(added ?? []), ...rec.added]);
		const wrote = rec.changes.find((c) => c.field === field);
		const claim = wrote?.claim && plan.claims.get(wrote.claim);
		if (claim && isEvent(claim)) {
			const report = rec.reports.find((r) => r.claim === claim.id)!;
			given = {
				value: rec.values[target],
				step,
				claim: claim.id,
				because: reason(plan, report)
			};
		} else if (wrote) given = null;
		values = rec.values.slice();
	}
	return given;
}
