/** A formula of a rule, stored as a tree or still as text, read for the editor and the compiler alike. */
import type { Compiled } from './env';
import { compileExpression } from './compile';
import { parseExpression } from './parse';
import { printExpression } from './print';
import type { Expr, Fault } from '../document/tree';
import { FormulaError } from '../document/tree';
import type { Ty } from './types';
import type { Schema } from '../document/model';
import type { Formula } from '../document/rules';

/** What a formula is about, and what it must give. */
export interface FormulaScope {
	schema: Schema;
	/** Record type whose fields it may read; null for none. */
	type: string | null;
	expected?: Ty;
	before?: boolean;
	variables?: readonly { name: string; ty: Ty }[];
}

/** A formula as it was read. */
export interface ReadFormula {
	/** What it says; printed when somebody asks. */
	readonly text: string;
	readonly compiled: Compiled | null;
	/** With their places in the text. */
	readonly faults: Fault[];
}

/** What a formula says, with its faults, for the editor and the compiler alike. */
export function readFormula(f: Formula, scope: FormulaScope): ReadFormula {
	return 'expr' in f ? readTree(f.expr, scope) : readText(f.text, scope);
}

/** A stored tree compiles as it stands; only where it has a fault is it printed, to say where that lies. */
function readTree(tree: Expr, scope: FormulaScope): ReadFormula {
	const compiled = compileExpression(tree, scope);
	if (!compiled.faults.length)
		return {
			get text() {
				return printExpression(tree, scope.schema).text;
			},
			compiled,
			faults: []
		};
	const { text, expr } = printExpression(tree, scope.schema);
	const placed = compileExpression(expr, scope);
	return { text, compiled: placed, faults: placed.faults };
}

function readText(text: string, scope: FormulaScope): ReadFormula {
	if (!text.trim())
		return {
			text,
			compiled: null,
			faults: [{ message: 'A formula is missing.', from: 0, to: 0, open: true }]
		};
	let expr: Expr;
	try {
		expr = parseExpression(text, {
			schema: scope.schema,
			type: scope.type,
			variables: scope.variables?.map((v) => v.name)
		});
	} catch (e) {
		if (e instanceof FormulaError) return { text, compiled: null, faults: [e.fault] };
		throw e;
	}
	const compiled = compileExpression(expr, scope);
	return { text, compiled, faults: compiled.faults };
}
