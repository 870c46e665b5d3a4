/**
 * Exact decimals to 34 significant digits, rounded half-even (IEEE 754-2008 decimal128, the
 * arithmetic that DMN prescribes for FEEL).
 *
 * Nearly every number in a customer record is a small integer or has two decimals, so a number
 * is kept as a safe integer and a count of decimals; only what does not fit falls back to
 * decimal.js. That is some twenty times faster and gives the same digits.
 */
import { Decimal as BaseDecimal } from 'decimal.js';

const Big = BaseDecimal.clone({
	precision: 34,
	rounding: BaseDecimal.ROUND_HALF_EVEN,
	maxE: 6144,
	minE: -6143,
	toExpNeg: -40,
	toExpPos: 40
});
type Big = InstanceType<typeof Big>;

const MAX_SCALE = 15;
const POW10 = Array.from({ length: MAX_SCALE + 1 }, (_, i) => 10 ** i);

/** How a number is rounded: the names of the FEEL functions that do it. */
export type Rounding = 'half even' | 'half up' | 'half down' | 'up' | 'down' | 'floor' | 'ceiling';

const MODES: Record<Rounding, BaseDecimal.Rounding> = {
	'half even': BaseDecimal.ROUND_HALF_EVEN,
	'half up': BaseDecimal.ROUND_HALF_UP,
	'half down': BaseDecimal.ROUND_HALF_DOWN,
	up: BaseDecimal.ROUND_UP,
	down: BaseDecimal.ROUND_DOWN,
	floor: BaseDecimal.ROUND_FLOOR,
	ceiling: BaseDecimal.ROUND_CEIL
};

/** An immutable exact decimal. Make one with {@link num} or {@link parseNum}. */
export class Num {
	/**
	 * @param coef the digits as a safe integer (0 when `big` is set)
	 * @param scale how many of them stand behind the point, 0 to 15
	 * @param big the same number where coef and scale cannot hold it
	 */
	constructor(
		readonly coef: number,
		readonly scale: number,
		readonly big: Big | null = null
	) {}

	/** The plain decimal text without trailing zeros: `12.5`, `-3`, `0`. */
	toString(): string {
		if (this.big) return this.big.toString();
		let { coef, scale } = this;
		while (scale > 0 && coef % 10 === 0) {
			coef /= 10;
			scale--;
		}
		if (scale === 0) return String(coef === 0 ? 0 : coef);
		const digits = String(Math.abs(coef)).padStart(scale + 1, '0');
		return `${coef < 0 ? '-' : ''}${digits.slice(0, -scale)}.${digits.slice(-scale)}`;
	}

	/** The nearest double, for drawing only. */
	toDouble(): number {
		return this.big ? this.big.toNumber() : this.coef / POW10[this.scale];
	}

	toJSON(): string {
		return this.toString();
	}
}

function widen(a: Num): Big {
	return a.big ?? (a.scale === 0 ? new Big(a.coef) : new Big(a.coef).div(POW10[a.scale]));
}

function narrow(b: Big): Num | null {
	if (!b.isFinite()) return null;
	const places = b.decimalPlaces();
	if (places <= MAX_SCALE && b.e < 15) {
		const coef = places === 0 ? b.toNumber() : b.times(POW10[places]).toNumber();
		if (Number.isSafeInteger(coef)) return new Num(coef === 0 ? 0 : coef, places);
	}
	return new Num(0, 0, b);
}

/** The decimal equal to a safe integer. */
export function num(n: number): Num {
	return Number.isSafeInteger(n) ? new Num(n === 0 ? 0 : n, 0) : narrow(new Big(n))!;
}

/**
 * Reads a decimal number in plain or scientific notation.
 * @returns null when the text is no number, or one out of the range of decimal128
 */
export function parseNum(text: string): Num | null {
	if (text.length > 6200 || !/^[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,5})?$/.test(text))
		return null;
	if (text.length <= 15 && /^-?\d+$/.test(text)) return num(Number(text));
	// plus 0 rounds to the 34 digits of the context
	const read = narrow(new Big(text).plus(0));
	// one too small to be told from 0 is not 0
	return read && !read.big && read.coef === 0 && /[1-9]/.test(text.replace(/[eE].*$/, ''))
		? null
		: read;
}

/** a + b. Null when the result leaves the range of decimal128, as with the others below. */
export function add(a: Num, b: Num): Num | null {
	if (!a.big && !b.big) {
		if (a.scale === b.scale) {
			const c = a.coef + b.coef;
			if (Number.isSafeInteger(c)) return new Num(c, a.scale);
		} else {
			const [lo, hi] = a.scale < b.scale ? [a, b] : [b, a];
			const lifted = lo.coef * POW10[hi.scale - lo.scale];
			const c = lifted + hi.coef;
			if (Number.isSafeInteger(lifted) && Number.isSafeInteger(c)) return new Num(c, hi.scale);
		}
	}
	return narrow(widen(a).plus(widen(b)));
}

export function negate(a: Num): Num {
	return a.big ? new Num(0, 0, a.big.neg()) : new Num(a.coef === 0 ? 0 : -a.coef, a.scale);
}

export function sub(a: Num, b: Num): Num | null {
	return add(a, negate(b));
}

export function mul(a: Num, b: Num): Num | null {
	if (!a.big && !b.big && a.scale + b.scale <= MAX_SCALE) {
		const c = a.coef * b.coef;
		if (Number.isSafeInteger(c)) return new Num(c === 0 ? 0 : c, a.scale + b.scale);
	}
	return narrow(widen(a).times(widen(b)));
}

/** a / b to 34 digits; null when b is 0. */
export function div(a: Num, b: Num): Num | null {
	if (!a.big && !b.big && b.coef !== 0 && a.scale >= b.scale) {
		const q = a.coef / b.coef;
		if (Number.isSafeInteger(q)) return new Num(q === 0 ? 0 : q, a.scale - b.scale);
		// by 100, as with percentages: exact as a shift of the point
		if (b.scale === 0 && b.coef === 100 && a.scale + 2 <= MAX_SCALE)
			return new Num(a.coef, a.scale + 2);
	}
	return narrow(widen(a).div(widen(b)));
}

/** a to the power of b; null where that is no real number. */
export function pow(a: Num, b: Num): Num | null {
	return narrow(widen(a).pow(widen(b)));
}

/** Below, equal or above 0 as a is below, equal to or above b. */
export function compareNum(a: Num, b: Num): number {
	if (!a.big && !b.big) {
		if (a.scale === b.scale) return a.coef - b.coef;
		const ka = a.coef * POW10[Math.max(0, b.scale - a.scale)];
		const kb = b.coef * POW10[Math.max(0, a.scale - b.scale)];
		if (Number.isSafeInteger(ka) && Number.isSafeInteger(kb)) return ka - kb;
	}
	return widen(a).cmp(widen(b));
}

/**
 * Rounds to a number of decimal places (negative ones round to tens, hundreds and so on).
 * @param places from -6111 to 6176; outside it, null
 */
export function roundTo(a: Num, places: number, how: Rounding = 'half even'): Num | null {
	if (!Number.isInteger(places) || places < -6111 || places > 6176) return null;
	if (!a.big && a.scale <= places) return a;
	const x = widen(a);
	// a place beyond the number's own size: decimal.js wants it said as 0 or one unit
	if (places >= 0) return narrow(x.toDecimalPlaces(places, MODES[how]));
	const unit = new Big(10).pow(-places);
	return narrow(x.div(unit).toDecimalPlaces(0, MODES[how]).times(unit));
}

/** The integer as a double, or null when a has decimals or is not a safe integer. */
export function toInteger(a: Num): number | null {
	const n = a.toDouble();
	return Number.isSafeInteger(n) && compareNum(a, num(n)) === 0 ? n : null;
}

/** Whether a number is 0. */
export const isZero = (a: Num): boolean => !a.big && a.coef === 0;

/** Square root, natural logarithm or e to the power of a; null where there is none. */
export function transcend(a: Num, which: 'sqrt' | 'log' | 'exp'): Num | null {
	const x = widen(a);
	if (which === 'sqrt') return x.isNeg() && !x.isZero() ? null : narrow(x.sqrt());
	if (which === 'log') return x.lte(0) ? null : narrow(x.ln());
	return x.abs().gt(20_000) ? null : narrow(x.exp());
}

/** The remainder with the sign of b, as FEEL's `modulo` has it: a - b * floor(a / b). */
export function modulo(a: Num, b: Num): Num | null {
	const q = div(a, b);
	const whole = q && roundTo(q, 0, 'floor');
	const part = whole && mul(b, whole);
	return part && sub(a, part);
}
