import cc from 'currency-codes';
import { Decimal } from 'decimal.js';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { currencyDigits } from '../fields/currency';
import {
	add,
	compareNum,
	div,
	modulo,
	mul,
	num,
	parseNum,
	pow,
	roundTo,
	sub,
	transcend
} from './num';

const D = Decimal.clone({
	precision: 34,
	rounding: Decimal.ROUND_HALF_EVEN,
	toExpNeg: -40,
	toExpPos: 40
});
const p = (s: string) => parseNum(s)!;
const decimals = fc
	.tuple(fc.bigInt({ min: -(10n ** 20n), max: 10n ** 20n }), fc.integer({ min: 0, max: 18 }))
	.map(([n, s]) => {
		const digits = String(n < 0n ? -n : n).padStart(s + 1, '0');
		return (n < 0n ? '-' : '') + (s ? `${digits.slice(0, -s)}.${digits.slice(-s)}` : digits);
	});
const text = (d: Decimal) => d.toString().replace(/^-0$/, '0');

describe('decimals', () => {
	it('adds tenths exactly, unlike doubles', () => {
		expect(String(add(p('0.1'), p('0.2')))).toBe('0.3');
		expect(0.1 + 0.2).not.toBe(0.3);
	});

	// oracle: decimal.js at 34 digits, half-even
	it('agrees with decimal.js on + - * / and order', () => {
		fc.assert(
			fc.property(decimals, decimals, (a, b) => {
				const [x, y, u, v] = [p(a), p(b), new D(a), new D(b)];
				expect(String(add(x, y))).toBe(text(u.plus(v)));
				expect(String(sub(x, y))).toBe(text(u.minus(v)));
				expect(String(mul(x, y))).toBe(text(u.times(v)));
				if (!v.isZero()) expect(String(div(x, y))).toBe(text(u.div(v)));
				expect(Math.sign(compareNum(x, y))).toBe(u.cmp(v));
			}),
			{ numRuns: 800 }
		);
	});

	it('rounds as decimal.js does, in every way', () => {
		const ways = {
			'half even': 6,
			'half up': 4,
			'half down': 5,
			up: 0,
			down: 1,
			floor: 3,
			ceiling: 2
		} as const;
		fc.assert(
			fc.property(decimals, fc.integer({ min: 0, max: 6 }), (a, places) => {
				for (const [how, mode] of Object.entries(ways))
					expect(String(roundTo(p(a), places, how as keyof typeof ways))).toBe(
						text(new D(a).toDecimalPlaces(places, mode))
					);
			}),
			{ numRuns: 300 }
		);
	});

	// DMN 1.5, table 75 and 10.3.4.5 (values from memory)
	it('follows the published examples', () => {
		expect(String(roundTo(p('2.5'), 0))).toBe('2');
		expect(String(roundTo(p('1.5'), 0))).toBe('2');
		expect(String(modulo(num(12), num(5)))).toBe('2');
		expect(String(modulo(num(-12), num(5)))).toBe('3');
		expect(String(modulo(num(12), num(-5)))).toBe('-3');
		expect(String(modulo(num(-12), num(-5)))).toBe('-2');
		expect(String(modulo(p('10.1'), p('4.5')))).toBe('1.1');
		expect(String(modulo(p('-10.1'), p('4.5')))).toBe('3.4');
		expect(String(transcend(num(16), 'sqrt'))).toBe('4');
		expect(String(pow(num(2), num(10)))).toBe('1024');
	});

	it('has 34 digits and no more', () => {
		expect(String(div(num(1), num(3)))).toBe('0.3333333333333333333333333333333333');
		expect(String(parseNum('1234567890123456789012345678901234567'))).toBe(
			'1234567890123456789012345678901235000'
		);
	});

	it('reads what it writes', () => {
		fc.assert(
			fc.property(decimals, (a) => {
				expect(compareNum(p(String(p(a))), p(a))).toBe(0);
			})
		);
	});

	it('says no to what is no number, and ends for any size', () => {
		for (const s of ['', '.', '1e', '--1', '1,5', 'NaN', 'Infinity', '1 000', '0x10'])
			expect(parseNum(s)).toBeNull();
		expect(parseNum('9'.repeat(7000))).toBeNull();
		expect(div(num(1), num(0))).toBeNull();
		expect(pow(num(2), num(1e9))).toBeNull();
	});
});

describe('currencies', () => {
	// ISO 4217 as carried by currency-codes 2.2
	it('have the decimals of ISO 4217', () => {
		const wrong = cc.data.filter(
			(c) =>
				typeof c.digits === 'number' && !/^X/.test(c.code) && currencyDigits(c.code) !== c.digits
		);
		expect(wrong.map((c) => `${c.code} ${c.digits}`)).toEqual([]);
		expect(cc.data.length).toBeGreaterThan(150);
	});
});
