/** The place of an option in its list, and two of them compared. */
import type { Expr } from '../../document/tree';
import * as n from '../../value/num';
import type { Part, Run } from '../env';
import type { Ty } from '../types';
import * as T from '../types';
import type { Scope } from './scope';

type PositionCall = Expr & { k: 'call' };
const isPosition = (e: Expr): e is PositionCall =>
	e.k === 'call' && e.fn === 'position' && e.args.length === 1 && !e.names;

/** `position(…)`, with the type of the choice. @param of the choice whose option a text is */
export function placeInList(s: Scope, e: PositionCall, of?: Ty): { part: Part; choice: Ty } {
	const [target] = e.args;
	const a = s.expr(target, of);
	if (a.ty.t !== 'choice')
		return {
			part: s.bad(target, `position() is for a choice; this is ${s.say(a.ty)}.`),
			choice: T.ANY
		};
	const { list } = a.ty;
	const run: Run = (env) => {
		const v = a.run(env);
		const i = typeof v === 'string' ? s.schema.position(list, v) : undefined;
		return i === undefined ? null : n.num(i + 1);
	};
	return { part: { expr: { ...e, args: [a.expr] }, ty: T.NUMBER, run }, choice: a.ty };
}

/**
 * Two places that are compared, where one is that of a text: the text is an option of the other's list.
 * Null where it is not so.
 */
export function placesAlike(s: Scope, a: Expr, b: Expr): [Part, Part] | null {
	if (!isPosition(a) || !isPosition(b)) return null;
	const [ta, tb] = [a.args[0].k === 'text', b.args[0].k === 'text'];
	if (ta === tb) return null;
	const known = placeInList(s, ta ? b : a);
	const other = placeInList(s, ta ? a : b, known.choice).part;
	return ta ? [other, known.part] : [known.part, other];
}
