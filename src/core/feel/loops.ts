/** What loops and lists run over, a step at a time. */
import * as n from '../value/num';
import { Num } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { Range, equal, isList } from '../value/value';
import { take } from './budget';
import type { Env, Part } from './env';

/** Each item of a list made into another value. */
export function each(items: readonly Value[], env: Env, make: (v: Value) => Value): Value[] {
	take(env, items.length);
	return items.map(make);
}

export function walk(
	parts: { of: Part; to: Part | null; slot: number }[],
	i: number,
	env: Env,
	size: number,
	body: () => boolean
): boolean | null {
	if (i === parts.length) {
		take(env, size);
		return body();
	}
	const { of, to, slot } = parts[i];
	const first = of.run(env);
	const items =
		to || first instanceof Range
			? counted(first, to ? to.run(env) : null)
			: isList(first)
				? first
				: first === null
					? null
					: [first];
	if (!items) return null;
	for (const item of items) {
		take(env, 1);
		env.vars[slot] = item;
		const go = walk(parts, i + 1, env, size, body);
		if (!go) return go;
	}
	return true;
}

function* countedItems(from: number, to: number): Iterable<Num> {
	const by = from <= to ? 1 : -1;
	for (let i = from; by > 0 ? i <= to : i >= to; i += by) yield n.num(i);
}

function counted(a: Value, b: Value): Iterable<Value> | null {
	if (a instanceof Range) {
		// an open end is not one of them
		const ends = counted(a.lo, a.hi);
		return ends && without(ends, a.loIn ? null : a.lo, a.hiIn ? null : a.hi);
	}
	if (a instanceof LocalDate && b instanceof LocalDate) return days(a.epochDay, b.epochDay);
	const [x, y] = [
		a instanceof Num ? n.toInteger(a) : null,
		b instanceof Num ? n.toInteger(b) : null
	];
	return x === null || y === null ? null : countedItems(x, y);
}

function* without(items: Iterable<Value>, first: Value, last: Value): Iterable<Value> {
	for (const x of items) {
		const end = [first, last].some((e) => e !== null && equal(x, e) === true);
		if (!end) yield x;
	}
}

function* days(from: number, to: number): Iterable<Value> {
	const by = from <= to ? 1 : -1;
	for (let i = from; by > 0 ? i <= to : i >= to; i += by) yield LocalDate.fromEpochDay(i);
}

export function at(items: readonly Value[], position: Value): Value {
	const i = position instanceof Num ? n.toInteger(position) : null;
	if (i === null || i === 0) return null;
	return items[i > 0 ? i - 1 : items.length + i] ?? null;
}
