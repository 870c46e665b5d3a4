/** What compiling a rule set gives. */
import type { Outside, Run, Step } from '../feel/env';
import type { Expr, Image } from '../document/tree';
import type { Field, FieldRef, Schema } from '../document/model';
import { refKey } from '../document/model';
import type { EntryPoint, MatchHow, Output, Rule } from '../document/rules';
import type { BodyResult, Judgement, Place, Sending, TableTrace } from '../kinds/spec';

/** A fault of a rule that keeps it from being released. */
export interface Problem {
	rule: string;
	place: Place;
	message: string;
	/** Nothing is wrong: something is still to be said. */
	open?: true;
	/** Where in the formula's text, when it lies in one. */
	span?: { from: number; to: number };
}

/** A field read, which image of it, and the links that lead to it; `many` when to any number of records. */
export interface Seen extends FieldRef {
	image: Image;
	via: Step[];
	many: boolean;
}

/** A field of another record that a claim depends on, and the links that lead from the claim's record to it. */
export interface ReachedField extends FieldRef {
	via: Step[];
	/** The field and the way in one text: {@link wayKey}. */
	key: string;
}

/** A field of another record and the way to it, as one text; it begins with `type.field`. */
export const wayKey = (type: string, field: string, via: readonly Step[]) =>
	[refKey(type, field), ...via.map((v) => `${refKey(v.type, v.field)}${v.back ? '<' : '>'}`)].join(
		' '
	);

/** What a change of one field sets going at other records. */
export interface Reach {
	/** The field and the way in one text: {@link wayKey}. */
	key: string;
	/** The way from the record that depends to the one that changed. */
	via: readonly Step[];
	/** Position in {@link Plan.nodes} of the field that depends; behind those, in {@link Plan.messages}. */
	node: number;
	/** Record type of the record that depends. */
	type: string;
}

/** A message rule, compiled. It comes after every field is settled. */
export interface MessageRule extends Sending {
	id: string;
	rule: Rule;
	/** Stands where a claim has its field. */
	field: Field;
	guard: Run | null;
	guardBefore: Run | null;
	guardParts: Parts;
	/** Own fields (indices) whose change sets it off: settled against was, and sent against was. */
	triggers: number[];
	triggersSent: number[];
	reached: ReachedField[];
	reads: Seen[];
	used: Seen[];
	eventful: boolean;
}

/** A row of a condition, for showing which part was true. */
export interface GuardPart {
	text: string;
	expr: Expr;
	run: Run;
	reads: Seen[];
}

/** Parts of a rule for showing: worked out when somebody asks, since most are never shown. */
export type Parts = () => readonly GuardPart[];

export interface Claim {
	id: string;
	rule: Rule;
	output: Output;
	/** Index of the target in the arrays of its type. */
	target: number;
	field: Field;
	guard: Run | null;
	/** The guard on values before the change, for *entering*. */
	guardBefore: Run | null;
	guardParts: Parts;
	run: (env: Parameters<Run>[0]) => BodyResult;
	/** The body on values before the change, where the claim adds to a set. */
	runBefore: ((env: Parameters<Run>[0]) => BodyResult) | null;
	/** The conditions by which a formula chooses what it gives, in order, for explanations. */
	branches: Parts;
	/** How the rows of a decision table fare, for explanations. */
	trace: ((env: Parameters<Run>[0]) => TableTrace) | null;
	/** Own fields (indices) whose change triggers it, guards above in the claim order included. */
	triggers: number[];
	/** The same by what is compared: settled against was, or sent against was. */
	triggersSent: number[];
	/** Fields the claim reads, guard included. */
	reads: Seen[];
	/** Those its body reads, for explanations. */
	used: Seen[];
	/** Fields of other records it depends on. */
	reached: ReachedField[];
	/** Reads what was sent for its own target: a cleaning rule, which the sender's own value cannot keep out. */
	readsOwnSent: boolean;
	/** Depends on the event itself, so it does not run on request. */
	eventful: boolean;
	/** What else than fields it depends on. */
	outside: ReadonlySet<Outside>;
	/** Index of the link to the record at which the rule is set off; -1 when that is the record itself. */
	each: number;
}

/**
 * A Validate rule on one field: what the field may be, or what must hold and what is said otherwise.
 * `read-only` and `limited` act on the field before its claims; the others on settled values.
 */
export interface Validator extends Omit<Judgement, 'reads' | 'events' | 'asked'> {
	id: string;
	rule: Rule;
	field: Field;
	target: number;
	guard: Run | null;
	guardBefore: Run | null;
	guardParts: Parts;
	/** The rows of what must hold. */
	askedParts: Parts;
	triggers: number[];
	triggersSent: number[];
	reads: Seen[];
	used: Seen[];
}

/** One field that rules write. */
export interface PlanNode {
	type: string;
	field: Field;
	index: number;
	/** In claim order; those that add to a set are in {@link adders}. */
	claims: Claim[];
	hasLocked: boolean;
	/** Claims that add to the set, whatever the others give. */
	adders: Claim[];
	/** Some claim is Locked or closed to people. */
	restricts: boolean;
	/** The field (index) that tells the currency of an amount, -1 where none does: what is entered is rounded by it. */
	currency: number;
	/** Validate rules that make it read-only or limit its options: they come before any claim. */
	limits: Validator[];
	/** Fields (`type.field`) that must be settled before it. */
	sources: readonly string[];
}

/** The nodes of one record type, worked out so that a change finds what it triggers without a search. All numbers are positions in {@link Plan.nodes}. */
export interface TypePlan {
	nodes: number[];
	/** By index of the field that changed. */
	watchers: number[][];
	/** By index of the field written; -1 for fields that no rule writes. */
	position: Int32Array;
	/** By index of the field that changed: what that sets going at other records. */
	reach: readonly (readonly Reach[] | undefined)[];
	/** Nodes with a Locked claim. */
	locked: number[];
	/** Checks, required and hidden fields: looked at on settled values. */
	validators: Validator[];
	/** By index of the field that changed: positions in {@link validators} of those it concerns. */
	judges: number[][];
	/** Positions of those that every change concerns, and of those that say what a field is: required, hidden. */
	always: number[];
	standing: number[];
	/** One entry for each field: copied where a record is opened. */
	zeros: readonly number[];
	nobody: readonly (string | null)[];
	/** Everything that is reported on a record, in the order of reports. */
	reported: readonly (Claim | Validator | MessageRule)[];
	/** Messages, as positions behind the nodes. */
	messages: number[];
}

export interface Plan {
	schema: Schema;
	/** By `type.field`: what its change sets going at other records. */
	reach: ReadonlyMap<string, readonly Reach[]>;
	/** In the order in which they are settled. */
	nodes: PlanNode[];
	/** By record type; types without rules are there too. */
	types: ReadonlyMap<string, TypePlan>;
	problems: Problem[];
	/** Every claim by id, those with problems left out. */
	claims: ReadonlyMap<string, Claim>;
	/** Every Validate rule's output by the same kind of id. */
	validators: ReadonlyMap<string, Validator>;
	messages: readonly MessageRule[];
	/** Fields by which records are found again, each with how, by `type.field`. */
	matched: ReadonlyMap<string, readonly MatchHow[]>;
	/** What decides the records of a pilot instead, where one is on. */
	pilot?: PilotPlan;
}

/** The other release of a pilot, in one order of fields with the plan beside which it decides: a field has the same position in both. */
export interface PilotPlan {
	plan: Plan;
	/** Which records come to belong to it. */
	joins: Joins;
}

/** How a record that is submitted comes to belong to a pilot. Both may be told. */
export interface Joins {
	/** By record type: new records for which this holds of what was sent. */
	created: ReadonlyMap<string, Run>;
	/** Any record that one of these accounts submits by one of these roads; everybody, or every road, where null. */
	brought: { accounts: ReadonlySet<string> | null; roads: ReadonlySet<EntryPoint> | null } | null;
}

/** The rules by which a record is settled: those of the pilot for its records. */
export const rulesOfRecord = (plan: Plan, { pilot }: { pilot: boolean }): Plan =>
	pilot && plan.pilot ? plan.pilot.plan : plan;

/** The rule behind a claim, a Validate rule's output or a message. */
export function ruleOf(plan: Plan, id: string): Rule | undefined {
	const of = plan.claims.get(id) ?? plan.validators.get(id);
	return of?.rule ?? plan.messages.find((m) => m.id === id)?.rule;
}
