/**
 * The relations of which conditions are made, each a row of one table: what it is called, between what it
 * stands, and its tree, written in the language itself. A condition shown as a list is a view of its
 * tree: what is shown is recognised by these trees, and what is edited is built from them.
 *
 * In the trees `x` is what is spoken of, `w` the same before the change, `a` and `b` what it is
 * compared with, `many` several of those, `d` a number of days and `f` what related records must meet.
 */
import { Schema } from '../document/model';
import type { Expr, Test } from '../document/tree';
import { bare } from '../document/tree';
import { parseExpression } from '../feel/parse';

/** What can be spoken of: the kinds of fields by what they can be asked, and records behind a link. */
export type SubjectKind =
	'text' | 'number' | 'date' | 'moment' | 'yesno' | 'choice' | 'choices' | 'link' | 'related';

/** What is asked beside the subject: a value like its own, several of them, a day, a text, numbers, a condition. */
export type OperandKind =
	'value' | 'values' | 'option' | 'day' | 'text' | 'count' | 'days' | 'filter';

export interface Relation {
	readonly id: string;
	/** As it is chosen. */
	readonly label: string;
	/** As a row is read, with `{x}` for the subject and `{0}`, `{1}` for the operands. */
	readonly says: string;
	readonly between: readonly SubjectKind[];
	readonly operands: readonly { readonly name: Placeholder; readonly kind: OperandKind }[];
	/** The tree it is written as, and others that say the same. */
	readonly trees: readonly Expr[];
	/** The same without a condition on the related records, where it can do without. */
	readonly plain?: Expr;
	/** What it gives where the subject is blank and the operands are not. */
	readonly blank: 'holds' | 'does not hold' | 'cannot be told';
	/** Asks about the change: only of fields of the record itself. */
	readonly event?: true;
}

export type Placeholder = 'a' | 'b' | 'many' | 'd' | 'f';
const NAMES = ['x', 'w', 'a', 'b', 'many', 'd', 'f'];

const NOWHERE = new Schema({ types: [], lists: [], zone: 'UTC' });
const tree = (text: string): Expr =>
	bare(parseExpression(text, { schema: NOWHERE, type: null, variables: NAMES }));

const ORDERED: SubjectKind[] = ['number'];
const ALL: SubjectKind[] = [
	'text',
	'number',
	'date',
	'moment',
	'yesno',
	'choice',
	'choices',
	'link'
];
const PLAIN: SubjectKind[] = ['text', 'number', 'date', 'choice', 'link'];

const OPERANDS: Record<Placeholder, OperandKind> = {
	a: 'value',
	b: 'value',
	many: 'values',
	d: 'days',
	f: 'filter'
};

interface Written {
	label: string;
	says?: string;
	between: SubjectKind[];
	/** Its trees in the language, the canonical first. */
	as: string[];
	plain?: string;
	asks?: Placeholder[];
	kinds?: Partial<Record<Placeholder, OperandKind>>;
	blank: Relation['blank'];
	event?: true;
}

const relation = (id: string, r: Written): Relation => ({
	id,
	label: r.label,
	says:
		r.says ??
		`{x} ${(r.asks ?? []).reduce((s, _, i) => s.replace('…', `{${i}}`), r.label.includes('…') ? r.label : `${r.label}${r.asks?.length ? ' …' : ''}`)}`,
	between: r.between,
	operands: (r.asks ?? []).map((name) => ({ name, kind: r.kinds?.[name] ?? OPERANDS[name] })),
	trees: r.as.map(tree),
	...(r.plain ? { plain: tree(r.plain) } : {}),
	blank: r.blank,
	...(r.event ? { event: r.event } : {})
});

/**
 * In the order in which they are recognised: what says more stands before what says less. Those for one
 * kind are offered in this order too.
 */
export const RELATIONS: readonly Relation[] = [
	relation('is blank', {
		label: 'is blank',
		between: ALL,
		as: ['is blank(x)', 'x = null', 'null = x'],
		blank: 'holds'
	}),
	relation('is given', {
		label: 'is given',
		between: ALL,
		as: ['not(is blank(x))', 'x != null', 'null != x', 'not(x = null)'],
		blank: 'does not hold'
	}),
	relation('is yes', {
		label: 'is yes',
		between: ['yesno'],
		as: ['x', 'x = true'],
		blank: 'cannot be told'
	}),
	relation('is no', {
		label: 'is no',
		between: ['yesno'],
		as: ['x = false', 'not(x)'],
		blank: 'does not hold'
	}),
	relation('is not yes', {
		label: 'is not yes',
		says: '{x} is not yes',
		between: ['yesno'],
		as: ['x != true', 'not(x = true)'],
		blank: 'holds'
	}),
	relation('is today', {
		label: 'is today',
		between: ['date'],
		as: ['x = today'],
		blank: 'does not hold'
	}),
	relation('is today or later', {
		label: 'is today or later',
		between: ['date'],
		as: ['x >= today', 'today <= x'],
		blank: 'cannot be told'
	}),
	relation('is before today', {
		label: 'is before today',
		between: ['date'],
		as: ['x < today', 'today > x'],
		blank: 'cannot be told'
	}),
	relation('is', {
		label: 'is',
		between: PLAIN,
		as: ['x = a'],
		asks: ['a'],
		blank: 'does not hold'
	}),
	relation('is not', {
		label: 'is not',
		between: PLAIN,
		as: ['x != a', 'not(x = a)'],
		asks: ['a'],
		blank: 'holds'
	}),
	relation('is one of', {
		label: 'is one of',
		between: PLAIN,
		as: ['x in many'],
		asks: ['many'],
		blank: 'does not hold'
	}),
	relation('is none of', {
		label: 'is none of',
		between: PLAIN,
		as: ['not(x in many)'],
		asks: ['many'],
		blank: 'holds'
	}),
	relation('is at least', {
		label: 'is at least',
		between: ORDERED,
		as: ['x >= a', 'a <= x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	relation('is more than', {
		label: 'is more than',
		between: ORDERED,
		as: ['x > a', 'a < x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	relation('is at most', {
		label: 'is at most',
		between: ORDERED,
		as: ['x <= a', 'a >= x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	relation('is below', {
		label: 'is below',
		between: ORDERED,
		as: ['x < a', 'a > x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	relation('is in the last days', {
		label: 'is in the last … days',
		between: ['date'],
		as: ['x in [today - d..today]', 'x between today - d and today'],
		asks: ['d'],
		blank: 'cannot be told'
	}),
	relation('is in the next days', {
		label: 'is in the next … days',
		between: ['date'],
		as: ['x in [today..today + d]', 'x between today and today + d'],
		asks: ['d'],
		blank: 'cannot be told'
	}),
	relation('is between', {
		label: 'is between … and …',
		between: ['number', 'date'],
		// not the two limits one by one: those are two rows
		as: ['x in [a..b]', 'x between a and b'],
		asks: ['a', 'b'],
		blank: 'cannot be told'
	}),
	relation('is before', {
		label: 'is before',
		between: ['date'],
		as: ['x < a', 'a > x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	relation('is after', {
		label: 'is after',
		between: ['date'],
		as: ['x > a', 'a < x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	relation('is on or before', {
		label: 'is on or before',
		between: ['date'],
		as: ['x <= a', 'a >= x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	relation('is on or after', {
		label: 'is on or after',
		between: ['date'],
		as: ['x >= a', 'a <= x'],
		asks: ['a'],
		blank: 'cannot be told'
	}),
	...(
		[
			['stands behind', '>', '<'],
			['stands before', '<', '>'],
			['is or stands behind', '>=', '<='],
			['is or stands before', '<=', '>=']
		] as const
	).map(([id, op, turned]) =>
		relation(id, {
			label: id,
			between: ['choice'],
			as: [`position(x) ${op} position(a)`, `position(a) ${turned} position(x)`],
			asks: ['a'],
			blank: 'cannot be told'
		})
	),
	relation('is this month', {
		label: 'is this month',
		between: ['date'],
		as: ['x.year = today.year and x.month = today.month'],
		blank: 'does not hold'
	}),
	relation('is this quarter', {
		label: 'is this quarter',
		between: ['date'],
		as: ['x.year = today.year and quarter(x) = quarter(today)'],
		blank: 'does not hold'
	}),
	relation('is this year', {
		label: 'is this year',
		between: ['date'],
		as: ['x.year = today.year'],
		blank: 'does not hold'
	}),
	relation('is on', {
		label: 'is on the day',
		says: '{x} is on {0}',
		between: ['moment'],
		as: ['date(x) = a'],
		asks: ['a'],
		kinds: { a: 'day' },
		blank: 'does not hold'
	}),
	relation('is before the day', {
		label: 'is before the day',
		says: '{x} is before {0}',
		between: ['moment'],
		as: ['date(x) < a', 'a > date(x)'],
		asks: ['a'],
		kinds: { a: 'day' },
		blank: 'cannot be told'
	}),
	relation('is after the day', {
		label: 'is after the day',
		says: '{x} is after {0}',
		between: ['moment'],
		as: ['date(x) > a', 'a < date(x)'],
		asks: ['a'],
		kinds: { a: 'day' },
		blank: 'cannot be told'
	}),
	relation('was in the last days', {
		label: 'is in the last … days',
		between: ['moment'],
		as: ['date(x) in [today - d..today]', 'date(x) between today - d and today'],
		asks: ['d'],
		blank: 'cannot be told'
	}),
	relation('contains text', {
		label: 'contains',
		between: ['text'],
		as: ['contains(x, a)'],
		asks: ['a'],
		kinds: { a: 'text' },
		blank: 'cannot be told'
	}),
	relation('begins with', {
		label: 'begins with',
		between: ['text'],
		as: ['starts with(x, a)'],
		asks: ['a'],
		kinds: { a: 'text' },
		blank: 'cannot be told'
	}),
	relation('ends with', {
		label: 'ends with',
		between: ['text'],
		as: ['ends with(x, a)'],
		asks: ['a'],
		kinds: { a: 'text' },
		blank: 'cannot be told'
	}),
	...(
		[
			['is email', 'an e-mail address'],
			['is vat number', 'a VAT number'],
			['is gln', 'a location number (GLN)'],
			['is gtin', 'an article number (GTIN)'],
			['is iban', 'a bank account number (IBAN)'],
			['is lei', 'a legal entity identifier (LEI)'],
			['is e164', 'a telephone number (E.164)']
		] as const
	).map(([fn, what]) =>
		relation(fn, {
			label: `has the form of ${what}`,
			says: `{x} has the form of ${what}`,
			between: ['text'],
			as: [`${fn}(x)`],
			blank: 'cannot be told'
		})
	),
	relation('is postal code', {
		label: 'has the form of a postal code of',
		says: '{x} has the form of a postal code of {0}',
		between: ['text'],
		as: ['is postal code(x, a)'],
		asks: ['a'],
		kinds: { a: 'text' },
		blank: 'cannot be told'
	}),
	relation('fits the pattern', {
		label: 'fits the pattern',
		between: ['text'],
		as: ['matches(x, a)'],
		asks: ['a'],
		kinds: { a: 'text' },
		blank: 'cannot be told'
	}),
	relation('contains', {
		label: 'contains',
		between: ['choices'],
		as: ['list contains(x, a)'],
		asks: ['a'],
		kinds: { a: 'option' },
		blank: 'cannot be told'
	}),
	relation('contains any of', {
		label: 'contains any of',
		between: ['choices'],
		as: ['any(many)'],
		asks: ['many'],
		blank: 'cannot be told'
	}),
	relation('contains all of', {
		label: 'contains all of',
		between: ['choices'],
		as: ['all(many)'],
		asks: ['many'],
		blank: 'cannot be told'
	}),
	relation('changed', {
		label: 'changed',
		between: ALL,
		as: ['changed(x)'],
		blank: 'does not hold',
		event: true
	}),
	relation('changed to', {
		label: 'changed to',
		between: PLAIN,
		as: ['moved(x, anything, a)'],
		asks: ['a'],
		blank: 'does not hold',
		event: true
	}),
	relation('changed from', {
		label: 'changed from',
		between: PLAIN,
		as: ['moved(x, a, anything)'],
		asks: ['a'],
		blank: 'does not hold',
		event: true
	}),
	relation('changed from to', {
		label: 'changed from … to …',
		between: PLAIN,
		as: ['moved(x, a, b)'],
		asks: ['a', 'b'],
		blank: 'does not hold',
		event: true
	}),
	relation('became yes', {
		label: 'became yes',
		between: ['yesno'],
		as: ['moved(x, anything, true)'],
		blank: 'does not hold',
		event: true
	}),
	relation('became no', {
		label: 'became no',
		between: ['yesno'],
		as: ['moved(x, anything, false)'],
		blank: 'does not hold',
		event: true
	}),
	relation('moved forward', {
		label: 'moved forward',
		between: ['choice'],
		as: ['moved forward(x)'],
		blank: 'does not hold',
		event: true
	}),
	relation('moved back', {
		label: 'moved back',
		between: ['choice'],
		as: ['moved back(x)'],
		blank: 'does not hold',
		event: true
	}),
	relation('rose', {
		label: 'rose',
		between: ['number'],
		as: ['x > w', 'w < x'],
		blank: 'cannot be told',
		event: true
	}),
	relation('fell', {
		label: 'fell',
		between: ['number'],
		as: ['x < w', 'w > x'],
		blank: 'cannot be told',
		event: true
	}),
	relation('was', {
		label: 'was',
		between: PLAIN,
		as: ['w = a'],
		asks: ['a'],
		blank: 'does not hold',
		event: true
	}),
	relation('was blank', {
		label: 'was blank',
		between: ALL,
		as: ['is blank(w)', 'w = null'],
		blank: 'holds',
		event: true
	}),
	relation('some', {
		label: 'there is one where',
		says: 'one or more {x}{0}',
		between: ['related'],
		as: ['count(x[f]) > 0'],
		plain: 'count(x) > 0',
		asks: ['f'],
		blank: 'does not hold'
	}),
	relation('none', {
		label: 'there is none where',
		says: 'no {x}{0}',
		between: ['related'],
		as: ['count(x[f]) = 0'],
		plain: 'count(x) = 0',
		asks: ['f'],
		blank: 'holds'
	}),
	relation('every', {
		label: 'of every one it holds that',
		says: 'every one of {x}{0}',
		between: ['related'],
		as: ['count(x[f]) = count(x)'],
		asks: ['f'],
		blank: 'holds'
	}),
	relation('at least', {
		label: 'there are at least … where',
		says: 'at least {0} {x}{1}',
		between: ['related'],
		as: ['count(x[f]) >= a'],
		plain: 'count(x) >= a',
		asks: ['a', 'f'],
		kinds: { a: 'count' },
		blank: 'does not hold'
	}),
	relation('at most', {
		label: 'there are at most … where',
		says: 'at most {0} {x}{1}',
		between: ['related'],
		as: ['count(x[f]) <= a'],
		plain: 'count(x) <= a',
		asks: ['a', 'f'],
		kinds: { a: 'count' },
		blank: 'holds'
	})
];

const BY_ID = new Map(RELATIONS.map((r) => [r.id, r]));

/** A relation by its identity. @throws {Error} on one that is not in the table */
export function relationOf(id: string): Relation {
	const r = BY_ID.get(id);
	if (!r) throw new Error(`No relation is called ${id}.`);
	return r;
}

/** The relations that fit a kind of subject. @param own whether it is a field of the record itself */
export const relationsFor = (kind: SubjectKind, own: boolean): Relation[] =>
	RELATIONS.filter((r) => r.between.includes(kind) && (own || !r.event));

// ── Trees and what stands in them ────────────────────────────────────────────────────────────────

/** What the placeholders of a tree stand for. */
export type Bound = Partial<Record<'x' | Placeholder, Expr[]>>;

const plainJson = (e: unknown) =>
	JSON.stringify(e, (k: string, v: unknown) => (k === 'at' ? undefined : v));
/** Whether two trees are the same, wherever they stand in a text. */
export const sameTree = (a: unknown, b: unknown) => a === b || plainJson(a) === plainJson(b);

/** The number of days of a duration that says nothing else; null for another expression. */
export function daysOf(e: Expr): number | null {
	const text =
		e.k === 'at'
			? e.v
			: e.k === 'call' && e.fn === 'duration' && e.args[0]?.k === 'text'
				? e.args[0].v
				: '';
	const m = /^P(\d{1,5})D$/.exec(text);
	return m ? Number(m[1]) : null;
}

/** A duration of so many days. */
export const daysTree = (n: number): Expr => ({ k: 'at', v: `P${n}D` });

/** What a tree binds where it is one of the forms of a relation; null where it is another. */
export function matched(form: Expr, e: Expr, subject: (x: Expr) => boolean): Bound | null {
	const bound: Bound = {};
	const bind = (name: 'x' | Placeholder, xs: Expr[]): boolean => {
		const had = bound[name];
		if (had) return sameTree(had, xs);
		bound[name] = xs;
		return true;
	};
	const same = (t: unknown, x: unknown): boolean => {
		if (typeof t !== 'object' || t === null) return t === x;
		if (typeof x !== 'object' || x === null) return false;
		if (Array.isArray(t))
			return Array.isArray(x) && t.length === x.length && t.every((y, i) => same(y, x[i]));
		const [p, n] = [t as Expr, x as Expr];
		if (p.k === 'var' && NAMES.includes(p.name)) return placed(p.name, n);
		// several values stand in the place of one
		if (p.k === 'in' && n.k === 'in' && isMany(p.tests.tests[0]))
			return same(p.x, n.x) && severalIn(n.tests.tests, n.tests.not);
		if (p.k === 'call' && (p.fn === 'any' || p.fn === 'all') && p.args[0]?.k === 'var')
			return n.k === 'call' && n.fn === p.fn && n.args.length === 1 && severalContained(n.args[0]);
		const keys = new Set([...Object.keys(t), ...Object.keys(x)]);
		keys.delete('at');
		return [...keys].every((k) =>
			same((t as Record<string, unknown>)[k], (x as Record<string, unknown>)[k])
		);
	};
	const placed = (name: string, n: Expr): boolean => {
		if (name === 'x') return subject(n) && bind('x', [n]);
		if (name === 'w')
			return n.k === 'field' && n.image === 'was' && bind('x', [{ ...n, image: 'settled' }]);
		if (name === 'd') return daysOf(n) !== null && bind('d', [n]);
		if (name === 'a' && n.k === 'null') return false;
		return bind(name as Placeholder, [n]);
	};
	const severalIn = (tests: readonly Test[], not: boolean): boolean => {
		if (not || !tests.length) return false;
		const [first] = tests;
		const list =
			tests.length === 1 && first.k === 'is' && first.e.k === 'list' ? first.e.items : null;
		const items = list ?? tests.map((t) => (t.k === 'is' ? t.e : null));
		if (
			!items.length ||
			items.some((i) => !i || i.k === 'range' || i.k === 'list' || i.k === 'null')
		)
			return false;
		return bind('many', items as Expr[]);
	};
	const severalContained = (of: Expr): boolean => {
		if (of.k !== 'list' || !of.items.length) return false;
		const each = of.items.map((c) => (c.k === 'call' && c.fn === 'list contains' ? c.args : null));
		if (each.some((a) => a?.length !== 2)) return false;
		const args = each as Expr[][];
		return (
			args.every((a) => subject(a[0]) && bind('x', [a[0]])) &&
			bind(
				'many',
				args.map((a) => a[1])
			)
		);
	};
	return same(form, e) ? bound : null;
}

const isMany = (t: Test | undefined) => t?.k === 'is' && t.e.k === 'var' && t.e.name === 'many';

/** A form of a relation with its placeholders filled. */
export function filled(form: Expr, bound: Bound): Expr {
	const [x] = bound.x!;
	const go = (t: unknown): unknown => {
		if (typeof t !== 'object' || t === null) return t;
		if (Array.isArray(t)) return t.map(go);
		const e = t as Expr;
		if (e.k === 'var' && NAMES.includes(e.name)) {
			if (e.name === 'w') return { ...(x as Expr & { k: 'field' }), image: 'was' };
			return bound[e.name as 'x' | Placeholder]![0];
		}
		if (e.k === 'in' && isMany(e.tests.tests[0]))
			return {
				...e,
				x: go(e.x),
				tests: { not: false, tests: bound.many!.map((v) => ({ k: 'is', e: v })) }
			};
		if (e.k === 'call' && (e.fn === 'any' || e.fn === 'all') && e.args[0]?.k === 'var')
			return {
				...e,
				args: [
					{
						k: 'list',
						items: bound.many!.map((v) => ({ k: 'call', fn: 'list contains', args: [x, v] }))
					}
				]
			};
		return Object.fromEntries(Object.entries(t).map(([k, v]) => [k, go(v)]));
	};
	return go(form) as Expr;
}
