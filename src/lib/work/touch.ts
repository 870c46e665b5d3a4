/** What a person touched in a form or a sample, in that order. */
import type { JsonValue } from '$core';

export type Touched = readonly [field: string, value: JsonValue][];

/** Whether two values are one: a set of options has no order. */
export function sameJson(a: JsonValue, b: JsonValue): boolean {
	const plain = (v: JsonValue) => (Array.isArray(v) ? [...v].map(String).sort() : v);
	return JSON.stringify(plain(a)) === JSON.stringify(plain(b));
}

/**
 * Notes that a person gave a field a value. Back to what is stored (A → B → A) is no change, but only
 * where leaving it out gives that value: a rule may have set its mind on another meanwhile.
 * @param gives what the field comes to when only some fields are sent; undefined when that cannot be told
 */
export function touch(
	sent: Touched,
	field: string,
	value: JsonValue,
	stored: JsonValue,
	gives: (sent: Touched) => JsonValue | undefined
): [string, JsonValue][] {
	const rest = sent.filter(([f]) => f !== field);
	if (sameJson(stored, value)) {
		const without = gives(rest);
		if (without !== undefined && sameJson(without, value)) return rest;
	}
	return [...rest, [field, value]];
}
