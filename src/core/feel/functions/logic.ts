/** Yes and no: functions on truths (DMN 1.5, 10.3.4.2). */
import type { Value } from '../../value/value';
import { equal, isBlank, isList } from '../../value/value';
import { join } from '../types';
import { chapter } from './spec';

function three(list: Value, decides: boolean): boolean | null {
	const items = isList(list) ? list : [list];
	if (items.includes(decides)) return decides;
	return items.every((x) => x === !decides) ? !decides : null;
}

export const LOGIC_CHAPTER = chapter((def) => {
	def(
		'not(negand: bool): bool',
		'The opposite; unknown stays unknown.',
		'not(false) = true',
		([b]) => (typeof b === 'boolean' ? !b : null)
	);
	def(
		'all(list: bools): bool',
		'Whether every item is true; false decides, blank leaves it unknown.',
		'all([true, false]) = false',
		([l]) => three(l, false)
	);
	def(
		'any(list: bools): bool',
		'Whether an item is true; true decides, blank leaves it unknown.',
		'any([false, true]) = true',
		([l]) => three(l, true)
	);
	def(
		'is(value1: any, value2: any): bool',
		'Whether both are the same value of the same kind.',
		'is(1, 1) = true',
		([a, b]) => a === b || (a !== null && equal(a, b) === true),
		{ nulls: true }
	);
	def(
		'is blank(value: any): bool',
		'Whether nothing is there: null, text of spaces only, an empty list.',
		'is blank("  ") = true',
		([v]) => isBlank(v),
		{ nulls: true, ours: true }
	);
	def(
		'otherwise(value: any, instead: any): any',
		'The value, or the other one where it is blank.',
		'otherwise(null, 0) = 0',
		([v, d]) => (isBlank(v) ? d : v),
		{ nulls: true, ours: true, oneType: true, gives: ([v, d]) => join(v, d) }
	);
});
