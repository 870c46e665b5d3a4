/**
 * Roll-ups: the records behind a link counted, or one of their fields added up, averaged, or its least or greatest
 * taken. Where somebody keeps such figures, or can ask for them in one go, no record behind the link has to be looked
 * at; where nobody does, the formula looks at each.
 */
import { bare, type Expr, type Image, type Test } from '../../document/tree';
import * as n from '../../value/num';
import type { Value } from '../../value/value';
import { take } from '../budget';
import type { Env, Part, RollUp, Rolled, Run } from '../env';
import * as T from '../types';
import type { Scope } from './scope';

type Fn = RollUp['fn'];
const FNS: ReadonlySet<string> = new Set<Fn>(['count', 'sum', 'mean', 'min', 'max']);

/** Functions that a condition may call: what they give depends on their arguments alone. */
const PLAIN: ReadonlySet<string> = new Set([
	'not',
	'is blank',
	'contains',
	'starts with',
	'ends with',
	'list contains',
	'position',
	'quarter',
	'any',
	'all'
]);

/**
 * A condition on the item of a list as one on the record at hand: where it asks for nothing but fields of that item
 * and values that stand in it; else null.
 */
function onItself(e: Expr): Expr | null {
	const all = (items: readonly Expr[]): Expr[] | null => {
		const out = items.map(onItself);
		return out.every((x) => x !== null) ? out : null;
	};
	switch (e.k) {
		case 'num':
		case 'text':
		case 'bool':
		case 'null':
		case 'option':
		case 'at':
		case 'record':
			return e;
		case 'path': {
			const of = onItself(e.of);
			return of && { k: 'path', of, name: e.name };
		}
		case 'through':
			return e.of.k === 'var' && e.of.name === 'item'
				? { k: 'field', image: 'settled', type: e.type, field: e.field }
				: null;
		case 'and':
		case 'or':
		case 'list': {
			const items = all(e.items);
			return items && { k: e.k, items };
		}
		case 'bin': {
			const both = all([e.a, e.b]);
			return both && { k: 'bin', op: e.op, a: both[0], b: both[1] };
		}
		case 'between': {
			const parts = all([e.x, e.lo, e.hi]);
			return parts && { k: 'between', x: parts[0], lo: parts[1], hi: parts[2] };
		}
		case 'range': {
			const ends = all([e.lo ?? { k: 'null' }, e.hi ?? { k: 'null' }]);
			return ends && { ...e, lo: e.lo && ends[0], hi: e.hi && ends[1] };
		}
		case 'in': {
			const x = onItself(e.x);
			const tests = e.tests.tests.map((t): Test | null => {
				if (t.k === 'any') return t;
				const of = onItself(t.e);
				return of && { ...t, e: of };
			});
			return x && tests.every((t) => t !== null)
				? { k: 'in', x, tests: { not: e.tests.not, tests } }
				: null;
		}
		case 'call': {
			const args = PLAIN.has(e.fn) && !e.names ? all(e.args) : null;
			return args && { k: 'call', fn: e.fn, args };
		}
		default:
			return null;
	}
}

/** The link, the condition and the field of what a function is called with, where that is a roll-up. */
function shape(e: Expr): {
	of: Expr & { k: 'related' };
	by: Expr | null;
	field: (Expr & { k: 'through' }) | null;
} | null {
	const field = e.k === 'through' ? e : null;
	const list = field ? field.of : e;
	const by = list.k === 'filter' ? list.by : null;
	const of = list.k === 'filter' ? list.of : list;
	return of.k === 'related' ? { of, by, field } : null;
}

/** What gives the record behind whose link one looks: the record at hand, or the one that a link of it leads to. */
function ownerOf(s: Scope, of: Expr | null): ((env: Env) => Value) | null {
	// what was, and what was sent, nobody keeps figures of
	const settled = (image: Image) => s.image(image) === 'settled';
	if (of === null) return settled('settled') ? (env) => env.rec?.id ?? null : null;
	if (of.k !== 'field' || of.type !== s.o.type || !settled(of.image)) return null;
	const i = s.schema.type(of.type).at.get(of.field)!;
	return (env) => env.rec!.settled[i];
}

/** Whether the least, the greatest or the sum of a field can be told without looking at each. */
const foldable = (fn: Fn, type: string) =>
	type === 'number' ||
	type === 'money' ||
	type === 'percent' ||
	(type === 'date' && (fn === 'min' || fn === 'max'));

/** The function over the figures. */
function fold(fn: Fn, r: Rolled): Value {
	switch (fn) {
		case 'count':
			return n.num(r.n);
		case 'sum':
			return r.filled ? r.sum : null;
		case 'mean':
			return r.filled ? r.sum && n.div(r.sum, n.num(r.filled)) : null;
		default:
			return r.filled ? r.ends[0] : null;
	}
}

/**
 * A call of a function as a roll-up, where it is one.
 * @param e with its argument bound
 * @param plain looks at each record
 */
export function rollUp(s: Scope, e: Expr & { k: 'call' }, plain: Part): Part {
	if (!FNS.has(e.fn) || e.args.length !== 1 || e.names || s.faults.length) return plain;
	const fn = e.fn as Fn;
	const found = shape(e.args[0]);
	if (!found || (fn === 'count') !== (found.field === null)) return plain;
	const { of, by, field } = found;
	const owner = ownerOf(s, of.of);
	const f = field && s.schema.field(of.type, field.field);
	if (!owner || (field && (field.type !== of.type || !f || !foldable(fn, f.type)))) return plain;
	const condition = by && onItself(by);
	if (by && !condition) return plain;
	const own = s.beside(of.type);
	const [holds, size] = condition
		? own.sized(() => own.wanted(own.expr(condition), T.BOOLEAN))
		: [null, 0];
	if (own.faults.length) return plain;
	const site: RollUp = {
		key: [
			fn,
			of.type,
			of.field,
			field?.field ?? '',
			JSON.stringify(bare(holds?.expr ?? null))
		].join(' '),
		fn,
		type: of.type,
		link: of.field,
		field: field?.field ?? null,
		by: holds?.expr ?? null,
		holds: holds?.run ?? null
	};
	const run: Run = (env) => {
		const id = env.rolledUp ? owner(env) : null;
		const rolled = typeof id === 'string' ? env.rolledUp!(site, id) : null;
		if (!rolled) return plain.run(env);
		// what looking at each would take
		take(env, rolled.all * (1 + size) + 2 * rolled.n);
		return fold(fn, rolled);
	};
	return { ...plain, run };
}
