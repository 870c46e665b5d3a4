/** Functions on numbers (DMN 1.5, 10.3.4.5). */
import * as n from '../../value/num';
import { Num } from '../../value/num';
import { DayTime, YearMonth } from '../../value/temporal';
import type { Value } from '../../value/value';
import { chapter, itemOf, whole, int } from './spec';

const ROUNDS = {
	'round half up': 'half up',
	'round half down': 'half down',
	'round up': 'up',
	'round down': 'down'
} as const;
function parity(v: Value, odd: boolean): boolean | null {
	const rest = v instanceof Num ? n.modulo(v, int(2)) : null;
	const one = rest && n.toInteger(rest);
	return one === null || one === undefined ? null : (one === 1) === odd;
}

export const NUMBERS_CHAPTER = chapter((def) => {
	/** FEEL's “half up” and “up” go away from zero, “half down” and “down” towards it. */
	for (const [name, how] of Object.entries(ROUNDS))
		def(
			`${name}(n: num, scale: num): num`,
			'Rounded to a number of decimals.',
			`${name}(5.55, 1)`,
			([v, s]) => {
				const k = whole(s);
				return k === null ? null : n.roundTo(v as Num, k, how);
			}
		);
	def(
		'decimal(n: num, scale: num): num',
		'Rounded to a number of decimals, halves to the even digit.',
		'decimal(2.5, 0) = 2',
		([v, s]) => {
			const k = whole(s);
			return k === null ? null : n.roundTo(v as Num, k);
		}
	);
	for (const how of ['floor', 'ceiling'] as const)
		def(
			`${how}(n: num, [scale: num]): num`,
			how === 'floor' ? 'Rounded down.' : 'Rounded up.',
			`${how}(1.5) = ${how === 'floor' ? 1 : 2}`,
			([v, s]) => {
				const k = s === undefined ? 0 : whole(s);
				return k === null || !(v instanceof Num) ? null : n.roundTo(v, k, how);
			},
			{ nulls: true }
		);
	def(
		'abs(n: any): any',
		'Without its sign; of a number or a duration.',
		'abs(-10) = 10',
		([v]) => {
			if (v instanceof Num) return n.compareNum(v, int(0)) < 0 ? n.negate(v) : v;
			if (v instanceof DayTime) return new DayTime(Math.abs(v.ms));
			return v instanceof YearMonth ? new YearMonth(Math.abs(v.months)) : null;
		},
		{ gives: itemOf }
	);
	def(
		'modulo(dividend: num, divisor: num): num',
		'The rest of a division, with the sign of the divisor.',
		'modulo(-12, 5) = 3',
		([a, b]) => n.modulo(a as Num, b as Num)
	);
	for (const which of ['sqrt', 'log', 'exp'] as const)
		def(
			`${which}(number: num): num`,
			{ sqrt: 'Square root.', log: 'Natural logarithm.', exp: 'e to the power of the number.' }[
				which
			],
			`${which}(16)`,
			([v]) => n.transcend(v as Num, which),
			{ cost: which === 'sqrt' ? 500 : 2500 }
		);
	def('odd(number: num): bool', 'Whether it is an odd whole number.', 'odd(5) = true', ([v]) =>
		parity(v, true)
	);
	def('even(number: num): bool', 'Whether it is an even whole number.', 'even(2) = true', ([v]) =>
		parity(v, false)
	);
});
