/**
 * Reads FEEL text into a tree: recursive descent over characters, since a name may hold spaces
 * and only the known names tell where one ends (longest match, as DMN prescribes).
 * Bounded: sources above {@link MAX_SOURCE} characters or nested deeper than {@link MAX_DEPTH} are refused.
 */
import type { Schema } from '../document/model';
import { FUNCTION_NAMES } from './functions';
import { PROPERTIES } from './functions/properties';
import { isKeyword, nameKey, nearest, spell } from '../text/names';
import type { BinOp, CmpOp, EnvName, Expr, Image, Iteration, Test, Tests } from '../document/tree';
import { FormulaError } from '../document/tree';

/** Longest formula that is read, in UTF-16 units. */
export const MAX_SOURCE = 20_000;
/** Deepest nesting, long chains of + or * included. */
export const MAX_DEPTH = 200;

/** What names a formula may use. */
export interface Scope {
	schema: Schema;
	/** The record type whose fields may be named directly; null for none (a plain FEEL context). */
	type: string | null;
	/** Further names, such as the keys of a context. */
	variables?: readonly string[];
}

/** What is known of a value while reading, enough to know which names may follow a dot. */
type Shape = { rec: string; image: Image } | { list: Shape } | { keys: Map<string, Shape> } | null;

type Entry =
	| { what: 'field'; type: string; field: string; shape: Shape; item?: true }
	| { what: 'related'; type: string; field: string; shape: Shape; item?: true }
	| { what: 'env'; name: EnvName; shape: Shape }
	| { what: 'image'; image: Image }
	/** `item`: read off the item that a filter looks at. */
	| { what: 'var'; name: string; shape: Shape; item?: true }
	| { what: 'fn'; name: string }
	| { what: 'definition'; id: string; bare: boolean; shape: Shape };

interface Known {
	words: string;
	entry: Entry;
	exact: boolean;
}

/** Names that are known in one place, found by the run of letters and digits that each begins with. */
class Names {
	readonly all: Known[] = [];
	private readonly byRun = new Map<string, Known[]>();

	constructor(names: readonly Known[]) {
		for (const k of names) this.add(k);
	}

	add(k: Known) {
		this.all.push(k);
		const run = k.words.slice(0, runEnd(k.words, 0)).toLowerCase();
		const had = this.byRun.get(run);
		if (had) had.push(k);
		else this.byRun.set(run, [k]);
	}

	/** Those that may stand where the text has this run. */
	beginningWith(run: string): readonly Known[] {
		return this.byRun.get(run.toLowerCase()) ?? [];
	}
}

const SPACE = /\s/;
// halves of characters beyond the basic plane count as letters: FEEL takes all of them in names
const NAME_START = /[\p{L}_\uD800-\uDFFF]/u;
const NAME_PART = /[\p{L}\p{M}\p{N}_\uD800-\uDFFF]/u;
/** Types whose names hold a word that else ends a name. */
const LONG_TYPES = ['date and time', 'days and time duration', 'years and months duration'];

/** Reads a whole formula. @throws {FormulaError} at the first place that cannot be read */
export function parseExpression(text: string, scope: Scope): Expr {
	const p = new Parser(text, scope);
	const e = p.expression();
	p.end();
	return e;
}

/** Reads the tests of a cell: `-`, `< 50`, `[10..50)`, `"A", "B"`, `not(...)`. @throws {FormulaError} */
export function parseTests(text: string, scope: Scope): Tests {
	const p = new Parser(text, { ...scope, variables: ['?', ...(scope.variables ?? [])] });
	const t = p.tests();
	p.end();
	return t;
}

class Parser {
	private i = 0;
	private depth = 0;
	private readonly shapes = new WeakMap<Expr, Shape>();
	/** What may be named here, the innermost last. */
	private readonly frames: Names[] = [];

	constructor(
		private readonly s: string,
		private readonly scope: Scope
	) {
		if (s.length > MAX_SOURCE)
			this.fail(`A formula may have ${MAX_SOURCE} characters; this one has ${s.length}.`, 0, 0);
		const base = new Names([]);
		if (scope.type)
			for (const image of ['was', 'sent'] as const)
				base.add(known(image, { what: 'image', image }, true));
		for (const d of scope.schema.definitions.values()) {
			if (d.type !== null && d.type !== scope.type) continue;
			const target = d.result?.type === 'link' ? d.result.target : undefined;
			const shape: Shape = target ? { rec: target, image: 'settled' } : null;
			const bare = !d.params.length;
			base.add(known(d.name, { what: 'definition', id: d.id, bare, shape }, false));
		}
		const person = scope.schema.model.personType;
		const personShape: Shape = person ? { rec: person, image: 'settled' } : null;
		for (const name of ['now', 'today', 'person', 'entry point'] as const)
			base.add(
				known(name, { what: 'env', name, shape: name === 'person' ? personShape : null }, true)
			);
		this.frames.push(BUILT_IN, base);
		if (scope.type) this.frames.push(this.fieldsOf(scope.type, 'settled'));
		if (scope.variables)
			this.frames.push(new Names(scope.variables.map((v) => known(v, varEntry(v, null), true))));
	}

	// ---- characters -------------------------------------------------------------------------

	private fail(message: string, from = this.i, to = this.wordEnd(from)): never {
		throw new FormulaError({ message, from, to: Math.max(to, Math.min(from + 1, this.s.length)) });
	}

	private wordEnd(from: number): number {
		return runEnd(this.s, from);
	}

	/** Skips white space and comments. */
	private skip() {
		for (;;) {
			while (this.i < this.s.length && SPACE.test(this.s[this.i])) this.i++;
			if (this.s.startsWith('//', this.i)) {
				const nl = this.s.indexOf('\n', this.i);
				this.i = nl < 0 ? this.s.length : nl;
			} else if (this.s.startsWith('/*', this.i)) {
				const close = this.s.indexOf('*/', this.i + 2);
				if (close < 0) this.fail('This comment is not closed: write */ at its end.', this.i);
				this.i = close + 2;
			} else return;
		}
	}

	private peek(t: string): boolean {
		this.skip();
		return this.s.startsWith(t, this.i);
	}

	private take(t: string): boolean {
		if (!this.peek(t)) return false;
		this.i += t.length;
		return true;
	}

	private need(t: string, why: string) {
		if (!this.take(t)) this.fail(`${why} Expected “${t}” ${this.here()}.`);
	}

	private here(): string {
		this.skip();
		if (this.i >= this.s.length) return 'at the end';
		const end = Math.max(this.wordEnd(this.i), this.i + 1);
		return `before “${this.s.slice(this.i, Math.min(end, this.i + 30))}”`;
	}

	private peekWord(w: string): boolean {
		this.skip();
		if (!this.s.startsWith(w, this.i)) return false;
		const next = this.s[this.i + w.length];
		return next === undefined || !NAME_PART.test(next);
	}

	private word(w: string): boolean {
		if (!this.peekWord(w)) return false;
		this.i += w.length;
		return true;
	}

	private needWord(w: string, why: string) {
		if (!this.word(w)) this.fail(`${why} Expected “${w}” ${this.here()}.`);
	}

	end() {
		this.skip();
		if (this.i >= this.s.length) return;
		if (this.s[this.i] === '=') this.fail('Equality is written with one “=”.', this.i, this.i + 2);
		if (/^,\d{3}(?!\d)/.test(this.s.slice(this.i)))
			this.fail('Numbers are written without a comma for thousands: 10000.', this.i, this.i + 4);
		this.fail(
			`This is where the formula should end; “${this.s.slice(this.i, this.i + 20)}” is left.`
		);
	}

	private node<E extends Expr>(from: number, e: E, shape: Shape = null): E {
		e.at = { from, to: this.i };
		if (shape) this.shapes.set(e, shape);
		return e;
	}

	private nested<T>(f: () => T): T {
		if (++this.depth > MAX_DEPTH)
			this.fail(`This is nested more than ${MAX_DEPTH} deep; split it into definitions.`);
		const r = f();
		this.depth--;
		return r;
	}

	// ---- names ------------------------------------------------------------------------------

	private fieldsOf(type: string, image: Image): Names {
		let known = fieldNames.get(this.scope.schema);
		if (!known) fieldNames.set(this.scope.schema, (known = new Map<string, Names>()));
		const key = `${image} ${type}`;
		let names = known.get(key);
		if (!names) known.set(key, (names = this.namesOfFields(type, image)));
		return names;
	}

	private namesOfFields(type: string, image: Image): Names {
		const t = this.scope.schema.types.get(type);
		if (!t) return new Names([]);
		const out = t.type.fields.map((f) => {
			const shape: Shape = f.type === 'link' && f.target ? { rec: f.target, image } : null;
			return known(f.label, { what: 'field', type, field: f.id, shape }, false);
		});
		for (const c of t.collections) {
			const shape: Shape = { list: { rec: c.type, image } };
			out.push(known(c.label, { what: 'related', type: c.type, field: c.field, shape }, false));
		}
		return new Names(out);
	}

	/** The longest known name that stands here, or null. Moves behind it. */
	private match(frames: readonly Names[]): Known | null {
		this.skip();
		let best: Known | null = null;
		let bestEnd = this.i;
		const run = this.s.slice(this.i, this.wordEnd(this.i));
		for (let f = frames.length - 1; f >= 0; f--)
			for (const k of frames[f].beginningWith(run)) {
				const end = this.spells(k);
				// before brackets a function is meant, even where a field has its name
				const better =
					end > bestEnd ||
					(end === bestEnd && k.entry.what === 'fn' && best && isField(best.entry));
				if (better && (!needsCall(k.entry) || this.calls(end))) [best, bestEnd] = [k, end];
			}
		if (best) this.i = bestEnd;
		return best;
	}

	private calls(at: number): boolean {
		while (at < this.s.length && SPACE.test(this.s[at])) at++;
		return this.s[at] === '(';
	}

	/** Where a known name that stands here ends, or -1. */
	private spells(k: Known): number {
		let j = this.i;
		const w = k.words;
		for (let n = 0; n < w.length; n++) {
			if (w[n] === ' ') {
				if (!SPACE.test(this.s[j] ?? '')) return -1;
				while (SPACE.test(this.s[j] ?? '')) j++;
				continue;
			}
			const c = this.s[j];
			if (c === undefined) return -1;
			if (c !== w[n] && (k.exact || c.toLowerCase() !== w[n])) return -1;
			j++;
		}
		const next = this.s[j];
		return next !== undefined && NAME_PART.test(next) && NAME_PART.test(w[w.length - 1]) ? -1 : j;
	}

	/** A name in single quotes: for labels that FEEL cannot spell. */
	private quoted(frames: readonly Names[]): Known | null {
		const from = this.i;
		if (this.s[this.i] !== "'") return null;
		let name = '';
		let j = this.i + 1;
		for (; j < this.s.length && this.s[j] !== "'"; j++) {
			if (this.s[j] === '\\') j++;
			name += this.s[j] ?? '';
		}
		if (this.s[j] !== "'") this.fail("This quoted name is not closed: write ' at its end.", from);
		this.i = j + 1;
		const key = nameKey(name);
		for (let f = frames.length - 1; f >= 0; f--)
			for (const k of frames[f].beginningWith(key.slice(0, runEnd(key, 0))))
				if (k.entry.what !== 'fn' && nameKey(k.words) === key) return k;
		return this.unknown(name, from, frames);
	}

	private unknown(name: string, from: number, frames: readonly Names[]): never {
		const names = frames.flatMap((f) =>
			f.all.filter((k) => k.entry.what !== 'fn').map((k) => k.words)
		);
		if (this.calls(this.i)) {
			const own = [...this.scope.schema.definitions.values()].map((d) => d.name);
			const fn = nearest(name, [...own, ...FUNCTION_NAMES]);
			this.fail(
				`There is no function “${name}”.${fn ? ` Did you mean ${fn}()?` : ''}`,
				from,
				this.i
			);
		}
		const guess = nearest(name, names);
		const hint = guess
			? ` Did you mean ${spell(this.labelOf(guess, frames))}?`
			: ' Texts stand in double quotes.';
		this.fail(`There is no field or name “${name}” here.${hint}`, from, this.i);
	}

	private labelOf(words: string, frames: readonly Names[]): string {
		for (const f of frames)
			for (const k of f.all)
				if (k.words === words && k.entry.what === 'field')
					return this.scope.schema.field(k.entry.type, k.entry.field)!.label;
		return words;
	}

	/** A run of words that no known name begins: read to say which name is unknown. */
	private strayName(): string {
		const from = this.i;
		let end = this.wordEnd(this.i);
		for (;;) {
			let j = end;
			while (SPACE.test(this.s[j] ?? '')) j++;
			const next = this.wordEnd(j);
			const w = this.s.slice(j, next);
			if (next === j || isKeyword(w) || !NAME_START.test(w[0])) break;
			end = next;
		}
		this.i = end;
		return this.s.slice(from, end).replace(/\s+/g, ' ');
	}

	private plainName(what: string): string {
		this.skip();
		const from = this.i;
		if (this.s[this.i] === '"') return this.stringLiteral();
		if (!NAME_START.test(this.s[this.i] ?? '')) this.fail(`Expected ${what} ${this.here()}.`);
		// words up to the sign that ends the name; a keyword ends it too
		for (;;) {
			this.i = this.wordEnd(this.i);
			let j = this.i;
			while (SPACE.test(this.s[j] ?? '')) j++;
			const w = this.s.slice(j, this.wordEnd(j));
			if (!w || isKeyword(w)) break;
			this.i = j;
		}
		return this.s.slice(from, this.i).replace(/\s+/g, ' ');
	}

	/** Reads something in which further names are known; they may still grow while it is read. */
	private withNames<T>(names: Names, f: () => T): T {
		this.frames.push(names);
		const r = f();
		this.frames.pop();
		return r;
	}

	// ---- expressions ------------------------------------------------------------------------

	expression(): Expr {
		return this.nested(() => {
			this.skip();
			const from = this.i;
			if (this.word('if')) return this.conditional(from);
			if (this.word('for')) return this.loop(from);
			if (this.word('some')) return this.quantified(from, 'some');
			if (this.word('every')) return this.quantified(from, 'every');
			if (this.peekWord('function')) return this.functionDefinition(from);
			return this.chain('or', () => this.chain('and', () => this.comparison()));
		});
	}

	private conditional(from: number): Expr {
		const c = this.expression();
		this.needWord('then', 'An “if” needs its “then”.');
		const t = this.expression();
		this.needWord('else', 'An “if” needs its “else”; write “else null” to leave the rest blank.');
		const e = this.expression();
		return this.node(from, { k: 'if', c, t, e }, this.shapes.get(t) ?? this.shapes.get(e) ?? null);
	}

	/** `a in list, b in 1..a`, and then what is read for each: in it, and in each list, the names before are known. */
	private iterations(body: (names: Names) => Expr): { its: Iteration[]; body: Expr } {
		const names = new Names([]);
		return this.withNames(names, () => {
			const its: Iteration[] = [];
			do {
				const name = this.plainName('a name for each item');
				this.needWord('in', 'After the name comes the list it runs over.');
				const of = this.expressionOrRangeStart();
				const to = this.take('..') ? this.additive() : null;
				const shape = this.shapes.get(of);
				its.push({ name, of, to });
				names.add(known(name, varEntry(name, shape && 'list' in shape ? shape.list : null), true));
			} while (this.take(','));
			return { its, body: body(names) };
		});
	}

	/** A list, or the start of `1..n`, which only a loop may write without brackets. */
	private expressionOrRangeStart(): Expr {
		return this.nested(() => this.chain('or', () => this.chain('and', () => this.comparison())));
	}

	private loop(from: number): Expr {
		const { its, body } = this.iterations((names) => {
			this.needWord('return', 'A “for” says what it gives for each item.');
			names.add(known('partial', varEntry('partial', null), true));
			return this.expression();
		});
		const shape = this.shapes.get(body) ?? null;
		return this.node(from, { k: 'for', its, body }, shape && { list: shape });
	}

	private quantified(from: number, k: 'some' | 'every'): Expr {
		const { its, body } = this.iterations(() => {
			this.needWord('satisfies', `A “${k}” says what the items must satisfy.`);
			return this.expression();
		});
		return this.node(from, { k, its, body });
	}

	/** A type: `number`, `list<string>`, `context<a: number>`, `function<number> -> string`. */
	private typeName(): string {
		this.skip();
		for (const long of LONG_TYPES) {
			const m = new RegExp(`^${long.replace(/ /g, '\\s+')}(?![\\p{L}\\p{N}_])`, 'u').exec(
				this.s.slice(this.i, this.i + 80)
			);
			if (!m) continue;
			this.i += m[0].length;
			return long;
		}
		const name = this.plainName('a type');
		if (!this.take('<')) return name;
		const inner: string[] = [];
		const context = name === 'context';
		this.nested(() => {
			if (name === 'function' && this.take('>')) return;
			do {
				let key = '';
				if (context) {
					key = `${this.plainName('the name of an entry')}: `;
					this.need(':', 'After the name of an entry comes its type.');
				}
				inner.push(key + this.typeName());
			} while (this.take(','));
			this.need('>', 'The type is not closed.');
		});
		const text = `${name}<${inner.join(', ')}>`;
		if (name !== 'function') return text;
		this.need('->', 'After the parameters of a function comes what it gives.');
		return `${text} -> ${this.typeName()}`;
	}

	private functionDefinition(from: number): Expr {
		this.word('function');
		this.need('(', 'A function names its parameters in brackets.');
		const params: string[] = [];
		const types: string[] = [];
		if (!this.take(')')) {
			do {
				params.push(this.plainName('the name of a parameter'));
				types.push(this.take(':') ? this.typeName() : 'Any');
			} while (this.take(','));
			this.need(')', 'The list of parameters is not closed.');
		}
		if (this.peekWord('external')) this.fail('Functions from outside are not run here.');
		const names = params.map((p) => known(p, varEntry(p, null), true));
		const body = this.withNames(new Names(names), () => this.expression());
		const typed = types.some((t) => t !== 'Any') ? { types } : {};
		return this.node(from, { k: 'fn', params, ...typed, body });
	}

	private chain(k: 'and' | 'or', operand: () => Expr): Expr {
		this.skip();
		const from = this.i;
		const first = operand();
		if (!this.peekWord(k)) return first;
		const items = [first];
		while (this.word(k)) items.push(operand());
		return this.node(from, { k, items });
	}

	private comparison(): Expr {
		this.skip();
		const from = this.i;
		let a = this.additive();
		for (;;) {
			if (this.word('between')) {
				const lo = this.additive();
				this.needWord('and', 'A “between” names both its ends.');
				a = this.node(from, { k: 'between', x: a, lo, hi: this.additive() });
			} else if (this.peekWord('instance')) {
				this.word('instance');
				this.needWord('of', 'Write “instance of” and a type.');
				a = this.node(from, { k: 'instance', x: a, type: this.typeName() });
			} else if (this.word('in')) {
				a = this.node(from, { k: 'in', x: a, tests: this.inTests() });
			} else {
				const op = this.comparisonSign();
				if (!op) return a;
				const b = this.additive();
				a = this.node(from, { k: 'bin', op, a, b });
				if (this.comparisonSign())
					this.fail('Comparisons do not chain; join two with “and”.', this.i - 1, this.i);
			}
		}
	}

	private comparisonSign(): CmpOp | null {
		this.skip();
		if (this.s.startsWith('==', this.i))
			this.fail('Equality is written with one “=”.', this.i, this.i + 2);
		for (const op of ['!=', '<=', '>=', '=', '<', '>'] as const)
			if (this.s.startsWith(op, this.i)) {
				this.i += op.length;
				return op;
			}
		return null;
	}

	private binary(signs: readonly BinOp[], operand: () => Expr): Expr {
		this.skip();
		const from = this.begun?.at?.from ?? this.i;
		let a = operand();
		let count = 0;
		for (;;) {
			this.skip();
			const op = signs.find(
				(s) => this.s.startsWith(s, this.i) && !(s === '*' && this.s[this.i + 1] === '*')
			);
			if (!op) break;
			if (++count > MAX_DEPTH) this.fail(`More than ${MAX_DEPTH} terms in a row; use sum([...]).`);
			this.i += op.length;
			a = this.node(from, { k: 'bin', op, a, b: operand() });
		}
		return a;
	}

	private additive(): Expr {
		return this.nested(() =>
			this.binary(['+', '-'], () =>
				this.binary(['*', '/'], () => this.binary(['**'], () => this.unary()))
			)
		);
	}

	private unary(): Expr {
		if (this.begun) return this.postfix();
		this.skip();
		const from = this.i;
		if (!this.take('-')) return this.postfix();
		return this.nested(() => this.node(from, { k: 'neg', a: this.unary() }));
	}

	/** A value in brackets that is read already; {@link postfix} goes on from it. */
	private begun: Expr | null = null;

	private postfix(): Expr {
		this.skip();
		const from = this.begun?.at?.from ?? this.i;
		let e = this.begun ?? this.primary();
		this.begun = null;
		let count = 0;
		for (;;) {
			this.skip();
			if (++count > MAX_DEPTH) this.fail(`More than ${MAX_DEPTH} steps in a row.`);
			if (this.s[this.i] === '.' && this.s[this.i + 1] !== '.') {
				this.i++;
				e = this.step(from, e);
			} else if (this.s[this.i] === '[' && !this.closesOpenRange()) {
				this.i++;
				e = this.filter(from, e);
			} else if (this.s[this.i] === '(' && e.k !== 'num' && e.k !== 'text') {
				this.i++;
				e = this.node(from, { k: 'apply', of: e, ...this.args() });
			} else return e;
		}
	}

	private openRanges = 0;

	/** Inside a range, `[` closes it (`]1..5[`) unless something that can be a filter follows. */
	private closesOpenRange(): boolean {
		if (!this.openRanges) return false;
		let j = this.i + 1;
		while (SPACE.test(this.s[j] ?? '')) j++;
		const c = this.s[j];
		return (
			c === undefined || /[),\]]/.test(c) || /^(and|or|then|else)\b/.test(this.s.slice(j, j + 5))
		);
	}

	private step(from: number, of: Expr): Expr {
		const shape = this.shapes.get(of) ?? null;
		const element = shape && 'list' in shape ? shape.list : shape;
		this.skip();
		if (element && 'rec' in element) {
			const frames = [this.fieldsOf(element.rec, element.image)];
			const start = this.i;
			const k = this.quoted(frames) ?? this.match(frames);
			if (!k) return this.unknown(this.strayName() || '', start, frames);
			const inner = 'shape' in k.entry ? k.entry.shape : null;
			const out = shape && 'list' in shape && inner ? { list: inner } : inner;
			if (k.entry.what === 'related')
				return this.node(from, { ...fieldOf(k.entry), k: 'related', of }, k.entry.shape);
			if (k.entry.what === 'field')
				return this.node(from, { ...fieldOf(k.entry), k: 'through', of }, out);
		}
		if (element && 'keys' in element) {
			const names = new Names(
				[...element.keys].map(([key, s]) => known(key, varEntry(key, s), true))
			);
			const k = this.quoted([names]) ?? this.match([names]);
			if (k && k.entry.what === 'var')
				return this.node(from, { k: 'path', of, name: k.entry.name }, k.entry.shape);
		}
		const property = this.match([PARTS]);
		const name =
			property?.entry.what === 'var' ? property.entry.name : this.plainName('a name after the dot');
		return this.node(from, { k: 'path', of, name });
	}

	/** How many filters on values of unknown kind are open. */
	private unknownItems = 0;

	private filter(from: number, of: Expr): Expr {
		const shape = this.shapes.get(of) ?? null;
		const element = shape && 'list' in shape ? shape.list : shape;
		const names = new Names([known('item', varEntry('item', element), true)]);
		if (element && 'rec' in element)
			for (const k of this.fieldsOf(element.rec, element.image).all)
				if (k.entry.what === 'field' || k.entry.what === 'related')
					names.add({ ...k, entry: { ...k.entry, item: true } });
		if (element && 'keys' in element)
			for (const [key, s] of element.keys)
				names.add(known(key, { what: 'var', name: key, shape: s, item: true }, true));
		// of a value from outside nothing is known: names that nothing else has are entries of its items
		if (!element) this.unknownItems++;
		const by = this.withNames(names, () => this.expression());
		if (!element) this.unknownItems--;
		this.need(']', 'The filter is not closed.');
		const one = by.k === 'num' || (by.k === 'neg' && by.a.k === 'num');
		return this.node(from, { k: 'filter', of, by }, one ? element : shape);
	}

	/** @param takes takes an argument by its place itself, which is then none of them */
	private args(takes?: (place: number) => boolean): { args: Expr[]; names?: string[] } {
		const args: Expr[] = [];
		const names: string[] = [];
		if (this.take(')')) return { args };
		let place = 0;
		do {
			this.skip();
			if (takes?.(place++)) continue;
			const m = /^[\p{L}_\u{10000}-\u{EFFFF}][\p{L}\p{N}_ \u{10000}-\u{EFFFF}]*?\s*:/u.exec(
				this.s.slice(this.i, this.i + 60)
			);
			if (m) {
				names.push(m[0].slice(0, -1).trim());
				this.i += m[0].length;
			} else if (names.length) this.fail('Arguments are given all by name or all by position.');
			args.push(this.expression());
		} while (this.take(','));
		this.need(')', 'The list of arguments is not closed.');
		if (names.length && names.length !== args.length)
			this.fail('Arguments are given all by name or all by position.');
		return names.length ? { args, names } : { args };
	}

	/** `record("Customer", 12)`: a certain record, which the tree holds by its identity. */
	private record(from: number): Expr {
		const { args } = this.args();
		const [type, number] = args;
		const { types } = this.scope.schema.model;
		if (
			type?.k !== 'text' ||
			number?.k !== 'num' ||
			args.length > 2 ||
			!/^\d{1,18}$/.test(number.v)
		)
			this.fail('A record is named by its type and number: record("Customer", 12).', from, this.i);
		const key = nameKey(type.v);
		const known = types.find((t) => nameKey(t.label) === key);
		if (!known)
			this.fail(
				`There is no record type “${type.v}”; there are ${types.map((t) => t.label).join(', ')}.`,
				from,
				this.i
			);
		const shape: Shape = { rec: known.id, image: 'settled' };
		return this.node(from, { k: 'record', type: known.id, id: number.v }, shape);
	}

	/** `moved(field, from, to)`; `anything` stands for either side, which is then not named. */
	private moved(from: number): Expr {
		const open: number[] = [];
		const places = ['field', 'from', 'to'];
		const { args, names } = this.args((i) => {
			if (i === 0 || !this.word('anything')) return false;
			open.push(i);
			return true;
		});
		const named = names ?? (open.length ? places.filter((_, i) => !open.includes(i)) : undefined);
		return this.node(from, {
			k: 'call',
			fn: 'moved',
			args,
			...(named?.length === args.length ? { names: named } : {})
		});
	}

	private primary(): Expr {
		this.skip();
		const from = this.i;
		const c = this.s[this.i];
		if (c === undefined) this.fail('The formula stops here; a value is missing.', from, from);
		if (c === '"') return this.node(from, { k: 'text', v: this.stringLiteral() });
		if (this.take('…')) return this.node(from, { k: 'hole' });
		if (c === '@') {
			this.i++;
			if (this.s[this.i] !== '"') this.fail('After @ comes a date, time or duration in quotes.');
			return this.node(from, { k: 'at', v: this.stringLiteral() });
		}
		if (/\d/.test(c) || (c === '.' && /\d/.test(this.s[this.i + 1] ?? '')))
			return this.number(from);
		if (c === '?') {
			this.i++;
			return this.node(from, { k: 'var', name: '?' });
		}
		if (c === '{') return this.context(from);
		if (c === '[' || c === '(' || c === ']') return this.bracket(from);
		if (c === "'") return this.named(from, this.quoted(this.frames)!);
		if (c === '“' || c === '”' || c === '„')
			this.fail('Texts stand in straight double quotes: "like this".', from, from + 1);
		if (!NAME_START.test(c)) this.fail(`A value is missing ${this.here()}.`, from, from + 1);

		const found = this.match(this.frames);
		if (found) return this.named(from, found);
		for (const [w, e] of CONSTANTS) if (this.word(w)) return this.node(from, { ...e } as Expr);
		const stray = this.s.slice(this.i, this.wordEnd(this.i));
		if (isKeyword(stray)) this.fail(`A value is missing before “${stray}”.`);
		const name = this.strayName();
		if (this.unknownItems && !this.calls(this.i)) {
			const item: Expr = { k: 'var', name: 'item', at: { from, to: from } };
			return this.node(from, { k: 'path', of: item, name });
		}
		return this.unknown(name, from, this.frames);
	}

	private named(from: number, k: Known): Expr {
		const e = k.entry;
		switch (e.what) {
			case 'var': {
				if (!e.item) return this.node(from, { k: 'var', name: e.name }, e.shape);
				const item: Expr = { k: 'var', name: 'item', at: { from, to: from } };
				return this.node(from, { k: 'path', of: item, name: e.name }, e.shape);
			}
			case 'env': {
				if ((e.name === 'now' || e.name === 'today') && this.calls(this.i)) {
					this.take('(');
					this.need(')', `${e.name}() takes nothing.`);
				}
				return this.node(from, { k: 'env', name: e.name }, e.shape);
			}
			case 'image': {
				this.need('.', `“${e.image}” is followed by a dot and a field, as in ${e.image}.name.`);
				const frames = [this.fieldsOf(this.scope.type!, e.image)];
				this.skip();
				const start = this.i;
				const f = this.quoted(frames) ?? this.match(frames);
				if (!f || f.entry.what !== 'field') return this.unknown(this.strayName(), start, frames);
				return this.node(from, { k: 'field', image: e.image, ...fieldOf(f.entry) }, f.entry.shape);
			}
			case 'field':
				if (e.item) {
					const item: Expr = { k: 'var', name: 'item', at: { from, to: from } };
					return this.node(from, { k: 'through', of: item, ...fieldOf(e) }, e.shape);
				}
				return this.node(from, { k: 'field', image: 'settled', ...fieldOf(e) }, e.shape);
			case 'related': {
				const of: Expr | null = e.item ? { k: 'var', name: 'item' } : null;
				return this.node(from, { k: 'related', of, ...fieldOf(e) }, e.shape);
			}
			case 'definition': {
				const called = this.calls(this.i) && this.take('(');
				const { args, names } = called ? this.args() : { args: [], names: undefined };
				const d = this.scope.schema.definitions.get(e.id)!;
				const inOrder = names
					? d.params.map((p) => args[names.findIndex((x) => nameKey(x) === nameKey(p.name))])
					: args;
				if (inOrder.length !== d.params.length || inOrder.some((a) => !a))
					this.fail(
						`${d.name} is called as ${spell(d.name)}(${d.params.map((p) => p.name).join(', ')}).`,
						from,
						this.i
					);
				return this.node(from, { k: 'use', definition: e.id, args: inOrder }, e.shape);
			}
			case 'fn': {
				this.take('(');
				if (e.name === 'moved') return this.moved(from);
				if (e.name === 'record') return this.record(from);
				const { args, names } = this.args();
				return this.node(from, { k: 'call', fn: e.name, args, ...(names ? { names } : {}) });
			}
		}
	}

	private number(from: number): Expr {
		const m = /^(\d+(\.\d+)?|\.\d+)([eE][+-]?\d+)?/.exec(this.s.slice(this.i, this.i + 6300))!;
		this.i += m[0].length;
		if (NAME_START.test(this.s[this.i] ?? ''))
			this.fail('A name cannot begin with a digit; put it in single quotes.', from);
		return this.node(from, { k: 'num', v: m[0] });
	}

	private stringLiteral(): string {
		const from = this.i;
		let out = '';
		for (let j = this.i + 1; ; j++) {
			const c = this.s[j];
			if (c === undefined) this.fail('This text is not closed: write " at its end.', from, j);
			if (c === '"') {
				this.i = j + 1;
				return out;
			}
			if (c !== '\\') {
				out += c;
				continue;
			}
			const e = this.s[++j];
			const simple = { n: '\n', r: '\r', t: '\t', '"': '"', '\\': '\\', "'": "'", '/': '/' }[
				e ?? ''
			];
			const hex = /^(?:u([0-9a-fA-F]{4})|U([0-9a-fA-F]{6}))/.exec(this.s.slice(j, j + 7));
			if (simple !== undefined) out += simple;
			else if (hex && parseInt(hex[1] ?? hex[2], 16) <= 0x10ffff) {
				out += String.fromCodePoint(parseInt(hex[1] ?? hex[2], 16));
				j += hex[0].length - 1;
			} else
				this.fail(
					'Unknown escape; \\n, \\t, \\", \\\\ and \\u with four digits exist.',
					j - 1,
					j + 1
				);
		}
	}

	private context(from: number): Expr {
		this.i++;
		const entries: { key: string; e: Expr }[] = [];
		const keys = new Map<string, Shape>();
		const names = new Names([]);
		if (!this.take('}'))
			this.withNames(names, () => {
				do {
					const at = this.i;
					const key = this.plainName('the name of an entry');
					if (keys.has(key)) this.fail(`The entry “${key}” is there twice.`, at, this.i);
					this.need(':', 'After the name of an entry comes a colon.');
					const e = this.expression();
					entries.push({ key, e });
					const shape = this.shapes.get(e) ?? null;
					keys.set(key, shape);
					names.add(known(key, varEntry(key, shape), true));
				} while (this.take(','));
				this.need('}', 'The context is not closed.');
			});
		return this.node(from, { k: 'context', entries }, { keys });
	}

	/** A list, a range or an expression in brackets. */
	private bracket(from: number): Expr {
		const open = this.s[this.i++];
		this.skip();
		// (< 5), (>= 5): a range with one end, as DMN 1.5 writes it
		if (open === '(' && /^(<=?|>=?|=)/.test(this.s.slice(this.i, this.i + 2)))
			return this.halfRange(from);
		if (open === '[' && this.take(']')) return this.node(from, { k: 'list', items: [] });
		this.openRanges++;
		const first = this.expression();
		if (this.take('..')) return this.rangeFrom(from, open, first);
		this.openRanges--;
		if (open === ']') this.fail('Only a range such as ]1..5] begins with “]”.', from, from + 1);
		if (open === '(') {
			this.need(')', 'The bracket is not closed.');
			first.at = { from, to: this.i };
			return first;
		}
		const items = [first];
		while (this.take(',')) items.push(this.expression());
		this.need(']', 'The list is not closed.');
		const shape = this.shapes.get(first) ?? null;
		return this.node(from, { k: 'list', items }, shape && { list: shape });
	}

	/** The rest of a range, behind its `..`. */
	private rangeFrom(from: number, open: string, lo: Expr): Expr {
		const hi = this.additiveEnd();
		this.openRanges--;
		this.skip();
		const close = this.s[this.i];
		if (close !== ']' && close !== ')' && close !== '[')
			this.fail(`A range ends in “]” or “)” ${this.here()}.`);
		this.i++;
		return this.node(from, {
			k: 'range',
			lo: nullEnd(lo),
			loIn: open === '[',
			hi: nullEnd(hi),
			hiIn: close === ']'
		});
	}

	private additiveEnd(): Expr {
		return this.nested(() => this.additive());
	}

	private halfRange(from: number): Expr {
		const op = this.comparisonSign()!;
		const e = this.additive();
		this.need(')', 'The range is not closed.');
		const [lo, hi] = op === '=' ? [e, e] : op.startsWith('<') ? [null, e] : [e, null];
		return this.node(from, {
			k: 'range',
			lo,
			loIn: op === '=' || op === '>=',
			hi,
			hiIn: op === '=' || op === '<='
		});
	}

	// ---- tests ------------------------------------------------------------------------------

	tests(): Tests {
		if (this.peek('-')) {
			const mark = this.i;
			this.i++;
			this.skip();
			if (this.i >= this.s.length) return { not: false, tests: [{ k: 'any' }] };
			this.i = mark;
		}
		const mark = this.i;
		if (this.word('not') && this.take('(')) {
			const tests = this.testList(true);
			if (this.take(')')) {
				this.skip();
				if (this.i >= this.s.length) return { not: true, tests };
			}
		}
		this.i = mark;
		return { not: false, tests: this.testList(true) };
	}

	/**
	 * The right side of `in`: one test, or several in brackets. A bracket may as well begin an open
	 * range `(1..5]` or a value `(1) + 2`; which it is shows behind its first item, so that nothing
	 * is ever read twice.
	 */
	private inTests(): Tests {
		if (!this.peek('(')) return { not: false, tests: [this.test(false)] };
		const from = this.i++;
		this.openRanges++;
		const first = this.nested(() => this.test(true));
		if (first.k === 'is' && this.take('..'))
			return this.oneTest(this.rangeFrom(from, '(', first.e));
		this.openRanges--;
		if (first.k === 'is' && this.take(')')) {
			first.e.at = { from, to: this.i };
			return this.oneTest(first.e);
		}
		const tests = [first];
		while (this.take(',')) tests.push(this.test(true));
		this.need(')', 'The list of tests is not closed.');
		return { not: false, tests };
	}

	/** A test that begins with a value already read: what follows may still reckon with it. */
	private oneTest(begun: Expr): Tests {
		this.begun = begun;
		return { not: false, tests: [{ k: 'is', e: this.additive() }] };
	}

	/** @param cell in a cell `a and b` may stand; behind `in` a test ends before “and” */
	private testList(cell: boolean): Test[] {
		const out: Test[] = [];
		do out.push(this.test(cell));
		while (this.take(','));
		return out;
	}

	private test(cell: boolean): Test {
		this.skip();
		if (/^(!=|<|>|=)/.test(this.s.slice(this.i, this.i + 2))) {
			const op = this.comparisonSign()!;
			return { k: 'cmp', op, e: this.additive() };
		}
		return { k: 'is', e: cell ? this.expression() : this.additive() };
	}
}

/** Where the letters and digits end that begin at a place. */
function runEnd(s: string, from: number): number {
	let j = from;
	while (j < s.length && NAME_PART.test(s[j])) j++;
	return j;
}

const isField = (e: Entry) => e.what === 'field' || e.what === 'related';
/** A function, or a definition with parameters, is only meant where brackets follow. */
const needsCall = (e: Entry) => e.what === 'fn' || (e.what === 'definition' && !e.bare);

const CONSTANTS: [string, Expr][] = [
	['true', { k: 'bool', v: true }],
	['false', { k: 'bool', v: false }],
	['null', { k: 'null' }]
];

function known(label: string, entry: Entry, exact: boolean): Known {
	const words = label.trim().replace(/\s+/g, ' ');
	return { words: exact ? words : words.toLowerCase(), entry, exact };
}

const varEntry = (name: string, shape: Shape): Entry => ({ what: 'var', name, shape });
const fieldOf = (e: { type: string; field: string }): { type: string; field: string } => ({
	type: e.type,
	field: e.field
});
const BUILT_IN = new Names(FUNCTION_NAMES.map((n) => known(n, { what: 'fn', name: n }, true)));
const PARTS = new Names(PROPERTIES.map((n) => known(n, varEntry(n, null), true)));
/** The names of fields, tabled once for a schema. */
const fieldNames = new WeakMap<Schema, Map<string, Names>>();
const nullEnd = (e: Expr) => (e.k === 'null' ? null : e);
