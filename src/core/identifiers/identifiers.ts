/**
 * Whether a text is a well-formed identifier: its format and its check digits, from well-kept
 * libraries. None of these asks whether the thing identified exists.
 */
import { gtin, luhn } from 'cdigit';
import fastLei from 'fast-lei';
import { isValidIBAN } from 'ibantools';
import * as jsvat from 'jsvat-next';
import { isSupportedCountry, parsePhoneNumberFromString } from 'libphonenumber-js/min';
import isEmailAddress from 'validator/lib/isEmail.js';
import * as postal from 'validator/lib/isPostalCode.js';

/** These packages are CommonJS: Node gives their exports as the default, bundlers by name. */
function exportsOf<T extends object>(module: T): T {
	const inner = (module as { default?: unknown }).default;
	return typeof inner === 'object' && inner !== null ? (inner as T) : module;
}
const { checkVAT, countries } = exportsOf(jsvat);
const { default: isPostal, locales } = exportsOf(postal);
const POSTAL: ReadonlySet<string> = new Set(locales);

/** Longest identifier looked at, in UTF-16 units; longer ones are none. */
const LONGEST = 320;

const compact = (s: string) => (s.length > LONGEST ? '' : s.replace(/[\s.-]/gu, '').toUpperCase());

/** International bank account number (ISO 13616), with or without its spaces. */
export const isIban = (s: string) => isValidIBAN(compact(s));

/** VAT number of an EU or neighbouring country, with its country prefix and check digits. */
export function isVatNumber(s: string, country?: string): boolean {
	const text = compact(s);
	if (text === '') return false;
	const found = checkVAT(text, countries);
	// a Polish number whose check digit would come out as 10 is never given out; the library takes it for 0
	if (/^PL\d{10}$/.test(text) && polishRest(text) === 10) return false;
	return found.isValid && (country === undefined || found.country?.isoCode.short === country);
}

const polishRest = (text: string) =>
	[6, 5, 7, 2, 3, 4, 5, 6, 7].reduce((sum, weight, i) => sum + weight * Number(text[i + 2]), 0) %
	11;

/** Legal entity identifier (ISO 17442): 18 letters and digits, and two check digits by ISO 7064 MOD 97-10. */
export function isLei(s: string): boolean {
	const text = compact(s);
	return /^[0-9A-Z]{18}[0-9]{2}$/.test(text) && fastLei.isValid(text);
}

/** Global trade item number of 8, 12, 13 or 14 digits, with its GS1 check digit. */
export function isGtin(s: string): boolean {
	const text = compact(s);
	return /^(\d{8}|\d{12,14})$/.test(text) && gtin.validate(text);
}

/** Global location number: 13 digits with their GS1 check digit. */
export function isGln(s: string): boolean {
	const text = compact(s);
	return /^\d{13}$/.test(text) && gtin.validate(text);
}

/** Digits whose last is the check digit by ISO/IEC 7812-1 (Luhn). */
export function passesLuhn(s: string): boolean {
	const text = compact(s);
	return /^\d{2,}$/.test(text) && luhn.validate(text);
}

/** A telephone number as ITU-T E.164 writes it, `+` and at most 15 digits, valid in its country's plan. */
export function isE164(s: string): boolean {
	if (!/^\+[1-9]\d{1,14}$/.test(s)) return false;
	return parsePhoneNumberFromString(s)?.isPossible() ?? false;
}

/** A telephone number in E.164, read as one dials it in a country (ISO 3166-1 alpha-2); null when it is none. */
export function toE164(s: string, country: string | null): string | null {
	if (s.length > LONGEST) return null;
	const known = country !== null && isSupportedCountry(country) ? country : undefined;
	const n = parsePhoneNumberFromString(s, known);
	return n?.isPossible() ? n.number : null;
}

/** An e-mail address by the rules of RFC 5321 for what mail systems take. */
export const isEmail = (s: string) => s.length <= LONGEST && isEmailAddress(s.trim());

/** A postal code as its country (ISO 3166-1 alpha-2) writes it; null when the country's form is not known. */
export function isPostalCode(s: string, country: string): boolean | null {
	if (s.length > LONGEST) return false;
	return POSTAL.has(country) ? isPostal(s.trim(), country as 'NL') : null;
}
