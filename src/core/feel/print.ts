/** Writes a tree as text with today's labels, and notes where each part came to stand. */
import type { Schema } from '../document/model';
import { spell } from '../text/names';
import type { Expr, Test, Tests } from '../document/tree';

const BINDING: Record<string, number> = {
	'+': 4,
	'-': 4,
	'*': 5,
	'/': 5,
	'**': 6
};

/** The text of a formula, and the same tree with {@link Expr.at} set for that text. */
export function printExpression(e: Expr, schema: Schema): { text: string; expr: Expr } {
	const p = new Printer(schema);
	const expr = p.expr(e, 0);
	return { text: p.text, expr };
}

/** The text of a cell's tests, and the same tests with positions. */
export function printTests(t: Tests, schema: Schema): { text: string; tests: Tests } {
	const p = new Printer(schema);
	const tests = p.tests(t);
	return { text: p.text, tests };
}

class Printer {
	text = '';

	constructor(private readonly schema: Schema) {}

	private put(s: string) {
		this.text += s;
	}

	private label(type: string, field: string): string {
		return spell(this.schema.field(type, field)?.label ?? field);
	}

	private list<T>(items: T[], one: (x: T) => T, sep = ', '): T[] {
		return items.map((x, i) => {
			if (i) this.put(sep);
			return one(x);
		});
	}

	/** @param min how tightly the surroundings bind: looser parts get brackets */
	expr(e: Expr, min: number): Expr {
		const level = levelOf(e);
		const from = this.text.length;
		if (level < min) this.put('(');
		const out = this.body(e);
		if (level < min) this.put(')');
		out.at = { from, to: this.text.length };
		return out;
	}

	private body(e: Expr): Expr {
		switch (e.k) {
			case 'num':
				this.put(e.v);
				return { ...e };
			case 'text':
				this.put(quote(e.v));
				return { ...e };
			case 'bool':
				this.put(String(e.v));
				return { ...e };
			case 'null':
				this.put('null');
				return { ...e };
			case 'hole':
				this.put(e.v?.trim() ? e.v : '…');
				return { ...e };
			case 'at':
				this.put(`@${quote(e.v)}`);
				return { ...e };
			case 'option':
				this.put(quote(this.schema.option(e.list, e.option)?.label ?? e.option));
				return { ...e };
			case 'record':
				this.put(`record(${quote(this.schema.types.get(e.type)?.type.label ?? e.type)}, ${e.id})`);
				return { ...e };
			case 'env':
				this.put(e.name);
				return { ...e };
			case 'var':
				this.put(e.name);
				return { ...e };
			case 'field':
				this.put((e.image === 'settled' ? '' : `${e.image}.`) + this.label(e.type, e.field));
				return { ...e };
			case 'through': {
				const of = e.of.k === 'var' && e.of.name === 'item' ? { ...e.of } : this.expr(e.of, 9);
				if (of.at) this.put('.');
				this.put(this.label(e.type, e.field));
				return { ...e, of };
			}
			case 'related': {
				const of = e.of && this.expr(e.of, 9);
				if (of) this.put('.');
				this.put(spell(this.schema.field(e.type, e.field)?.inverse ?? e.field));
				return { ...e, of };
			}
			case 'path': {
				const of = this.expr(e.of, 9);
				this.put(`.${e.name}`);
				return { ...e, of };
			}
			case 'neg':
				this.put('-');
				return { ...e, a: this.expr(e.a, 8) };
			case 'bin': {
				const level = levelOf(e);
				const a = this.expr(e.a, level === 3 ? 4 : level);
				this.put(` ${e.op} `);
				return { ...e, a, b: this.expr(e.b, level + 1) };
			}
			case 'and':
			case 'or':
				return { ...e, items: this.list(e.items, (x) => this.expr(x, levelOf(e) + 1), ` ${e.k} `) };
			case 'between': {
				const x = this.expr(e.x, 4);
				this.put(' between ');
				const lo = this.expr(e.lo, 4);
				this.put(' and ');
				return { ...e, x, lo, hi: this.expr(e.hi, 4) };
			}
			case 'in': {
				const x = this.expr(e.x, 4);
				this.put(' in ');
				const many = e.tests.tests.length > 1;
				if (many) this.put('(');
				const tests = { ...e.tests, tests: this.list(e.tests.tests, (t) => this.test(t, 4)) };
				if (many) this.put(')');
				return { ...e, x, tests };
			}
			case 'if': {
				this.put('if ');
				const c = this.expr(e.c, 0);
				this.put(' then ');
				const t = this.expr(e.t, 0);
				this.put(' else ');
				return { ...e, c, t, e: this.expr(e.e, 0) };
			}
			case 'for':
			case 'some':
			case 'every': {
				this.put(`${e.k} `);
				const its = this.list(e.its, (it) => {
					this.put(`${it.name} in `);
					const of = this.expr(it.of, it.to ? 4 : 1);
					if (it.to) this.put('..');
					return { name: it.name, of, to: it.to && this.expr(it.to, 4) };
				});
				this.put(e.k === 'for' ? ' return ' : ' satisfies ');
				return { ...e, its, body: this.expr(e.body, 0) };
			}
			case 'list': {
				this.put('[');
				const items = this.list(e.items, (x) => this.expr(x, 0));
				this.put(']');
				return { ...e, items };
			}
			case 'context': {
				this.put('{');
				const entries = this.list(e.entries, (x) => {
					this.put(`${/^[\p{L}_][\p{L}\p{N}_ ]*$/u.test(x.key) ? x.key : quote(x.key)}: `);
					return { key: x.key, e: this.expr(x.e, 0) };
				});
				this.put('}');
				return { ...e, entries };
			}
			case 'range': {
				this.put(e.loIn ? '[' : '(');
				const lo = e.lo && this.expr(e.lo, 1);
				if (!e.lo) this.put('null');
				this.put('..');
				const hi = e.hi && this.expr(e.hi, 4);
				if (!e.hi) this.put('null');
				this.put(e.hiIn ? ']' : ')');
				return { ...e, lo, hi };
			}
			case 'filter': {
				const of = this.expr(e.of, 9);
				this.put('[');
				const by = this.expr(e.by, 0);
				this.put(']');
				return { ...e, of, by };
			}
			case 'call': {
				if (e.fn === 'moved' && e.names) return this.moved(e);
				this.put(`${e.fn}(`);
				const args = this.named(e.args, e.names);
				this.put(')');
				return { ...e, args };
			}
			case 'use': {
				const d = this.schema.definitions.get(e.definition);
				this.put(spell(d?.name ?? e.definition));
				if (d && !d.params.length) return { ...e };
				this.put('(');
				const args = this.list(e.args, (a) => this.expr(a, 0));
				this.put(')');
				return { ...e, args };
			}
			case 'apply': {
				const of = this.expr(e.of, 9);
				this.put('(');
				const args = this.named(e.args, e.names);
				this.put(')');
				return { ...e, of, args };
			}
			case 'fn':
				this.put(
					`function(${e.params.map((p, i) => (e.types && e.types[i] !== 'Any' ? `${p}: ${e.types[i]}` : p)).join(', ')}) `
				);
				return { ...e, body: this.expr(e.body, 0) };
			case 'instance': {
				const x = this.expr(e.x, 4);
				this.put(` instance of ${e.type}`);
				return { ...e, x };
			}
		}
	}

	private named(args: readonly Expr[], names: readonly string[] | undefined): Expr[] {
		return args.map((a, i) => {
			if (i) this.put(', ');
			if (names) this.put(`${names[i]}: `);
			return this.expr(a, 0);
		});
	}

	/** `moved(stage, anything, "Won")`: a side that is not named is anything. */
	private moved(e: Expr & { k: 'call' }): Expr {
		const args: Expr[] = [];
		const at = (name: string) => e.names!.indexOf(name);
		this.put('moved(');
		['field', 'from', 'to'].forEach((name, k) => {
			if (k) this.put(', ');
			if (at(name) < 0) this.put('anything');
			else args[at(name)] = this.expr(e.args[at(name)], 0);
		});
		this.put(')');
		return { ...e, args };
	}

	private test(t: Test, min: number): Test {
		if (t.k === 'any') {
			this.put('-');
			return t;
		}
		if (t.k === 'cmp') {
			this.put(`${t.op} `);
			return { ...t, e: this.expr(t.e, 4) };
		}
		return { ...t, e: this.expr(t.e, min) };
	}

	tests(t: Tests): Tests {
		if (t.not) this.put('not(');
		const tests = this.list(t.tests, (x) => this.test(x, 0));
		if (t.not) this.put(')');
		return { ...t, tests };
	}
}

function levelOf(e: Expr): number {
	switch (e.k) {
		case 'if':
		case 'for':
		case 'some':
		case 'every':
		case 'fn':
			return 0;
		case 'or':
			return 1;
		case 'and':
			return 2;
		case 'between':
		case 'in':
		case 'instance':
			return 3;
		case 'bin':
			return BINDING[e.op] ?? 3;
		case 'neg':
			return 7;
		default:
			return 9;
	}
}

/** A text as a FEEL literal. */
export function quote(s: string): string {
	const named: Record<string, string> = {
		'"': '\\"',
		'\\': '\\\\',
		'\n': '\\n',
		'\r': '\\r',
		'\t': '\\t'
	};
	return `"${s.replace(/["\\\n\r\t]/g, (c) => named[c]).replace(/[\u0000-\u001f]/g, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`)}"`;
}
