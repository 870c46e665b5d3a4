/**
 * What a kind of rule is: one object that holds all that is particular to it, so that whoever adds a
 * kind writes one file here and one folder in `lib/kinds`, and the compiler names what is missing.
 * Nothing outside `kinds/` asks a body what kind it is.
 */
import type { JsonValue } from '../document/json';
import type { Field, FieldRef, Schema } from '../document/model';
import type {
	Body,
	Cell,
	EntryPoint,
	FieldState,
	Formula,
	Hold,
	Kind,
	Limit,
	MatchHow,
	OncePer,
	Output,
	Rule
} from '../document/rules';
import type { Expr, Fault, Template } from '../document/tree';
import type { Compiled, Env, Read, Run } from '../feel/env';
import type { CompiledTemplate } from '../feel/template';
import type { Ty } from '../feel/types';
import type { Spot } from '../spots/cells';
import type { Value } from '../value/value';
import type { FindingIs, Gravity } from './catalogue';
import type { AsDecision, DecisionWords } from './decision';

export type BodyKind = Body['kind'];
/** The body of one kind. */
export type BodyOf<K extends BodyKind> = Extract<Body, { kind: K }>;

/** Where in a rule something lies. */
export type Place =
	| 'guard'
	| 'input'
	| 'watch'
	| 'outputs'
	| 'blank'
	| `formula ${number}`
	| `result ${number}`
	/** The results of one option of a map. */
	| `option ${string}`
	| 'order'
	| 'message'
	| `input ${number}`
	| `cell ${number} ${number}`
	| `then ${number} ${number}`
	| `case ${number}`
	| `gives ${number} ${number}`
	| `otherwise ${number}`
	| `text ${number}`
	| `key ${number}`
	| 'recipient'
	| 'subject'
	| 'filter'
	| 'each'
	| `column ${number}`;

// ── What a body holds ────────────────────────────────────────────────────────────────────────────

/** What a formula of a body is about. */
export interface About {
	/** Record type whose fields it speaks of, where that is not the rule's own. */
	type?: string;
	/** The output (index) whose field it must fit. */
	output?: number;
}

/** What becomes of each part of a body; what comes back takes its place. */
export interface Parts {
	formula(f: Formula, place: Place, about?: About): Formula;
	text(t: Template, place: Place, about?: About): Template;
	/** @param input the column it stands in */
	cell(c: Cell, place: Place, input: number): Cell;
}

// ── What carries it to another workspace ─────────────────────────────────────────────────────────

/** What the identities of one workspace are in another; what has no other one there keeps its own. */
export interface Carrying {
	/** Of the workspace that it comes from, with its definitions and tables. */
	readonly from: Schema;
	type(id: string): string;
	field(type: string, id: string): string;
	option(list: string, id: string): string;
	table(id: string): string;
	column(table: string, id: string): string;
	/** A constant of a field; null in the place of a record that is not known there. */
	value(of: Pick<Field, 'type' | 'list' | 'target'> | undefined, v: JsonValue): JsonValue;
}

// ── What compiles it ─────────────────────────────────────────────────────────────────────────────

/** What running a body gives. */
export type BodyResult =
	| { got: true; value: Value; row?: number | string; found?: readonly string[] }
	| {
			got: false;
			why: 'no row' | 'blank' | 'null' | 'several';
			row?: number | string;
			/** The records that a match found. */
			found?: readonly string[];
			/** What is done instead of what the output says of *no result*. */
			then?: 'leave' | 'clear';
	  };

/** The values of a decision table's inputs, and the zero-based cell at which each row failed, and whether the rest of the row holds; null where it matched. */
export interface TableTrace {
	inputs: Value[];
	rows: { row: number; cell: number | null; unknown?: boolean; alone?: boolean }[];
}

/** What one output of a body runs and reads. */
export interface CompiledBody extends Pick<Compiled, 'reads' | 'events' | 'outside'> {
	run: (env: Env) => BodyResult;
	/** How the rows of a decision table fared. */
	trace?: (env: Env) => TableTrace;
	/** The conditions by which it chooses what it gives, in order. */
	chooses?: Expr[];
}

/** What a body is compiled with. What is wrong is told by `problem`; a rule with problems is left out whole. */
export interface Compiling {
	readonly schema: Schema;
	readonly rule: Rule;
	/** The field of each output; undefined for one that is no longer there. */
	readonly fields: readonly (Field | undefined)[];
	/** Reads settled values as they were before the change. */
	readonly before: boolean;
	problem(place: Place, message: string, span?: Fault): void;
	/** The same where nothing is wrong and something is still to be said. */
	unsaid(place: Place, message: string): void;
	/** Null when it has faults, which are told. @param type whose fields it reads; the rule's own without */
	formula(f: Formula | undefined, place: Place, expected?: Ty, type?: string): Compiled | null;
	/** Its faults are told. @param missing what to say of an empty one */
	text(t: Template | undefined, place: Place, missing: string, type?: string): CompiledTemplate;
	/** A constant as a field holds it; one that does not fit is told. */
	constant(json: JsonValue, field: Field, place: Place): Value;
}

/** What a Validate rule makes of a field. */
export interface Judgement {
	kind: 'check' | FieldState;
	/** What must hold. */
	holds: Run | null;
	/** Its tree. */
	asked: Expr | null;
	/** The options that are allowed; null where nothing is limited. */
	allowed: ((env: Env) => readonly string[] | null) | null;
	/** What is said, with its values put in. */
	message: (env: Env) => string;
	blocking: boolean;
	/** Counts at every save, not only when something it reads changes. */
	always: boolean;
	reads: readonly Read[];
	events: readonly FieldRef[];
}

/** What a message rule sends. */
export interface Sending {
	each: FieldRef | null;
	once: OncePer;
	filter: Run | null;
	to: Run;
	subject: (env: Env) => string;
	text: (env: Env) => string;
}

// ── What explains it ─────────────────────────────────────────────────────────────────────────────

/** What is known of one run, for saying why it gave what it gave. */
export interface Told {
	readonly schema: Schema;
	readonly rule: Rule;
	readonly output: Output;
	readonly outcome: string;
	readonly row: number | string | undefined;
	readonly value: Value | undefined;
	/** The records that were found, in words. */
	readonly found: readonly string[];
	/** What it read and was not blank, each as `Headcount 50`. */
	readonly read: readonly string[];
	/** What it looked at behind links, each as `Amount of 14 deals`. */
	readonly counted: readonly string[];
	/** The labels of what it read and was blank. */
	readonly blank: readonly string[];
	label(r: FieldRef): string;
	format(r: FieldRef, v: Value): string;
}

// ── What checks it ───────────────────────────────────────────────────────────────────────────────

/** A record to try a rule with, and the change of it. */
export interface Witness {
	/** Values sent. */
	values: Record<string, JsonValue>;
	/** Records it leads to. */
	near: { type: string; id: string; values: Record<string, JsonValue> }[];
	/** The stored record they are sent to; without it they make a new one. */
	was?: Record<string, JsonValue>;
	entryPoint?: EntryPoint;
}

/** A value that a situation must have, and which others stand for it. */
export interface Given {
	spot: Spot;
	value: Value;
	/** Where the values like it begin and end. */
	constants?: Value[];
	alike?: (v: Value) => boolean;
}

/** Changes a body so that a finding goes away. */
export type BodyRepair =
	| { do: 'take gap'; band: number }
	| { do: 'say blank' }
	/** A row of a decision table that takes a combination; its results stay to be written. */
	| { do: 'add row'; values: JsonValue[] }
	/** Gives an option of a map what most others give. */
	| { do: 'map option'; option: string; values: JsonValue[] }
	/** Wraps a formula so that its text has single spaces and none at its ends. */
	| { do: 'squeeze'; formula: number }
	| { do: 'leave several' };

/** How the kinds carry out repairs: those that do not fit a kind are not there. */
export type Repairs<B> = {
	readonly [D in BodyRepair['do']]?: (
		body: B,
		repair: Extract<BodyRepair, { do: D }>,
		on: { schema: Schema; rule: Rule }
	) => B;
};

/** Something wrong with a body, shown by a record or certified. */
export interface Flaw {
	is: FindingIs;
	/** Tells it from the others of its kind in the rule. */
	at: string;
	place: Place;
	message: string;
	witness?: Witness;
	certificate?: string;
	/** Where it weighs more or less than the catalogue says. */
	severity?: Gravity;
	repair?: BodyRepair & { label: string };
	/**
	 * The row of a reference table that is missing: one finding, however many rules look it up. Its
	 * other columns stay to be written.
	 */
	tableRow?: { table: string; column: string; value: JsonValue; label: string };
	/** The row of a reference table that it is about (zero-based): one finding, whichever rule shows it. */
	atRow?: { table: string; row: number };
}

/** How a rule can come to nothing. */
export type Shortfall = 'no row' | 'blank' | 'no result' | 'several rows' | 'left' | 'cleared';
/** How a rule that found something comes out. */
export type Found = 'wrote' | 'same value';

/** What the analysis lends a kind to look at one rule. */
export interface Look {
	readonly schema: Schema;
	readonly rule: Rule;
	/** Without a result the rule leaves its field to another rule behind it. */
	readonly passesOn: boolean;
	/** The tree of a formula; null when it cannot be read. */
	expr(f: Formula | null | undefined): Expr | null;
	/** The one field that a formula reads as it is; null where it computes. */
	spot(f: Formula | null | undefined): Spot | null;
	/** A record in which the rule meets given values and does one of some things, run through the engine. */
	show(
		given: readonly Given[],
		outcomes: readonly (Shortfall | Found)[],
		what: string,
		elsewhere?: (values: readonly Value[]) => boolean
	): Witness | null;
	/**
	 * Whether each of some conditions is so, at every combination of values that they can tell apart; null
	 * when that is not known. `fields` names what was combined.
	 */
	truths(
		conditions: readonly Expr[]
	): { combinations: readonly (readonly boolean[])[]; fields: string } | null;
	/** What a record has at a place. */
	read(w: Witness, spot: Spot): JsonValue;
	put(w: Witness, spot: Spot, v: JsonValue): void;
	/** How many records were found when a record was run. */
	found(w: Witness, output: number): number;
	notAnalysed(message: string): void;
	/** A value of a field in words. */
	say(field: Field | undefined, v: Value | JsonValue): string;
}

/** What tells whether a body has a result: expressions, and fields read with the constants beside them. */
export interface Deciding {
	values: Expr[];
	read: { spot: Spot; constants: Value[] }[];
}

// ── What says it ─────────────────────────────────────────────────────────────────────────────────

/** One part of a rule in words. */
export interface SaidPart {
	/** Tells it from the others of the rule: the same while it is the same part. */
	key: string;
	label: string;
	text: string;
}

/** What a kind says its parts with. */
export interface Saying {
	readonly schema: Schema;
	readonly rule: Rule;
	/** The field of each output; undefined for one that is no longer there. */
	readonly outputs: readonly (Field | undefined)[];
	/** What a formula gives; for a field where it must fit one. @param type whose fields it speaks of */
	gives(f: Formula | undefined, field?: Field, type?: string): string;
	condition(f: Formula, type?: string): string;
	text(t: Template | undefined): string;
	cell(c: Cell | undefined): string;
	/** A constant of a field. */
	value(v: JsonValue | undefined, field: Field | undefined): string;
	/** Constants of the outputs, one each. */
	values(vs: readonly JsonValue[] | null | undefined): string;
	/** A field of the rule's record type, by its label. */
	label(field: string): string;
}

// ── What tries it ────────────────────────────────────────────────────────────────────────────────

/** A part of a rule that is to be tried by itself. */
export interface TryPart {
	/** What a report names as its row where this part gave the result; else tells it from the others. */
	key: string;
	/** The part of {@link Facets.said} that says it. */
	said?: string;
	/** In words of its own, where no part of it says so. */
	label?: string;
	/** How the rule comes to nothing there; left out where a row gives the result. */
	short?: Shortfall;
	/** The cell of a decision table for which alone its row does not match. */
	cell?: { row: number; column: number };
	/** Values of what formulas read that lead there, where they are known. */
	given?: { of: Formula; value: JsonValue }[];
	/** The limit at which it begins, where it is known to which side that belongs. */
	from?: Limit;
}

/** A small mistake that somebody could have made. */
export type Slip =
	| 'limit moved'
	| 'limit belongs to the other side'
	| 'results exchanged'
	| 'row left out'
	| 'rows in another order'
	| 'blank decided otherwise'
	| 'several decided otherwise'
	| 'another column'
	| 'parted elsewhere'
	| 'weight changed'
	| 'options changed'
	| 'sent more often'
	| 'condition left out';

/** A body with one small mistake in it. */
export interface Altered<B> {
	slip: Slip;
	body: B;
}

// ── The kinds ────────────────────────────────────────────────────────────────────────────────────

/** Where a rule is about to be written. */
export interface Offering {
	schema: Schema;
	/** Record type. */
	type: string;
	field: Field;
}

/** What is said first of a rule that was just begun. */
export type Begins =
	'value' | 'field' | 'before' | 'related' | 'calculation' | 'condition' | 'watch' | 'source';

/** A purpose for which a new rule is offered at a field. */
export interface Offer<B> {
	verb: Kind;
	/** How the field gets its value, in words. */
	label: string;
	help: string;
	/** Words by which it is found besides. */
	also: string;
	/** Follows the field's label in the name of the rule. */
	name: string;
	/** How often it is meant at such a field: the larger stands first. */
	likely: number;
	/** How firmly it owns its field, where that is not as its verb has it. */
	hold?: Hold;
	/** Only rules set the field. */
	closed?: true;
	/** What is said first; the input of its kind where left out. */
	begins?: Begins;
	make(): B;
	/** A second field it writes. */
	second?: string;
	/** The link behind which a change sets it off, for each record that links there. */
	each?: string;
}

/** What every kind says of itself. */
interface Facets<B> {
	/** What is offered where a rule is to be written; the body holds as much as can be known. */
	offers(at: Offering): Offer<B>[];
	/** The body with each of its formulas, texts and cells in turn replaced: the one walk over what it holds. */
	map(body: B, on: Parts, rule: Pick<Rule, 'type'>): B;
	/**
	 * The body with the identities that it holds outside its formulas, texts and cells as another workspace has them.
	 * @param rule as it was, in the workspace that it comes from
	 */
	carried(body: B, c: Carrying, rule: Rule): B;
	/** The own field it reads as it is, beside what its formulas read. */
	source(body: B): string | null;
	/** Constants beside what it reads, outside its formulas. */
	constants(body: B): Value[];
	/** Reference tables it looks up. */
	tables(body: B): string[];
	repairs: Repairs<B>;
	/** Its parts in words, for comparing versions and for reading on paper. */
	said(body: B, s: Saying): SaidPart[];
	/** As a decision of the DMN standard; null where it has no form there. */
	decision(body: B, w: DecisionWords): AsDecision;
	/** Its parts that are to be tried each by itself. */
	tries(body: B, on: { schema: Schema; rule: Rule }): TryPart[];
	/**
	 * The body with one small mistake, each in turn: in what is particular to the kind. What its formulas
	 * and cells say is altered for all kinds alike.
	 */
	alterations(body: B, on: { schema: Schema; rule: Rule }): Altered<B>[];
}

/** A kind that writes fields. */
export interface Writes<B> extends Facets<B> {
	does: 'writes';
	/** Null when there is nothing to go on with. The outputs share what is compiled once. */
	compile(body: B, c: Compiling): ((output: number, field: Field) => CompiledBody | null) | null;
	/** Where what one output gives is written. */
	place(output: number): Place;
	/** How many outputs it may have. */
	outputs(body: B): 'one' | 'two' | 'any';
	withoutOutput(body: B, output: number): B;
	/** Why it cannot own a Locked field; null when it can. */
	unsteady(label: string): string | null;
	/** Fields of records it finds again, each with how. */
	finds(body: B): { type: string; field: string; how: MatchHow }[];
	/** Why it gave what it gave. */
	because(body: B, t: Told): string;
	/** All that an output can give, where those are constants; null where it computes. */
	results(body: B, output: number): JsonValue[] | null;
	/** Null when that is not known. */
	decides(
		body: B,
		output: number,
		look: Pick<Look, 'schema' | 'rule' | 'expr' | 'spot'>
	): Deciding | null;
	/**
	 * The number of rows looked at where an output gives nothing whatever comes; null where it may;
	 * `try` where that shows only by running it.
	 */
	givesNothing(body: B, output: number, schema: Schema): number | null | 'try';
	/** Inputs that nobody decided about, and rows that contradict. */
	flaws(body: B, look: Look): Flaw[];
	/** What may surprise at one output, tried at a record of its own. */
	doubts(body: B, output: number, look: Look): Flaw[];
}

/** A kind that judges or limits fields. */
export interface Judges<B> extends Facets<B> {
	does: 'judges';
	compile(body: B, c: Compiling, field: Field): Judgement | null;
	/** What must hold; null where it asks for nothing. */
	asks(body: B): Formula | null;
	/** Whether what it asks refuses a change that does not meet it. */
	blocks(body: B): boolean;
}

/** A kind that sends messages. */
export interface Sends<B> extends Facets<B> {
	does: 'sends';
	compile(body: B, c: Compiling): Sending | null;
	/** Whom it goes to, and the type of the records that this speaks of; null for the rule's own. */
	goesTo(body: B): { type: string | null; filter: Formula | null; to: Formula };
}

/** Every kind of body with all that is particular to it. A kind that is not written yet does not compile. */
export type Kinds = {
	readonly [K in BodyKind]: Writes<BodyOf<K>> | Judges<BodyOf<K>> | Sends<BodyOf<K>>;
};

/** For facets that a kind has nothing to say about. */
export const none = (): never[] => [];
