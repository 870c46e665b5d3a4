/** A formula of a rule, stored as a tree or still as text, read for the editor and the compiler alike. */
import type { Compiled } from '../feel/compile';
import { compileExpression } from '../feel/compile';
import { parseExpression } from '../feel/parse';
import { printExpression } from '../feel/print';
import type { Expr, Fault } from '../feel/tree';
import { FormulaError } from '../feel/tree';
import type { Ty } from '../feel/types';
import type { Schema } from '../model/model';
import type { Formula } from '../model/rules';

/** What a formula says, with its faults, for the editor and the compiler alike. */
export function readFormula(
	f: Formula,
	scope: {
		schema: Schema;
		/** Record type whose fields it may read; null for none. */
		type: string | null;
		expected?: Ty;
		before?: boolean;
		variables?: readonly { name: string; ty: Ty }[];
	}
): { text: string; compiled: Compiled | null; faults: Fault[] } {
	let text: string;
	let expr: Expr;
	if ('expr' in f) ({ text, expr } = printExpression(f.expr, scope.schema));
	else {
		text = f.text;
		if (!text.trim())
			return {
				text,
				compiled: null,
				faults: [{ message: 'A formula is missing.', from: 0, to: 0 }]
			};
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
	}
	const compiled = compileExpression(expr, scope);
	return { text, compiled, faults: compiled.faults };
}
