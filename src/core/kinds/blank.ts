/** What blank input gives, where a kind has its results as constants. */
import type { Field } from '../document/model';
import type { Blank } from '../document/rules';
import type { Spot } from '../spots/cells';
import type { BodyResult, Compiling, Flaw, Given, Look } from './spec';

export function blankResult(blank: Blank, i: number, field: Field, c: Compiling): BodyResult {
	if (blank && 'give' in blank) {
		const value = c.constant(blank.give[i] ?? null, field, 'blank');
		return value === null
			? { got: false, why: 'blank', row: 'blank' }
			: { got: true, value, row: 'blank' };
	}
	return { got: false, why: 'blank', row: 'blank' };
}

/**
 * Nobody said what a blank gives.
 * @param input what is blank; null where it computes
 * @param others what else the record must have
 */
export function blankInput(
	blank: Blank,
	look: Look,
	input: Spot | null,
	others: readonly Given[] = []
): Flaw[] {
	if (blank !== null) return [];
	const witness = look.show(
		input ? [{ spot: input, value: null }, ...others] : [],
		['blank', 'no result', 'left', 'cleared'],
		'what a blank gives'
	);
	// what sets the rule off may have taken the blank away
	if (!witness || (input && look.read(witness, input) !== null)) return [];
	const label = input ? input.field.label.toLowerCase() : 'input';
	return [
		{
			is: 'blank unsaid',
			at: '',
			place: 'blank',
			message: `Nobody said what a blank ${label} gives; now it gives nothing.`,
			witness,
			repair: { do: 'say blank', label: 'Say: blank gives no result' }
		}
	];
}
