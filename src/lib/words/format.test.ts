import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { schema } from '../../../tests/world';
import {
	describeField,
	formatCount,
	formatDate,
	formatMoment,
	formatNumber,
	formatValue
} from './format';

const f = (id: string) => schema.field('thing', id)!;
const plain = (s: string) => s.replace(/[\u00a0\u202f]/g, ' ');

describe('values for people', () => {
	it('numbers are grouped and lose no digit', () => {
		fc.assert(
			fc.property(
				fc.bigInt({ min: -(10n ** 24n), max: 10n ** 24n }),
				fc.string({ unit: fc.constantFrom(...'0123456789'), maxLength: 8 }),
				(n, d) => {
					const text = `${n}${d ? `.${d}` : ''}`;
					expect(
						formatNumber(text)
							.replace(/\u202f/g, '')
							.replace('−', '-')
					).toBe(text);
				}
			)
		);
		expect(plain(formatNumber('1234567.5'))).toBe('1 234 567.5');
		expect(formatNumber('9999')).toBe('9999');
		expect(plain(formatCount(10700))).toBe('10 700');
	});

	it('dates and moments are read in the workspace’s zone', () => {
		expect(formatDate('2026-11-23')).toBe('23 Nov 2026');
		expect(formatMoment('2026-11-23T23:30:00.000Z', 'Europe/Amsterdam')).toBe('24 Nov 2026, 00:30');
	});

	it('options show their label, links their title, money its currency, blank nothing', () => {
		expect(formatValue(f('size'), 'small', schema)).toBe('Small');
		expect(formatValue(f('sizes'), ['small', 'large'], schema)).toBe('Small, Large');
		expect(plain(formatValue(f('money'), '12.50', schema))).toBe('12.50 EUR');
		expect(formatValue(f('boss'), '7', schema, { 'thing.7': 'Ida' })).toBe('Ida');
		expect(formatValue(f('boss'), '8', schema)).toBe('No. 8');
		expect(formatValue(f('flag'), false, schema)).toBe('no');
		expect(formatValue(f('t'), null, schema)).toBe('');
	});

	it('fields are described in plain words', () => {
		expect(describeField(f('size'), schema)).toBe('choice · Micro, Small, Medium, Large');
		expect(describeField(f('boss'), schema)).toBe('link to thing');
		expect(describeField(f('yen'), schema)).toBe('amount in JPY');
	});
});
