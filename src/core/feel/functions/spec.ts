/** What a function is, how one is defined, and what their chapters share. */
import * as n from '../../value/num';
import { Num } from '../../value/num';
import type { ZoneClock } from '../../value/temporal';
import type { Value } from '../../value/value';
import { isList } from '../../value/value';
import type { Budget } from '../budget';
import { Interrupt, LimitError, heldList, heldText, take, takeFor } from '../budget';
import type { Ty } from '../types';
import {
	ANY,
	BOOLEAN,
	DATE,
	DAYTIME,
	FUNCTION,
	MOMENT,
	NUMBER,
	TEXT,
	TIME,
	YEARMONTH,
	listOf
} from '../types';

/** What a function may ask of its surroundings. */
export interface FnEnv extends Budget {
	zone: string;
	zones: ZoneClock;
	/** Patterns that this evaluation has read already; each is paid for once. */
	patterns?: Set<string> | null;
}

/** One way to call a function. */
export interface FnDef {
	name: string;
	params: { name: string; ty: Ty; optional?: boolean }[];
	/** The last parameter may be repeated, or given as one list. */
	rest?: boolean;
	/** Called with nulls too; else a null argument gives null. */
	nulls?: boolean;
	ret: Ty;
	call: (args: Value[], env: FnEnv) => Value;
	help: string;
	example: string;
	ours?: boolean;
	/** Steps that it takes beside looking at its arguments. */
	cost?: number;
	/** What it gives for arguments of some types, where that is more than `ret` tells. */
	gives?: (args: readonly Ty[], expected?: Ty) => Ty | undefined;
	/** Both its arguments are of one type: a text beside a choice is an option. */
	oneType?: boolean;
	/** One list given for repeated arguments is one of them, and does not stand for its items. */
	whole?: boolean;
	/** Writes its argument as people read it: options by their labels. */
	labels?: boolean;
}

/** Reads `name(param: type, [optional: type], rest...: type): type`. */
const TYPES: Record<string, Ty> = {
	any: ANY,
	bool: BOOLEAN,
	num: NUMBER,
	text: TEXT,
	date: DATE,
	time: TIME,
	moment: MOMENT,
	daytime: DAYTIME,
	yearmonth: YEARMONTH,
	fn: FUNCTION,
	list: listOf(ANY),
	nums: listOf(NUMBER),
	texts: listOf(TEXT),
	bools: listOf(BOOLEAN),
	dates: listOf(DATE)
};

/** Puts a function into its chapter. */
export type Define = (
	signature: string,
	help: string,
	example: string,
	call: FnDef['call'],
	flags?: Partial<Omit<FnDef, 'name' | 'params' | 'call'>>
) => void;

/** A chapter of functions: what `write` defines, in that order. */
export function chapter(write: (def: Define) => void): readonly FnDef[] {
	const defs: FnDef[] = [];
	write((signature, help, example, call, flags = {}) => {
		const m = /^([^(]+)\((.*)\): (\w+)$/.exec(signature)!;
		const parts = m[2] ? m[2].split(', ') : [];
		const rest = parts.some((p) => p.includes('...'));
		const params = parts.map((p) => {
			const [, open, name, ty] = /^(\[?)([^:.]+)(?:\.\.\.)?: (\w+)\]?$/.exec(p)!;
			return { name, ty: TYPES[ty], ...(open ? { optional: true } : {}) };
		});
		defs.push({ name: m[1], params, rest, ret: TYPES[m[3]], call, help, example, ...flags });
	});
	return defs;
}

/** It gives what its list holds. */
export const itemOf: FnDef['gives'] = ([first]) => (first?.t === 'list' ? first.of : first);
/** It gives a list of the same kind as its first argument. */
export const likeList: FnDef['gives'] = ([first]) => (first?.t === 'list' ? first : undefined);
/** The same, where a list of some kind is wanted. */
export const likeListWanted: FnDef['gives'] = ([first], want) =>
	want?.t === 'list' && first?.t === 'list' ? first : undefined;

export const asText = (v: Value) => (typeof v === 'string' ? v : null);
export const whole = (v: Value) => (v instanceof Num ? n.toInteger(v) : null);
export const int = (x: number) => n.num(x);
/** Texts count in code points, as the standard says. */
export const points = (s: string) => Array.from(s);

export function numbers(list: Value): Num[] | null {
	if (!isList(list)) return null;
	const out = list.filter((x) => x !== null);
	return out.every((x) => x instanceof Num) ? (out as Num[]) : null;
}

/**
 * Calls a function with arguments that fit it. What it looks at is paid for, and what it makes is
 * no longer than texts and lists may be. Whatever goes wrong within fails the formula, and that alone.
 * @throws {Interrupt}
 */
export function callFunction(d: FnDef, args: Value[], env: FnEnv): Value {
	take(env, d.cost ?? 1);
	for (const a of args) if (a !== undefined) takeFor(env, a);
	let v: Value;
	try {
		v = d.call(args, env);
	} catch (e) {
		if (e instanceof Interrupt) throw e;
		throw new LimitError(`${d.name}() cannot be worked out for this.`);
	}
	if (typeof v === 'string') return heldText(v);
	return Array.isArray(v) ? heldList(v as Value[]) : v;
}
