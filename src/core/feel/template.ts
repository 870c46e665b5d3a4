/** Text with formulas in braces: `Close date {Close date} is before {today}`. Two braces stand for one. */
import type { Schema } from '../model/model';
import type { Compiled, Env, Read } from './compile';
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
			const end = text.indexOf('}', i);
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

/** Compiles a template to the text it makes; blanks are left out. */
export function compileTemplate(
	template: Template,
	scope: Scope
): { run: (env: Env) => string; reads: Read[]; faults: Fault[] } {
	const { faults } = readTemplate(printTemplate(template, scope.schema), scope);
	const parts = template.map((p) => {
		if (typeof p === 'string' || !('expr' in p)) return typeof p === 'string' ? p : '';
		const c: Compiled = compileExpression(p.expr, scope);
		return { ...c, say: textOf(c.ty, scope.schema) };
	});
	const run = (env: Env) =>
		parts.map((p) => (typeof p === 'string' ? p : (p.say(p.run(env)) ?? ''))).join('');
	return { run, reads: parts.flatMap((p) => (typeof p === 'string' ? [] : p.reads)), faults };
}
