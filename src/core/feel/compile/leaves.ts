/** Constants, texts that may be options, what stands around a rule, and variables. */
import type { Expr } from '../../document/tree';
import { FormulaError } from '../../document/tree';
import { parseExpression } from '../parse';
import { nearest } from '../../text/names';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../../value/temporal';
import type { Value } from '../../value/value';
import type { Part } from '../env';
import { ZONED_TIME } from '../functions/conversion';
import type { Ty } from '../types';
import type { Scope } from './scope';
import * as T from '../types';

/** A place where something is still to be said, or where what was typed cannot be read. */
export function hole(s: Scope, e: Expr & { k: 'hole' }): Part {
	if (!e.v?.trim()) return s.unsaid(e);
	try {
		parseExpression(e.v, {
			schema: s.schema,
			type: s.o.type,
			variables: s.slots.map((v) => v.name)
		});
	} catch (x) {
		if (!(x instanceof FormulaError)) throw x;
		return s.bad(e, x.fault.message);
	}
	return s.bad(e, 'This was typed and is not read yet; type it again.');
}

/** What is the same wherever it runs. */
export function constant(s: Scope, e: Expr, ty: Ty, v: Value): Part {
	return { expr: e, ty, run: () => v };
}

/** A text: an option where one is wanted, else text. */
export function text(s: Scope, e: Expr & { k: 'text' }, expected?: Ty): Part {
	const want = expected?.t === 'list' ? expected.of : expected;
	if (want?.t !== 'choice') return constant(s, e, T.TEXT, e.v);
	const list = s.schema.lists.get(want.list);
	if (!list) return s.bad(e, 'The option list of this choice is no longer there.');
	const key = e.v.trim().toLowerCase();
	const found =
		list.options.find((o) => o.label === e.v) ??
		list.options.find((o) => o.label.toLowerCase() === key);
	if (!found) {
		const guess = nearest(
			e.v,
			list.options.map((o) => o.label)
		);
		const all = list.options.filter((o) => !o.retired).map((o) => `“${o.label}”`);
		const shown = all.slice(0, 12).join(', ') + (all.length > 12 ? ' …' : '');
		return s.bad(
			e,
			`${list.label} has no option “${e.v}”.${guess ? ` Did you mean “${guess}”?` : ''} It has ${shown}.`
		);
	}
	const bound: Expr = { k: 'option', list: list.id, option: found.id, at: e.at };
	return constant(s, bound, { t: 'choice', list: list.id }, found.id);
}

/** A day, time, moment or duration behind `@`. */
export function literal(s: Scope, e: Expr & { k: 'at' }): Part {
	const d = LocalDate.parse(e.v);
	if (d) return constant(s, e, T.DATE, d);
	const t = LocalTime.parse(e.v);
	if (t) return constant(s, e, T.TIME, t);
	if (/^\d\d:\d\d[^T]*@/.test(e.v)) return s.bad(e, ZONED_TIME);
	const ym = YearMonth.parse(e.v);
	if (ym) return constant(s, e, T.YEARMONTH, ym);
	const dt = DayTime.parse(e.v);
	if (dt) return constant(s, e, T.DAYTIME, dt);
	const m = Moment.parse(e.v);
	if (m && m.time.offset !== null) return constant(s, e, T.MOMENT, m);
	// a moment in a zone, its own or the workspace's, is read when it runs, where the zones are known
	if (m || /^[^@]+@\w+/.test(e.v))
		return { expr: e, ty: T.MOMENT, run: (env) => Moment.parse(e.v, env.zones, env.zone) };
	return s.bad(
		e,
		`“${e.v}” is no date (2026-11-23), time (09:30:00), date and time or duration (P3D).`
	);
}

/** A certain record; null when there is none of that number. */
export function record(s: Scope, e: Expr & { k: 'record' }): Part {
	if (!s.schema.types.has(e.type)) return s.bad(e, 'This record type is no longer there.');
	return {
		expr: e,
		ty: { t: 'record', type: e.type },
		run: (env) => (env.record(e.type, e.id) ? e.id : null)
	};
}

/** What stands around a rule: now, today, the person, the entry point. */
export function environment(s: Scope, e: Expr & { k: 'env' }): Part {
	s.outside.add(e.name);
	switch (e.name) {
		case 'now':
			return { expr: e, ty: T.MOMENT, run: (env) => env.now };
		case 'today':
			return { expr: e, ty: T.DATE, run: (env) => env.today };
		case 'person': {
			const type = s.schema.model.personType;
			return { expr: e, ty: type ? { t: 'record', type } : T.TEXT, run: (env) => env.person };
		}
		case 'entry point':
			return { expr: e, ty: T.TEXT, run: (env) => env.entryPoint };
	}
}

/** A name of a loop, a parameter or a context; `?` for the value tested. */
export function variable(s: Scope, e: Expr & { k: 'var' }): Part {
	if (e.name === '?') {
		if (!s.o.input) return s.bad(e, '“?” stands for the value tested and is only known in a cell.');
		return { expr: e, ty: s.o.input, run: (env) => env.input };
	}
	for (let i = s.slots.length - 1; i >= 0; i--)
		if (s.slots[i].name === e.name)
			return { expr: e, ty: s.slots[i].ty, run: (env) => env.vars[i] ?? null };
	return s.bad(e, `There is no name “${e.name}” here.`);
}
