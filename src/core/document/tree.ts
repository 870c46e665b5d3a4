/**
 * The tree of a formula. It names fields and options by identity, never by label, so a stored
 * formula keeps its meaning whatever is renamed or added; text is only how it is shown.
 */

/** Where something stands in the text: zero-based UTF-16 offsets, the end exclusive. */
export interface Span {
	from: number;
	to: number;
}

/** Which of the three images of a field is read. */
export type Image = 'settled' | 'was' | 'sent';

export type BinOp = '+' | '-' | '*' | '/' | '**' | '=' | '!=' | '<' | '<=' | '>' | '>=';
export type CmpOp = '=' | '!=' | '<' | '<=' | '>' | '>=';

/** What the change and its surroundings tell a formula. */
export type EnvName = 'now' | 'today' | 'person' | 'entry point';

/** A type named in `instance of`. */
export type TypeName = string;

/** One test of a cell or of the right side of `in`. */
export type Test =
	| { k: 'any' }
	| { k: 'cmp'; op: CmpOp; e: Expr }
	/** A value to equal, a range or list to be in, or a yes/no expression over `?`. */
	| { k: 'is'; e: Expr };

/** The tests of a cell: any of them must hold; negated by `not( )`. */
export interface Tests {
	not: boolean;
	tests: Test[];
}

type Node =
	| { k: 'num'; v: string }
	| { k: 'text'; v: string }
	| { k: 'bool'; v: boolean }
	| { k: 'null' }
	/** A place where something is still to be said; `v` is what was typed there and cannot be read yet. */
	| { k: 'hole'; v?: string }
	/** `@"2026-11-23"`: a date, time or duration literal. */
	| { k: 'at'; v: string }
	| { k: 'option'; list: string; option: string }
	| { k: 'field'; image: Image; type: string; field: string }
	/** A field of a linked record, or of each record of a list. */
	| { k: 'through'; of: Expr; type: string; field: string }
	/** The records whose link `field` points to the record `of` (or to the record at hand). */
	| { k: 'related'; of: Expr | null; type: string; field: string }
	/** A certain record, by its identity. */
	| { k: 'record'; type: string; id: string }
	| { k: 'env'; name: EnvName }
	| { k: 'var'; name: string }
	| { k: 'path'; of: Expr; name: string }
	| { k: 'neg'; a: Expr }
	| { k: 'bin'; op: BinOp; a: Expr; b: Expr }
	| { k: 'and' | 'or'; items: Expr[] }
	| { k: 'between'; x: Expr; lo: Expr; hi: Expr }
	| { k: 'in'; x: Expr; tests: Tests }
	| { k: 'if'; c: Expr; t: Expr; e: Expr }
	| { k: 'for'; its: Iteration[]; body: Expr }
	| { k: 'some' | 'every'; its: Iteration[]; body: Expr }
	| { k: 'list'; items: Expr[] }
	| { k: 'context'; entries: { key: string; e: Expr }[] }
	| { k: 'range'; lo: Expr | null; loIn: boolean; hi: Expr | null; hiIn: boolean }
	| { k: 'filter'; of: Expr; by: Expr }
	| { k: 'call'; fn: string; args: Expr[]; names?: string[] }
	/** A definition, by its identity. */
	| { k: 'use'; definition: string; args: Expr[] }
	| { k: 'apply'; of: Expr; args: Expr[]; names?: string[] }
	/** `types`: of each parameter, in order; `Any` where none is named. */
	| { k: 'fn'; params: string[]; types?: TypeName[]; body: Expr }
	| { k: 'instance'; x: Expr; type: TypeName };

/** A node of a formula. `at` is there while its text is shown and is not stored. */
export type Expr = Node & { at?: Span };

/** A formula as stored: its tree, or the text of one that is not finished yet. */
export type Formula = { expr: Expr } | { text: string };

/** A text as stored: plain parts and formulas in turn. */
export type Template = (string | Formula)[];

export interface Iteration {
	name: string;
	of: Expr;
	/** The end of `for i in 1..n`; null for a list. */
	to: Expr | null;
}

/** The tree without positions, as it is stored. */
export function bare<T>(tree: T): T {
	return JSON.parse(JSON.stringify(tree, (k, v) => (k === 'at' ? undefined : v))) as T;
}

/** A fault in a formula, at a place in its text. */
export interface Fault extends Span {
	/** What is wrong and what would be right, in words. */
	message: string;
	/** Nothing is wrong: something is still to be said. */
	open?: true;
}

/** Thrown by the parser; carries the one {@link Fault} it stopped at. */
export class FormulaError extends Error {
	constructor(readonly fault: Fault) {
		super(fault.message);
		this.name = 'FormulaError';
	}
}
