/**
 * A condition as PostgreSQL can ask it of the records of a type. What has an exact translation is told by the
 * database alone; of the rest a weaker condition narrows the records, and the core decides each of them.
 *
 * The language has three truth values as SQL has, but its `=` knows blank: it is `is not distinct from`. A
 * translation is exact when it gives true, false and null for the same records as the core does.
 */
import type { Expr, Field, Schema } from '../../core';
import { LocalDate, constantOf, daysOf } from '../../core';
import { startOfDay } from '../../runtime/format';
import { columnOf, tableOf } from './model';

/** What is known beside the records. */
export interface FilterContext {
	schema: Schema;
	type: string;
	/** The day it is, in the workspace's zone. */
	today: LocalDate;
	/** Record of the person who asks. */
	person: string | null;
	/** Numbers of changes between which a change of a field counts; null for no limit. */
	period: { first: string; last: string } | null;
}

/** A condition in SQL, of a table called `r`; its values begin with `$1`, the workspace. */
export interface Narrowing {
	sql: string;
	/** It is true, false and null where the condition is; else it is true at least where the condition is. */
	exact: boolean;
}

const OPEN: Narrowing = { sql: 'true', exact: false };
const exactly = (sql: string): Narrowing => ({ sql, exact: true });

/** What a value can be compared with. */
type Sort =
	| 'text'
	| 'number'
	| 'date'
	| 'moment'
	| 'yesno'
	| 'choices'
	| `choice ${string}`
	| `link ${string}`;

interface Term {
	sql: string;
	sort: Sort;
	field: Field;
}

const NUMBERS = new Set<Field['type']>(['number', 'money', 'percent']);
const TEXTS = new Set<Field['type']>(['text', 'email', 'phone']);
function sortOf(f: Field): Sort {
	if (NUMBERS.has(f.type)) return 'number';
	if (TEXTS.has(f.type)) return 'text';
	if (f.type === 'choice') return `choice ${f.list!}`;
	if (f.type === 'link') return `link ${f.target!}`;
	return f.type as 'date' | 'moment' | 'yesno' | 'choices';
}

/** An empty set is a blank one. */
const termOf = (sql: string, field: Field): Term => ({
	sql: field.type === 'choices' ? `nullif(${sql}, '{}')` : sql,
	sort: sortOf(field),
	field
});

/** Days that PostgreSQL can hold as well as the core. */
const fits = (d: LocalDate) => d.year >= 1 && d.year <= 9999;
/** Texts that can be sent to PostgreSQL as they are. */
const sendable = (text: string) => !text.includes('\0') && text.isWellFormed();

/** Where an expression stands, as tables are called: the record at hand, and the item of a list that is looked at. */
interface At {
	r: string;
	item: string | null;
}

type Comparison = '=' | '!=' | '<' | '<=' | '>' | '>=';
const ORDER: ReadonlySet<string> = new Set(['<', '<=', '>', '>=']);
const TURNED: Record<Comparison, Comparison> = {
	'=': '=',
	'!=': '!=',
	'<': '>',
	'<=': '>=',
	'>': '<',
	'>=': '<='
};

const PLACE = /\u0001(\d+)\u0001/g;

class Translation {
	private aliases = 0;
	private readonly values: unknown[] = [];

	constructor(private readonly c: FilterContext) {}

	/** Stands for a value until it is known which of what was translated is asked. */
	private value(v: unknown, sql: string): string {
		this.values.push(v);
		return `\u0001${this.values.length - 1}\u0001::${sql}`;
	}

	/** The translation with its values numbered behind others. */
	numbered({ sql, exact }: Narrowing, behind: unknown[]): Narrowing {
		const places = new Map<string, number>();
		const text = sql.replace(PLACE, (_, i: string) => {
			const at = places.get(i) ?? behind.push(this.values[Number(i)]);
			places.set(i, at);
			return `$${at}`;
		});
		return { sql: text, exact };
	}

	condition(e: Expr, at: At): Narrowing {
		switch (e.k) {
			case 'bool':
				return exactly(String(e.v));
			case 'and':
			case 'or': {
				const parts = e.items.map((x) => this.condition(x, at));
				const exact = parts.every((p) => p.exact);
				return { sql: `(${parts.map((p) => p.sql).join(` ${e.k} `)})`, exact };
			}
			case 'bin':
				return e.op === '=' || e.op === '!=' || ORDER.has(e.op)
					? this.compared(e.op as Comparison, e.a, e.b, at)
					: OPEN;
			case 'between':
				return this.both(this.compared('>=', e.x, e.lo, at), this.compared('<=', e.x, e.hi, at));
			case 'in':
				return this.within(e, at);
			case 'call':
				return this.call(e, at);
			case 'field':
			case 'through': {
				const t = this.term(e, at);
				return t?.sort === 'yesno' ? exactly(t.sql) : OPEN;
			}
			default:
				return OPEN;
		}
	}

	/**
	 * What follows from a condition that is true, said so that an index can be asked: `=` of the language knows
	 * blank, and no index knows `is not distinct from`.
	 */
	implied(e: Expr): string[] {
		if (e.k === 'and') return e.items.flatMap((x) => this.implied(x));
		const own = (x: Expr) => {
			const t = x.k === 'field' ? this.term(x, { r: 'r', item: null }) : null;
			// a link to what is not there any more is compared as blank
			return t && t.sort !== 'choices' && !t.sort.startsWith('link ') ? t : null;
		};
		if (e.k === 'bin' && e.op === '=') {
			const t = own(e.a) ?? own(e.b);
			const v = t && this.fixed(own(e.a) ? e.b : e.a, t);
			return v ? [`${t!.sql} = ${v}`] : [];
		}
		if (e.k !== 'in' || e.tests.not) return [];
		const t = own(e.x);
		const all = e.tests.tests.flatMap((test): (Expr | null)[] =>
			test.k !== 'is' || test.e.k === 'range'
				? [null]
				: test.e.k === 'list'
					? test.e.items
					: [test.e]
		);
		const values = all.map((x) => t && x && this.fixed(x, t));
		return t && values.length && values.every((v) => v)
			? [`${t.sql} in (${values.join(', ')})`]
			: [];
	}

	private both(...parts: Narrowing[]): Narrowing {
		return {
			sql: `(${parts.map((p) => p.sql).join(' and ')})`,
			exact: parts.every((p) => p.exact)
		};
	}

	private call(e: Expr & { k: 'call' }, at: At): Narrowing {
		const [x, y] = e.args;
		switch (e.fn) {
			case 'not': {
				const of = this.condition(x, at);
				return of.exact ? exactly(`not (${of.sql})`) : OPEN;
			}
			case 'is blank': {
				const t = this.term(x, at);
				if (t) return exactly(`${t.sql} is null`);
				const of = this.condition(x, at);
				return of.exact ? exactly(`(${of.sql}) is null`) : OPEN;
			}
			case 'contains':
			case 'starts with':
			case 'ends with': {
				const t = this.term(x, at);
				if (t?.sort !== 'text' || y?.k !== 'text' || !sendable(y.v)) return OPEN;
				const v = this.value(y.v, 'text');
				if (e.fn === 'contains') return exactly(`strpos(${t.sql}, ${v}) > 0`);
				if (e.fn === 'starts with') return exactly(`starts_with(${t.sql}, ${v})`);
				return exactly(`right(${t.sql}, char_length(${v})) = ${v}`);
			}
			case 'list contains': {
				const t = this.term(x, at);
				if (t?.sort !== 'choices' || y?.k !== 'option') return OPEN;
				return exactly(`${this.value(y.option, 'text')} = any(${t.sql})`);
			}
			case 'any':
			case 'all': {
				if (e.args.length !== 1 || x.k !== 'list' || !x.items.length) return OPEN;
				const parts = x.items.map((i) => this.condition(i, at));
				const exact = parts.every((p) => p.exact);
				return {
					sql: `(${parts.map((p) => p.sql).join(e.fn === 'any' ? ' or ' : ' and ')})`,
					exact
				};
			}
			case 'changed':
				return this.happened(x, at, null, null);
			case 'moved forward':
			case 'moved back':
				return this.happened(x, at, null, null);
			case 'moved': {
				const arg = (name: string, place: number) => {
					const i = e.names ? e.names.indexOf(name) : place;
					return i < 0 ? null : (e.args[i] ?? null);
				};
				const of = arg('field', 0);
				return of ? this.happened(of, at, arg('from', 1), arg('to', 2)) : OPEN;
			}
			default:
				return OPEN;
		}
	}

	/** Where a field can have changed as it is asked: history has such a line in the period. */
	private happened(x: Expr, at: At, from: Expr | null, to: Expr | null): Narrowing {
		if (x.k !== 'field' || at.item) return OPEN;
		const now = to && this.compared('=', x, to, at);
		const line = this.line(x, at, from);
		return { sql: now ? `(${line} and ${now.sql})` : line, exact: false };
	}

	/** Whether history has a line of a field being set, from a value that can be told, if one is given. */
	private line(x: Expr & { k: 'field' }, at: At, from: Expr | null): string {
		const { schema, type, period } = this.c;
		const field = schema.field(x.type, x.field);
		if (!field) return 'true';
		const [h, f] = [this.value(type, 'text'), this.value(x.field, 'text')];
		const within = period
			? ` and h.change between ${this.value(period.first, 'bigint')} and ${this.value(period.last, 'bigint')}`
			: '';
		// numbers, days and instants have several texts
		const plain = field.type === 'choice' || field.type === 'link' || TEXTS.has(field.type);
		const v = from && plain ? constantOf(from, field) : undefined;
		const was =
			typeof v === 'string' && sendable(v)
				? ` and h.was = ${this.value(JSON.stringify(v), 'jsonb')}`
				: '';
		return `exists (select from history_line h where h.type = ${h} and h.record = ${at.r}.id and h.field = ${f} and h.outcome = 'set'${within}${was})`;
	}

	/** `x in (tests)` and the tests of a cell. */
	private within(e: Expr & { k: 'in' }, at: At): Narrowing {
		const parts = e.tests.tests.flatMap((t): Narrowing[] => {
			if (t.k === 'any') return [exactly('true')];
			if (t.k === 'cmp') return [this.compared(t.op, e.x, t.e, at)];
			if (t.e.k === 'list') return t.e.items.map((v) => this.compared('=', e.x, v, at));
			if (t.e.k === 'range') {
				const { lo, hi, loIn, hiIn } = t.e;
				if (!lo || !hi) return [OPEN];
				return [
					this.both(
						this.compared(loIn ? '>=' : '>', e.x, lo, at),
						this.compared(hiIn ? '<=' : '<', e.x, hi, at)
					)
				];
			}
			return [this.compared('=', e.x, t.e, at)];
		});
		if (!parts.length) return OPEN;
		const any: Narrowing = {
			sql: `(${parts.map((p) => p.sql).join(' or ')})`,
			exact: parts.every((p) => p.exact)
		};
		if (!e.tests.not) return any;
		return any.exact ? exactly(`not ${any.sql}`) : OPEN;
	}

	private compared(op: Comparison, a: Expr, b: Expr, at: At): Narrowing {
		const related = this.counted(op, a, b, at) ?? this.counted(TURNED[op], b, a, at);
		if (related) return related;
		const was = this.wasCompared(op, a, b, at);
		if (was) return was;
		return (
			this.dayOf(op, a, b, at) ??
			this.dayOf(TURNED[op], b, a, at) ??
			this.partOf(op, a, b, at) ??
			this.partOf(TURNED[op], b, a, at) ??
			this.placed(op, a, b, at) ??
			this.plainly(op, a, b, at) ??
			OPEN
		);
	}

	/** A field, or what lies behind links, with another or a value. */
	private plainly(op: Comparison, a: Expr, b: Expr, at: At): Narrowing | null {
		const ta = this.term(a, at);
		const tb = this.term(b, at);
		if (ta && b.k === 'null') return blankly(op, ta);
		if (tb && a.k === 'null') return blankly(TURNED[op], tb);
		if (ta && tb) {
			if (ta.sort !== tb.sort || !comparable(op, ta.sort)) return null;
			return exactly(inSql(op, ta.sql, tb.sql));
		}
		if (ta) return this.withValue(op, ta, b);
		return tb && this.withValue(TURNED[op], tb, a);
	}

	private withValue(op: Comparison, t: Term, e: Expr): Narrowing | null {
		if (!comparable(op, t.sort)) return null;
		const v = this.fixed(e, t);
		return v === null ? null : exactly(inSql(op, t.sql, v));
	}

	/** A value that no record decides, as a parameter; null for any other expression. */
	private fixed(e: Expr, t: Term): string | null {
		const { sort, field } = t;
		if (sort === 'date') {
			const day = this.day(e);
			return day && this.value(day.toString(), 'date');
		}
		if (sort.startsWith('link ') && e.k === 'env' && e.name === 'person') {
			const { person, schema } = this.c;
			return person && sort === `link ${schema.model.personType ?? ''}`
				? this.value(person, 'bigint')
				: null;
		}
		const v = constantOf(e, field);
		if (v === undefined || v === null || Array.isArray(v)) return null;
		switch (sort) {
			case 'number':
				return this.value(v, 'numeric');
			case 'yesno':
				return this.value(v, 'boolean');
			case 'text':
				return sendable(String(v)) ? this.value(v, 'text') : null;
			default:
				if (sort.startsWith('choice ')) return this.value(v, 'text');
				// one that is not there any more is blank, as it is to the core
				return sort.startsWith('link ') && /^\d{1,18}$/.test(String(v))
					? `(select id from ${tableOf(field.target!)} where workspace = $1 and id = ${this.value(v, 'bigint')})`
					: null;
		}
	}

	/** A day that no record decides: written down, or so many days before or after today. */
	private day(e: Expr): LocalDate | null {
		if (e.k === 'env') return e.name === 'today' ? this.c.today : null;
		if (e.k === 'bin' && (e.op === '+' || e.op === '-')) {
			const from = this.day(e.a);
			const days = daysOf(e.b);
			if (!from || days === null) return null;
			const d = LocalDate.fromEpochDay(from.epochDay + (e.op === '+' ? days : -days));
			return d && fits(d) ? d : null;
		}
		const v = constantOf(e, { type: 'date' });
		const d = typeof v === 'string' ? LocalDate.parse(v) : null;
		return d && fits(d) ? d : null;
	}

	/** The day of an instant: between two instants, as the clock of the zone has them. */
	private dayOf(op: Comparison, a: Expr, b: Expr, at: At): Narrowing | null {
		if (a.k !== 'call' || a.fn !== 'date' || a.args.length !== 1) return null;
		const t = this.term(a.args[0], at);
		const day = t?.sort === 'moment' ? this.day(b) : null;
		if (!t || !day) return null;
		const { zone } = this.c.schema.model;
		const next = LocalDate.fromEpochDay(day.epochDay + 1);
		const start = (d: LocalDate | null) => d && fits(d) && startOfDay(d, zone);
		const [from, to] = [start(day), start(next)];
		if (!from || !to) return null;
		const moment = (iso: string) => this.value(iso, 'timestamptz');
		const x = t.sql;
		switch (op) {
			case '=':
				return exactly(`coalesce(${x} >= ${moment(from)} and ${x} < ${moment(to)}, false)`);
			case '!=':
				return exactly(`coalesce(${x} < ${moment(from)} or ${x} >= ${moment(to)}, true)`);
			case '<':
				return exactly(`${x} < ${moment(from)}`);
			case '>=':
				return exactly(`${x} >= ${moment(from)}`);
			case '>':
				return exactly(`${x} >= ${moment(to)}`);
			case '<=':
				return exactly(`${x} < ${moment(to)}`);
		}
	}

	/** Year, month and quarter of a day, with those of today or a number. */
	private partOf(op: Comparison, a: Expr, b: Expr, at: At): Narrowing | null {
		const part = partOfDay(a);
		const t = part && this.term(part.of, at);
		if (!part || t?.sort !== 'date') return null;
		const other = partOfDay(b);
		let v: number | null = null;
		if (other?.name === part.name) {
			const d = this.day(other.of);
			v = d && (part.name === 'quarter' ? Math.ceil(d.month / 3) : d[part.name]);
		} else if (b.k === 'num' && /^\d{1,4}$/.test(b.v)) v = Number(b.v);
		if (v === null) return null;
		return exactly(
			inSql(op, `extract(${part.name} from ${t.sql})::numeric`, this.value(v, 'numeric'))
		);
	}

	/** Options by their place in their list. */
	private placed(op: Comparison, a: Expr, b: Expr, at: At): Narrowing | null {
		const place = (e: Expr): string | null => {
			if (e.k !== 'call' || e.fn !== 'position' || e.args.length !== 1) return null;
			const [x] = e.args;
			if (x.k === 'option') {
				const at = this.options(x.list).indexOf(x.option);
				return at < 0 ? null : String(at + 1);
			}
			const t = this.term(x, at);
			if (!t?.sort.startsWith('choice ')) return null;
			return `array_position(${this.value(this.options(t.field.list!), 'text[]')}, ${t.sql})`;
		};
		const number = (e: Expr) => (e.k === 'num' && /^\d{1,6}$/.test(e.v) ? e.v : null);
		const [x, y] = [place(a) ?? number(a), place(b) ?? number(b)];
		return x && y ? exactly(inSql(op, x, y)) : null;
	}

	private options = (list: string): string[] =>
		this.c.schema.lists.get(list)?.options.map((o) => o.id) ?? [];

	/** How many records behind a link, against a number or against all of them. */
	private counted(op: Comparison, a: Expr, b: Expr, at: At): Narrowing | null {
		const of = countOf(a);
		if (!of) return null;
		const all = countOf(b);
		if (all && !all.by && JSON.stringify(all.of) === JSON.stringify(of.of) && of.by) {
			// every one of them: none of which it is not true
			if (op !== '=') return null;
			const rest = this.related(of.of, of.by, 'is not true', at);
			return rest === null ? null : exactly(`not exists (select ${rest})`);
		}
		if (b.k !== 'num' || !/^\d{1,9}$/.test(b.v)) return null;
		const from = this.related(of.of, of.by, 'is true', at);
		if (!from) return null;
		if (Number(b.v) === 0 && (op === '>' || op === '=' || op === '!='))
			return exactly(`${op === '=' ? 'not ' : ''}exists (select ${from})`);
		return exactly(inSql(op, `(select count(*) ${from})`, this.value(b.v, 'bigint')));
	}

	/** `from … where …` of the records behind a link of the record at hand. */
	private related(
		e: Expr & { k: 'related' },
		by: Expr | null,
		told: string,
		at: At
	): string | null {
		// behind a link that may lead nowhere there is no list, not an empty one
		const own = e.of === null ? !at.item : e.of.k === 'var' && e.of.name === 'item' && at.item;
		if (!own || !this.c.schema.field(e.type, e.field)) return null;
		const inner = `i${++this.aliases}`;
		const which = by ? this.condition(by, { ...at, item: inner }) : exactly('true');
		if (!which.exact) return null;
		return `from ${tableOf(e.type)} ${inner} where ${inner}.workspace = $1
			and ${inner}.${columnOf(e.field)} = ${at.item ?? at.r}.id${by ? ` and (${which.sql}) ${told}` : ''}`;
	}

	/** What a field was, with a value: narrowed to records whose field was changed from it, or never. */
	private wasCompared(op: Comparison, a: Expr, b: Expr, at: At): Narrowing | null {
		if (a.k !== 'field' || a.image !== 'was') {
			if (b.k === 'field' && b.image === 'was') return OPEN;
			return null;
		}
		if (op !== '=' || at.item) return OPEN;
		const now = this.compared('=', { ...a, image: 'settled' }, b, at);
		return { sql: `(${this.line(a, at, b)} or ${now.sql})`, exact: false };
	}

	/** A field of the record, or behind links that lead to one record; null for anything else. */
	private term(e: Expr, at: At): Term | null {
		if (e.k === 'field') {
			const f = e.type === this.c.type ? this.c.schema.field(e.type, e.field) : undefined;
			if (!f || e.image === 'was') return null;
			return termOf(`${at.r}.${columnOf(f.id)}`, f);
		}
		if (e.k !== 'through') return null;
		const f = this.c.schema.field(e.type, e.field);
		if (!f) return null;
		if (e.of.k === 'var')
			return e.of.name === 'item' && at.item ? termOf(`${at.item}.${columnOf(f.id)}`, f) : null;
		const link = this.term(e.of, at);
		if (link?.sort !== `link ${e.type}`) return null;
		const t = `t${++this.aliases}`;
		return termOf(
			`(select ${t}.${columnOf(f.id)} from ${tableOf(e.type)} ${t} where ${t}.workspace = $1 and ${t}.id = ${link.sql})`,
			f
		);
	}
}

/** Whether values of a sort can be compared so, as the core does. */
const comparable = (op: Comparison, sort: Sort) =>
	ORDER.has(op) ? sort === 'number' || sort === 'date' : sort !== 'choices' && sort !== 'moment';

function inSql(op: Comparison, a: string, b: string): string {
	if (op === '=') return `${a} is not distinct from ${b}`;
	if (op === '!=') return `${a} is distinct from ${b}`;
	return `${a} ${op} ${b}`;
}

function blankly(op: Comparison, t: Term): Narrowing {
	if (op === '=') return exactly(`${t.sql} is null`);
	return op === '!=' ? exactly(`${t.sql} is not null`) : OPEN;
}

/** The part of a day that an expression tells. */
function partOfDay(e: Expr): { name: 'year' | 'month' | 'quarter'; of: Expr } | null {
	if (e.k === 'path' && (e.name === 'year' || e.name === 'month'))
		return { name: e.name, of: e.of };
	if (e.k === 'call' && e.fn === 'quarter' && e.args.length === 1)
		return { name: 'quarter', of: e.args[0] };
	return null;
}

/** The records behind a link that an expression counts, and which of them. */
function countOf(e: Expr): { of: Expr & { k: 'related' }; by: Expr | null } | null {
	if (e.k !== 'call' || e.fn !== 'count' || e.args.length !== 1) return null;
	const [x] = e.args;
	if (x.k === 'related') return { of: x, by: null };
	return x.k === 'filter' && x.of.k === 'related' ? { of: x.of, by: x.by } : null;
}

/**
 * Translates a condition on the records of a type.
 * @param unknown asks for those of which it cannot be told, in the place of those of which it is true
 * @param values the values of the statement so far; what the condition adds is put behind them
 */
export function narrowed(
	e: Expr,
	unknown: boolean,
	c: FilterContext,
	values: unknown[]
): Narrowing {
	const t = new Translation(c);
	const told = t.condition(e, { r: 'r', item: null });
	if (!unknown) {
		const sql = [`(${told.sql})`, ...t.implied(e)].join(' and ');
		return t.numbered({ sql, exact: told.exact }, values);
	}
	// what is weaker than a condition says nothing of where it is null
	return told.exact ? t.numbered(exactly(`(${told.sql}) is null`), values) : OPEN;
}
