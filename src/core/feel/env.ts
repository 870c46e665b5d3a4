/** What a formula is compiled with and to, and what it runs in. */
import type { FieldRef, ReferenceTable, Schema } from '../document/model';
import type { MatchKey } from '../fields/match';
import type { Num } from '../value/num';
import { LocalDate, Moment } from '../value/temporal';
import type { Value } from '../value/value';
import type { FnEnv } from './functions/spec';
import type { Expr, Fault, Image } from '../document/tree';
import type { Ty } from './types';

/** One record as formulas see it: arrays in the order of the type's fields. */
export interface RecordView {
	readonly type: string;
	readonly id: string;
	/** The stored values before the change. */
	readonly was: readonly Value[];
	/** What the change asks for: the value sent, else `was`. */
	readonly sent: readonly Value[];
	/** The settled values, right for every field already settled in this pass. */
	readonly settled: readonly Value[];
}

/** A table that can be asked for rows, and the values of its rows. */
export interface Rows {
	readonly table: ReferenceTable;
	find(keys: readonly Value[]): readonly number[];
	value(row: number, column: number): Value;
}

/** Finds rows of a table; they may be of another that stands for it. */
export type FindRows = (
	table: Rows,
	keys: readonly Value[]
) => { of: Rows; rows: readonly number[] };

/** What a formula runs in. */
export interface Env extends FnEnv {
	rec: RecordView | null;
	/** The value a test is put to: `?`. */
	input: Value;
	/** Local variables by slot. */
	vars: Value[];
	readonly now: Moment;
	readonly today: LocalDate;
	/** Record id of the person who makes the change. */
	readonly person: string | null;
	readonly entryPoint: string;
	/** The record a link points to; throws {@link PendingRecord} when it is not at hand. */
	record: (type: string, id: string) => RecordView | null;
	/** Ids of the records of a type whose link points to a record. */
	related: (type: string, field: string, id: string, image: Image) => readonly string[];
	/** Ids, lowest first, of the records of a type whose fields meet every key. */
	matching: (type: string, keys: readonly MatchKey[]) => readonly string[];
	/**
	 * Figures of the records behind a link of a record as they are settled; null where they have to be looked at one by
	 * one. Throws {@link PendingRecord} where they are not at hand.
	 */
	rolledUp?: (of: RollUp, id: string) => Rolled | null;
	/** Where rows of tables are found otherwise than in the tables themselves. */
	readonly findRows?: FindRows | undefined;
	/** How many functions deep it is. */
	depth: number;
}

export type Run = (env: Env) => Value;

/** What a formula makes of the records behind a link, where their figures are all that it asks for. */
export interface RollUp {
	/** The same text for the same roll-up. */
	key: string;
	fn: 'count' | 'sum' | 'mean' | 'min' | 'max';
	/** The records behind the link, and the link by which they point. */
	type: string;
	link: string;
	/** The field that is put together; null where they are counted. */
	field: string | null;
	/** Which of them, as a condition on themselves; null for all. */
	by: Expr | null;
	holds: Run | null;
}

/** The figures of a roll-up. */
export interface Rolled {
	/** How many records are behind the link, how many of them meet the condition, and of these have a value. */
	all: number;
	n: number;
	filled: number;
	/** Their values added up, where that is asked for; null when there is none. */
	sum: Num | null;
	/** The least of their values, least first, or the greatest, greatest first, where that is asked for: some of them. */
	ends: readonly Value[];
	/** Numbers of the first of all that are behind the link, lowest first: all of them, or as many as are ever named. */
	first: readonly string[];
}

/** A field that a formula reads. */
export interface Read extends FieldRef {
	image: Image;
	/** The links followed to get there, from the record at hand; empty for its own fields. */
	via: Step[];
	/** Reached through the other side of a link, from any number of records. */
	many: boolean;
	/** The way begins at a parameter of a definition (its place), not at the record at hand. */
	param?: number;
	/** The way there cannot be followed backwards: by the person's record, or through values of unknown origin. */
	loose?: boolean;
}

/** One step along a link: to the record it points to, or back to all the records that point here. */
export interface Step extends FieldRef {
	back: boolean;
}

/** What else than fields the result depends on. */
export type Outside = 'now' | 'today' | 'person' | 'entry point';

/** A compiled formula. */
export interface Compiled {
	/** The tree with texts bound to options. */
	expr: Expr;
	ty: Ty;
	run: Run;
	reads: Read[];
	outside: Set<Outside>;
	/** Fields asked about by changed() and moved(). */
	events: FieldRef[];
	faults: Fault[];
	/** Steps that running it once takes, without what its loops repeat. */
	size: number;
}

export interface CompileOptions {
	schema: Schema;
	/** The record type whose fields may be read. */
	type: string | null;
	/** The type the result must have. */
	expected?: Ty;
	/** Types of the variables, in the order of their slots in {@link Env.vars}. */
	variables?: readonly { name: string; ty: Ty }[];
	/** The variables are parameters of a definition: what is read through them begins there. */
	params?: boolean;
	/** Type of `?`. */
	input?: Ty;
	/** Reads settled values as they were before the change: for *entering*. */
	before?: boolean;
}

/** An expression while it is compiled. */
export interface Part {
	expr: Expr;
	ty: Ty;
	run: Run;
}
