/** Text with formulas in braces: `Close date {Close date} is before {today}`. Two braces stand for one. */
import type { Schema } from '../model/model';
import type { Piece } from '../text/compose';
import type { Compiled, Env } from './compile';
import { compileExpression, textOf } from './compile';
import { parseExpression } from './parse';
import { printExpression } from './print';
import type { Fault, Formula } from './tree';
import { FormulaError, bare } from './tree';

/** A text as stored: plain parts and formulas in turn. */
export type Template = (string | Formula)[];

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
	const { template: read, faults } = readTemplate(printTemplate(template, scope.schema), scope);
	const outside: Compiled['outside'] = new Set();
	const compiled: Compiled[] = [];
	const parts = read.map((p): ((env: Env) => Piece) => {
		if (typeof p === 'string') return () => ({ fixed: p });
		if (!('expr' in p)) return () => ({ value: null });
		const c = compileExpression(p.expr, scope);
		const say = textOf(c.ty, scope.schema);
		compiled.push(c);
		c.outside.forEach((o) => outside.add(o));
		return (env) => ({ value: say(c.run(env)) });
	});
	return {
		pieces: (env) => parts.map((p) => p(env)),
		reads: compiled.flatMap((c) => c.reads),
		events: compiled.flatMap((c) => c.events),
		outside,
		faults
	};
}

/** The text of a template with blanks left out, as a message says it. */
export const plainText = (pieces: readonly Piece[]): string =>
	pieces.map((p) => ('fixed' in p ? p.fixed : (p.value ?? ''))).join('');
