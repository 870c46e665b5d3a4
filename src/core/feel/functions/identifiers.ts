/** Identifiers of business with their check digits: ours. */
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
} from '../../identifiers/identifiers';
import { chapter, asText } from './spec';

const IDENTIFIERS: [name: string, help: string, example: string, test: (s: string) => boolean][] = [
	[
		'is iban',
		'Whether it is a bank account number (ISO 13616) with right check digits.',
		'is iban("GB82 WEST 1234 5698 7654 32") = true',
		isIban
	],
	[
		'is lei',
		'Whether it is a legal entity identifier (ISO 17442) with right check digits.',
		'is lei("529900QUILLMERE00020") = true',
		isLei
	],
	[
		'is gtin',
		'Whether it is an article number of GS1 (8, 12, 13 or 14 digits) with its right check digit.',
		'is gtin("6291041500213") = true',
		isGtin
	],
	[
		'is gln',
		'Whether it is a location number of GS1 (13 digits) with its right check digit.',
		'is gln("6291041500214") = false',
		isGln
	],
	[
		'passes luhn',
		'Whether the last digit is right by the Luhn formula.',
		'passes luhn("79927398713") = true',
		passesLuhn
	],
	[
		'is e164',
		'Whether it is a telephone number as ITU-T E.164 writes it.',
		'is e164("+31201234567") = true',
		isE164
	],
	['is email', 'Whether it is an e-mail address.', 'is email("a@b") = false', isEmail]
];

export const IDENTIFIERS_CHAPTER = chapter((def) => {
	for (const [name, help, example, test] of IDENTIFIERS)
		def(`${name}(text: text): bool`, help, example, ([s]) => test(s as string), { ours: true });
	def(
		'is vat number(text: text, [country: text]): bool',
		'Whether it is a VAT number with its country prefix and right check digits, of the country (ISO 3166 code) if one is given.',
		'is vat number("NL123456789B01") = false',
		([s, c]) => (typeof s === 'string' ? isVatNumber(s, asText(c ?? null) ?? undefined) : null),
		{ nulls: true, ours: true }
	);
	def(
		'is postal code(text: text, country: text): bool',
		'Whether it is a postal code as the country (ISO 3166 code) writes it; unknown for countries whose form is not known.',
		'is postal code("1012 AB", "NL") = true',
		([s, c]) => isPostalCode(s as string, c as string),
		{ ours: true }
	);
	def(
		'phone number(text: text, [country: text]): text',
		'The telephone number in E.164, read as one dials it in the country (ISO 3166 code); blank when it is none.',
		'phone number("020 123 4567", "NL") = "+31201234567"',
		([s, c]) => (typeof s === 'string' ? toE164(s, asText(c ?? null)) : null),
		{ nulls: true, ours: true }
	);
});
