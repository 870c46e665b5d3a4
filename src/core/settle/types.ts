/** What goes into settling a change, and what comes of it. */
import type { EntryPoint } from '../document/rules';
import type { Expr } from '../document/tree';
import type { TableTrace } from '../kinds/spec';
import type { FindRows, RollUp, Rolled } from '../feel/env';
import type { Seen } from '../plan/plan';
import type { MatchKey } from '../fields/match';
import type { ZoneClock } from '../value/temporal';
import type { Value } from '../value/value';
import type { Outgoing, Sending } from './outgoing';

/** A record that the sender submits. Arrays are in the order of the type's fields. */
export interface SubmittedRecord {
	type: string;
	id: string;
	created: boolean;
	/** Stored values before the change; all blank on a new record. */
	was: readonly Value[];
	/** What is sent, by field, in the order in which a person touched the fields. */
	sent: ReadonlyMap<string, Value>;
	/**
	 * The fields whose sent value the sender keeps against rules that follow; or `touched`, as in
	 * a form: a field is kept until one that its rule watches is touched after it.
	 */
	keep: ReadonlySet<string> | 'touched';
	/** Already settled by the plan in force, so that Locked fields are known to be right. */
	inLine: boolean;
	/**
	 * Fields of other records, with the way to each ({@link wayKey}), whose change ran on to this one
	 * in an earlier transaction: it is settled as reached, and nothing is sent to it.
	 */
	touched?: readonly string[];
	/** It is deleted: no rule runs on it, and what reads or counts it follows. */
	removed?: boolean;
	/** It belongs to the pilot already. */
	pilot?: boolean;
	/**
	 * For claims that add to a set: the options each of them added, by claim. For a claim left out,
	 * what it gives for the stored values counts as what it added.
	 */
	added?: ReadonlyMap<string, readonly string[]>;
}

export interface Change {
	records: readonly SubmittedRecord[];
	entryPoint: EntryPoint;
	/** The one instant of the change: milliseconds since 1970 UTC. */
	instant: number;
	/** Record of the person, where people are records. */
	person: string | null;
	/** The account that sends it, where some bring records into a pilot. */
	account?: string;
	/** Standing claims count as triggered, and what depends on an event is left out. */
	onRequest?: boolean;
	/** On request, of these fields alone (`type.field`); the others are settled as after any change. */
	only?: ReadonlySet<string>;
	/** On request, blank fields are filled too by claims that fill them. */
	fillBlanks?: boolean;
}

/** Stored values of a record in the order of its type's fields; null when it does not exist; undefined when not at hand. */
export interface Loader {
	record(type: string, id: string): readonly Value[] | null | undefined;
	related(type: string, field: string, id: string): readonly string[] | undefined;
	/** Ids of the stored records whose fields have all the keys. */
	matching(type: string, keys: readonly MatchKey[]): readonly string[] | undefined;
	/** What a record was before the change that is carried on, where that was another transaction. */
	before?(type: string, id: string): readonly Value[] | undefined;
	/**
	 * Figures of the records whose link points to one, where whoever stores them keeps or works out such: null where
	 * they have to be looked at one by one.
	 */
	rolledUp?(of: RollUp, id: string): StoredFigures | null | undefined;
	/** Whether a record that is at hand belongs to the pilot; none does where it is not told. */
	pilot?(type: string, id: string): boolean;
}

/** A record as it is stored and as earlier changes made it; null where it is not there. */
export interface MadeOtherwise {
	stored: readonly Value[] | null;
	now: readonly Value[] | null;
}

/** Figures as they are stored, and what became since of records that may be among them, by id. */
export interface StoredFigures {
	rolled: Rolled;
	made: ReadonlyMap<string, MadeOtherwise>;
}

/** Something a rule read that was not at hand. */
export type Need =
	| { type: string; id: string }
	/** The records whose link points to one; or no more than their numbers, where somebody only names them. */
	| { type: string; field: string; of: string; named?: true }
	| { type: string; match: readonly MatchKey[] }
	| { rollUp: RollUp; of: string };

/** The text under which a search among records is known. */
export const searchKey = (type: string, keys: readonly MatchKey[]) =>
	[type, ...keys.flatMap((k) => [k.field, k.how, k.key])].join('\u0000');

/** Why a claim wrote or did not. */
export type Outcome =
	| 'wrote'
	| 'same value'
	| 'not triggered'
	| 'moment left out'
	| 'entry point left out'
	| 'event left out'
	| 'guard false'
	| 'guard unknown'
	| 'did not come to hold'
	| 'outranked'
	| 'kept'
	| 'not blank'
	| 'cleared by hand'
	| 'given at creation'
	| 'no row'
	| 'several rows'
	| 'blank'
	| 'no result'
	| 'left'
	| 'cleared'
	| 'failed'
	| 'pending'
	/** It takes submitted records only, and this one was reached. */
	| 'reached left out'
	/** Of a message rule: what it sends, or that there is nobody to send to. */
	| 'sends'
	| 'nobody'
	/** Of a Validate rule: what it asks holds; it said its message; it makes the field so; it cannot tell. */
	| 'holds'
	| 'said'
	| 'in effect'
	| 'cannot tell';

/** A field that was read, which image of it, and the value it had. */
export interface SeenValue extends Seen {
	value: Value;
}

/** A condition with what came of it and the values that were in it. */
export interface SeenPart {
	text: string;
	expr: Expr;
	result: Value;
	values: SeenValue[];
}

/** Records of one type at the other side of a link. */
export interface Counted {
	type: string;
	/** The fields read of them. */
	fields: string[];
	n: number;
	/** The first of them. */
	ids: readonly string[];
}

/** What one claim did in a change, with the values that decided it. */
export interface ClaimReport {
	claim: string;
	rule: string;
	field: string;
	outcome: Outcome;
	/** The claim that gave the value instead. */
	by?: string;
	/** Result of the body, written or not. */
	value?: Value;
	/** Which band (index), option (identity) or `blank` row was taken or missing. */
	row?: number | string;
	/** The rows of its condition, in the order of the list. */
	guard?: SeenPart[];
	/** The rows of what a check asks for. */
	holds?: SeenPart[];
	/** The conditions by which its formula chose what it gives, in order, as far as they were asked. */
	branches?: SeenPart[];
	/** Values of the fields read. */
	reads?: SeenValue[];
	/** The records behind links that it looked at, with the first of them. */
	counted?: Counted[];
	/** The options that a limit leaves. */
	left?: readonly string[];
	/** By which road the sender asked that a value be kept; left out where a person touched it. */
	asked?: EntryPoint;
	/** How the rows of a decision table fared. */
	table?: TableTrace;
	/** Records that a match found. */
	found?: readonly string[];
	/** What a message rule sends. */
	sending?: Sending;
	/** What went wrong. */
	message?: string;
}

/** A value sent that could not be set. */
export interface SetAside {
	field: string;
	sent: Value;
	/** The value the field has instead. */
	stands: Value;
	claim: string;
	why: 'locked' | 'closed' | 'read-only' | 'not allowed';
}

/** What a check or a required field says about a change. */
export interface Message {
	field: string;
	/** Id of the Validate rule's output. */
	claim: string;
	text: string;
	/** Refuses the whole change. */
	blocking: boolean;
}

export interface FieldChange {
	field: string;
	from: Value;
	to: Value;
	/** The claim that wrote it, or null when the sender did. */
	claim: string | null;
	/** What the sender gave, where the claim made its value of that. */
	typed?: Value;
}

export interface SettledRecord {
	type: string;
	id: string;
	created: boolean;
	/** The rules of the pilot decided it: it belongs to it now, or did before. */
	readonly pilot: boolean;
	/** Not submitted: the change ran on to it along links. Its blocking messages refuse nothing. */
	reached: boolean;
	was: readonly Value[];
	values: readonly Value[];
	changes: FieldChange[];
	setAside: SetAside[];
	/** Claims that failed and left their field. */
	failures: { claim: string; field: string; message: string }[];
	/** Options that adding claims have added and that are still there, by claim; those this change looked at. */
	added: ReadonlyMap<string, readonly string[]>;
	/** Fields that only rules may set now, with the claim that says so; asked for with `states`. */
	readOnly: ReadonlyMap<string, string>;
	/** Messages of checks and required fields that this change concerns. */
	messages: Message[];
	/** What message rules send when the change is kept. */
	sends: Outgoing[];
	/** Fields that are required, and that are hidden, now; asked for with `states`. */
	required: ReadonlySet<string>;
	hidden: ReadonlySet<string>;
	/** Options that are left in a field that is limited now; asked for with `states`. */
	limited: ReadonlyMap<string, readonly string[]>;
	/**
	 * One report for each claim and each Validate rule's output of the type; asked for with `explain`. Made
	 * when it is read: a copy of the record that is made of its parts has none.
	 */
	readonly reports: ClaimReport[];
}

export interface Settled {
	/** Those submitted, in their order; then those that the change ran on to. */
	records: SettledRecord[];
	/** Stored records that rules read through links. */
	read: { type: string; id: string }[];
	/** Records that a match found. */
	found: { type: string; id: string }[];
	/** What was not at hand; load it and settle again. Empty when the result is final. */
	needs: Need[];
	/**
	 * Records that the change runs on to beyond the most for one transaction, each with the fields
	 * and ways by which it is reached. They are settled afterwards; see {@link SubmittedRecord.touched}.
	 */
	deferred: Deferred[];
	/** Steps that its formulas took. */
	steps: number;
}

export interface Deferred {
	type: string;
	id: string;
	touched: string[];
}

export interface SettleOptions {
	/**
	 * Reports for each rule; `outcomes` without the values that decided. What decided is worked out
	 * when it is read, from the records at hand then.
	 */
	explain?: boolean | 'outcomes';
	/** Told of what is not at hand of what a report shows, when that is read. */
	missing?: (need: Need) => void;
	states?: boolean;
	/** Every check and required field is looked at, whatever the change concerns. */
	everyCheck?: boolean;
	/** Settles the submitted records only: the change does not run on to others. */
	alone?: boolean;
	/** Most records that the change runs on to in one go; the usual number without it. */
	most?: number;
	/** Finds rows of tables otherwise than in the tables themselves. */
	findRows?: FindRows;
	zones: ZoneClock;
}
