/** What a formula is compiled with and to, and what it runs in. */
import type { FieldRef, ReferenceTable, Schema } from '../document/model';
import type { MatchKey } from '../fields/match';
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
	/** Where rows of tables are found otherwise than in the tables themselves. */
	readonly findRows?: FindRows | undefined;
	/** How many functions deep it is. */
	depth: number;
}

export type Run = (env: Env) => Value;

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
