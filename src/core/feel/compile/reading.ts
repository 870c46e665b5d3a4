/** Fields, those of linked records, parts of values, and the ways by which records are come to. */
import type { Expr, Image } from '../../document/tree';
import type { Value } from '../../value/value';
import { isList } from '../../value/value';
import { take } from '../budget';
import { each } from '../loops';
import { PART_TYPES, partOf } from '../parts';
import type { Env, Run, Part } from '../env';
import type { Ty } from '../types';
import type { Scope, Way } from './scope';
import * as T from '../types';

/** Most ways by which one expression comes to its records, and most links on one, to be followed backwards. */
const MOST_WAYS = 40;
const LONGEST_WAY = 20;
const LOOSE: readonly Way[] = [{ via: [], many: true, loose: true }];

/** A way as a text, the same for the same way. */
export const wayText = (w: Way) =>
	[w.many, w.param, w.loose, ...w.via.flatMap((v) => [v.type, v.field, v.back])].join('.');
/** Each of what has one key once. */
export const unique = <T>(xs: readonly T[], key: (x: T) => string): T[] => [
	...new Map(xs.map((x) => [key(x), x])).values()
];

const cap = (s: string) => s[0].toUpperCase() + s.slice(1);

/** What gives a field of the record at hand. */
export function reader(image: Image, i: number): Run {
	if (image === 'was') return (env) => env.rec!.was[i];
	if (image === 'sent') return (env) => env.rec!.sent[i];
	return (env) => env.rec!.settled[i];
}

/** Which image a path reads: that of the field it begins with. What was sent is known of the record itself only. */
function imageOf(e: Expr): Image {
	if (e.k === 'field') return e.image === 'was' ? 'was' : 'settled';
	if (e.k === 'through' || e.k === 'filter') return imageOf(e.of);
	if (e.k === 'related') return e.of ? imageOf(e.of) : 'settled';
	return 'settled';
}

/** A field of the record at hand. */
export function field(s: Scope, e: Expr & { k: 'field' }): Part {
	const f = s.schema.field(e.type, e.field);
	const i = s.schema.types.get(e.type)?.at.get(e.field);
	if (!f || i === undefined) return s.bad(e, 'This field is no longer there.');
	if (e.type !== s.o.type) return s.bad(e, `“${f.label}” is a field of another record type.`);
	const image = s.image(e.image);
	s.reads.push({ type: e.type, field: e.field, image, via: [], many: false });
	return { expr: e, ty: T.typeOfField(f), run: reader(image, i) };
}

/** A field of the record, or of each of the records, that a link leads to. */
export function through(s: Scope, e: Expr & { k: 'through' }): Part {
	const of = s.expr(e.of);
	const f = s.schema.field(e.type, e.field);
	const i = s.schema.types.get(e.type)?.at.get(e.field);
	if (!f || i === undefined) return s.bad(e, 'This field is no longer there.');
	const single = of.ty.t === 'list' ? of.ty.of : of.ty;
	if (single.t === 'record' ? single.type !== e.type : single.t !== 'any' && single.t !== 'null')
		return s.bad(e, `“${f.label}” is no field of ${s.say(single)}.`);
	const image = s.image(imageOf(e.of));
	for (const way of ways(s, e.of)) s.reads.push({ type: e.type, field: e.field, image, ...way });
	const one = (env: Env, id: Value): Value => {
		if (typeof id !== 'string') return null;
		const rec = env.record(e.type, id);
		return rec ? rec[image][i] : null;
	};
	const run: Run = (env) => {
		const v = of.run(env);
		return isList(v) ? each(v, env, (id) => one(env, id)) : one(env, v);
	};
	const ty = T.typeOfField(f);
	return { expr: { ...e, of: of.expr }, ty: of.ty.t === 'list' ? T.listOf(ty) : ty, run };
}

/** The records whose link points to one. */
export function related(s: Scope, e: Expr & { k: 'related' }): Part {
	const of = e.of && s.expr(e.of);
	const f = s.schema.field(e.type, e.field);
	if (!f || f.type !== 'link') return s.bad(e, 'This link is no longer there.');
	const single = of?.ty.t === 'list' ? of.ty.of : of?.ty;
	const owner = single ?? T.typeOfField({ type: 'link', target: s.o.type ?? '' });
	if (!T.fits(owner, T.typeOfField(f)))
		return s.bad(e, `“${f.label}” points to no ${s.say(owner).replace(/^a /, '')}.`);
	const image = s.image(e.of ? imageOf(e.of) : 'settled');
	for (const way of ways(s, e)) s.reads.push({ type: e.type, field: e.field, image, ...way });
	const run: Run = (env) => {
		const from = of ? of.run(env) : (env.rec?.id ?? null);
		// those of each of several records make one list: a link points to one record, so none is there twice
		const found = (isList(from) ? from : [from]).flatMap((id) =>
			typeof id === 'string' ? env.related(e.type, e.field, id, image) : []
		);
		take(env, found.length);
		return from === null ? null : found;
	};
	const ty = T.listOf({ t: 'record', type: e.type });
	return { expr: of ? { ...e, of: of.expr } : e, ty, run };
}

/** A part of a value, an entry of a context; of a list those of each. */
export function path(s: Scope, e: Expr & { k: 'path' }): Part {
	const of = s.expr(e.of);
	const name = e.name;
	const known = PART_TYPES.get(of.ty.t)?.get(name);
	const single = of.ty.t === 'list' ? of.ty.of : of.ty;
	let ty: Ty = known ?? T.ANY;
	if (single.t === 'context' && single.keys) {
		const inner = single.keys.get(name);
		if (!inner)
			return s.bad(
				e,
				`There is no entry “${name}”; there are ${[...single.keys.keys()].join(', ')}.`
			);
		ty = of.ty.t === 'list' ? T.listOf(inner) : inner;
	} else if (!known && !['any', 'context', 'list', 'null'].includes(of.ty.t)) {
		const parts = [...(PART_TYPES.get(of.ty.t)?.keys() ?? [])];
		const hint = parts.length ? ` It has ${parts.join(', ')}.` : '';
		return s.bad(e, `${cap(s.say(of.ty))} has no part “${name}”.${hint}`);
	}
	const get = (v: Value): Value => partOf(v, name);
	const run: Run = (env) => {
		const v = of.run(env);
		return isList(v) ? each(v, env, get) : get(v);
	};
	return { expr: { ...e, of: of.expr }, ty, run };
}

/**
 * How an expression comes to the records it gives: one way for each branch it may take. Too many
 * of them, or too long ones, cannot be followed backwards.
 */
export function ways(s: Scope, e: Expr): readonly Way[] {
	let known = s.known.get(e);
	if (!known) {
		known = unique(waysOf(s, e), wayText);
		if (known.length > MOST_WAYS || known.some((w) => w.via.length > LONGEST_WAY)) known = LOOSE;
		s.known.set(e, known);
	}
	return known;
}

function waysOf(s: Scope, e: Expr): readonly Way[] {
	switch (e.k) {
		case 'field':
			return [{ via: [{ type: e.type, field: e.field, back: false }], many: false }];
		case 'filter':
			return ways(s, e.of);
		case 'through':
		case 'related': {
			const back = e.k === 'related';
			const inner = e.of ? ways(s, e.of) : [{ via: [], many: false }];
			return inner.map((w) => ({
				...w,
				via: [...w.via, { type: e.type, field: e.field, back }],
				many: w.many || back
			}));
		}
		case 'if':
			return [...ways(s, e.t), ...ways(s, e.e)];
		case 'list':
			return e.items.flatMap((x) => ways(s, x));
		case 'call':
			return e.args.length ? e.args.flatMap((x) => ways(s, x)) : LOOSE;
		case 'null':
			return [];
		case 'var':
			for (let i = s.slots.length - 1; i >= 0; i--)
				if (s.slots[i].name === e.name) return s.slots[i].ways ?? LOOSE;
			return LOOSE;
		default:
			return LOOSE;
	}
}
