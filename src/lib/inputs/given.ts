/** In which way it is said what something gets. */
import type { CaseGives, Expr, Field, JsonValue, RollupHow, Schema } from '$core';
import { constantOf, fieldOfSubject, rollupOf } from '$core';

export type Way =
	| 'value'
	| 'field'
	| 'before'
	| 'entered'
	| 'today'
	| 'now'
	| 'person'
	| `related ${RollupHow}`
	| 'calculation'
	| 'nothing'
	| 'leave'
	| 'clear';

/** The value that is said by itself: undefined where it computes. One option alone stands for a set of one. */
export function constantIn(e: Expr | null, field: Field): JsonValue | undefined {
	if (!e || e.k === 'hole') return null;
	const v = constantOf(e, field);
	if (v !== undefined || field.type !== 'choices') return v;
	const one = constantOf(e, { ...field, type: 'choice' });
	return typeof one === 'string' ? [one] : undefined;
}

/** @param chosen what was chosen where nothing is said yet */
export function wayOf(
	given: CaseGives,
	field: Field,
	schema: Schema,
	chosen: Way | null = null
): Way {
	if (typeof given === 'string') return given;
	if ('text' in given) return 'calculation';
	const e = given.expr;
	if (e.k === 'hole') return e.v === undefined ? (chosen ?? 'value') : 'calculation';
	const rollup = rollupOf(e, schema);
	if (rollup) return `related ${rollup.how}`;
	if (e.k === 'env' && (e.name === 'today' || e.name === 'now' || e.name === 'person'))
		return e.name;
	if (e.k === 'field' && e.image === 'was') return 'before';
	if (e.k === 'field' && e.image === 'sent') return 'entered';
	if (constantIn(e, field) !== undefined) return 'value';
	return fieldOfSubject(e, schema) ? 'field' : 'calculation';
}
