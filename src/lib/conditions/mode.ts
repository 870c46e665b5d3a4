/** In which way a value is said. */
import type { Expr, Field, Schema } from '$core';
import { constantOf, daysOf, fieldOfSubject } from '$core';

export type OperandMode = 'value' | 'field' | 'calculation';

/** How a value is said; where nothing is said yet, as was asked for. */
export function modeOf(
	exprs: readonly Expr[],
	field: Field,
	schema: Schema,
	asked: OperandMode | undefined
): OperandMode {
	const [x] = exprs;
	if (!x || x.k === 'hole') return asked ?? 'value';
	if (asked === 'calculation') return asked;
	if (constantOf(x, field) !== undefined || daysOf(x) !== null) return 'value';
	return fieldOfSubject(x, schema) || (x.k === 'env' && x.name === 'today')
		? 'field'
		: 'calculation';
}
