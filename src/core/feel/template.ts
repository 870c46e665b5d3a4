/** Text with formulas in braces: `Close date {Close date} is before {today}`. Two braces stand for one. */
import type { Schema } from '../document/model';
import type { Piece } from '../text/compose';
import type { Compiled, Env } from './env';
import { textOf } from './calls';
import { compileExpression } from './compile';
import { parseExpression } from './parse';
import { printExpression } from './print';
import type { Expr, Fault, Formula, Template } from '../document/tree';
import { FormulaError, bare } from '../document/tree';

interface Scope {
	schema: Schema;
	type: string;
	/** Reads settled values as they were before the change. */
	before?: boolean;
}

/** Reads a text into a template. A formula that cannot be read is kept as text, with its fault at its place. */
export function readTemplate(text: string, scope: Scope): { template: Template; faults: Fault[] } {
	const template: Template = [];
	const faults: Fault[] = [];
	let plain = '';
	for (let i = 0; i < text.length; i++) {
		const c = text[i];
		if ((c === '{' || c === '}') && text[i + 1] === c) {
			plain += c;
			i++;
		} else if (c === '{') {
			const end = closing(text, i);
			const close = end < 0 ? text.length : end;
			if (end < 0)
				faults.push({
					message: 'This brace is not closed: write } behind the formula.',
					from: i,
					to: close
				});
			if (plain) template.push(plain);
			plain = '';
			const r = readPart(text.slice(i + 1, close), i + 1, scope);
			template.push(r.formula);
			faults.push(...r.faults);
			i = close;
		} else plain += c;
	}
	if (plain) template.push(plain);
	return { template, faults };
}

/** Where the brace opened at `from` closes; braces and texts within the formula count. -1 when it does not. */
function closing(text: string, from: number): number {
	let depth = 0;
	for (let i = from; i < text.length; i++) {
		const c = text[i];
		if (c === '"') {
			for (i++; i < text.length && text[i] !== '"'; i++) if (text[i] === '\\') i++;
		} else if (c === '{') depth++;
		else if (c === '}' && !--depth) return i;
	}
	return -1;
}

function readPart(
	source: string,
	offset: number,
	scope: Scope
): { formula: Formula; faults: Fault[] } {
	try {
		const c = compileExpression(parseExpression(source, scope), scope);
		if (!c.faults.length) return { formula: { expr: bare(c.expr) }, faults: [] };
		return { formula: { text: source }, faults: c.faults.map((f) => moved(f, offset)) };
	} catch (e) {
		if (e instanceof FormulaError)
			return { formula: { text: source }, faults: [moved(e.fault, offset)] };
		throw e;
	}
}

const moved = (f: Fault, by: number): Fault => ({ ...f, from: f.from + by, to: f.to + by });

/** The template as text, with today's labels. */
export function printTemplate(template: Template, schema: Schema): string {
	return template
		.map((p) => {
			if (typeof p === 'string') return p.replace(/[{}]/g, (c) => c + c);
			return `{${'expr' in p ? printExpression(p.expr, schema).text : p.text}}`;
		})
		.join('');
}

/** A compiled template: fixed texts and the values between them. */
export interface CompiledTemplate extends Pick<
	Compiled,
	'reads' | 'events' | 'outside' | 'faults'
> {
	/** The pieces with their values now. */
	pieces: (env: Env) => Piece[];
}

/** Compiles a template. */
export function compileTemplate(template: Template, scope: Scope): CompiledTemplate {
	// trees compile as they stand; only where something is wrong is it printed, to say where that lies
	const direct = compiledParts(template, scope);
	if (direct) return { ...direct, faults: [] };
	const { template: read, faults } = readTemplate(printTemplate(template, scope.schema), scope);
	const placed = compiledParts(read, scope);
	return placed
		? { ...placed, faults }
		: { pieces: () => [], reads: [], events: [], outside: new Set(), faults };
}

/** The parts of a template; null when one is not read yet or has a fault. */
function compiledParts(template: Template, scope: Scope): Omit<CompiledTemplate, 'faults'> | null {
	if (template.some((p) => typeof p !== 'string' && !('expr' in p))) return null;
	const outside: Compiled['outside'] = new Set();
	const compiled: Compiled[] = [];
	const parts = template.map((p): ((env: Env) => Piece) => {
		if (typeof p === 'string') return () => ({ fixed: p });
		const c = compileExpression((p as { expr: Expr }).expr, scope);
		const say = textOf(c.ty, scope.schema);
		compiled.push(c);
		c.outside.forEach((o) => outside.add(o));
		return (env) => ({ value: say(c.run(env)) });
	});
	if (compiled.some((c) => c.faults.length)) return null;
	return {
		pieces: (env) => parts.map((p) => p(env)),
		reads: compiled.flatMap((c) => c.reads),
		events: compiled.flatMap((c) => c.events),
		outside
	};
}

/** The text of a template with blanks left out, as a message says it. */
export const plainText = (pieces: readonly Piece[]): string =>
	pieces.map((p) => ('fixed' in p ? p.fixed : (p.value ?? ''))).join('');
