/** Functions on texts (DMN 1.5, 10.3.4.3); patterns run in linear time. */
import { properCase, squeeze, wordsIn } from '../../text/clean';
import { RE2JS } from 're2js';
import type { Value } from '../../value/value';
import { isList } from '../../value/value';
import { LimitError, MAX_LIST, MAX_TEXT, heldList, heldText, take } from '../budget';
import type { FnEnv } from './spec';
import { chapter, asText, whole, int, points } from './spec';

/** Patterns read lately. Reading one is paid for in every evaluation all the same, so that what is remembered never decides. */
const readPatterns = new Map<string, RE2JS | null>();
const MOST_PATTERNS = 500;

function readPattern(p: string, flags: string): RE2JS | null {
	const key = `${flags}/${p}`;
	let re = readPatterns.get(key);
	if (re !== undefined) return re;
	let bits = 0;
	for (const f of flags) {
		if (f === 'i') bits |= RE2JS.CASE_INSENSITIVE;
		else if (f === 's') bits |= RE2JS.DOTALL;
		else if (f === 'm') bits |= RE2JS.MULTILINE;
		else return null;
	}
	try {
		re = RE2JS.compile(p, bits);
	} catch {
		re = null;
	}
	if (readPatterns.size >= MOST_PATTERNS) readPatterns.delete(readPatterns.keys().next().value!);
	readPatterns.set(key, re);
	return re;
}

/**
 * A pattern to be put to a text. Patterns are RE2, so their time grows with the text times the
 * pattern, whatever it says; that, and reading it, is what is paid here.
 */
export function pattern(p: Value, flags: Value, text: Value, env: FnEnv): RE2JS | null {
	if (typeof p !== 'string' || p.length > 1000) return null;
	const re = readPattern(p, typeof flags === 'string' ? flags : '');
	if (!re) return null;
	const size = re.programSize();
	env.patterns ??= new Set();
	if (!env.patterns.has(p)) {
		env.patterns.add(p);
		take(env, 500 + 90 * size);
	}
	if (typeof text === 'string') take(env, Math.ceil(text.length * (6 + size / 2)));
	return re;
}
/** A replacement as XPath writes it, in parts: texts, and numbers of groups; null when it is not written so. */
export function replacementParts(by: string, groups: number): (string | number)[] | null {
	const out: (string | number)[] = [];
	let text = '';
	for (let i = 0; i < by.length; i++) {
		const c = by[i];
		if (c === '\\') {
			const next = by[++i];
			if (next !== '\\' && next !== '$') return null;
			text += next;
		} else if (c === '$') {
			const digits = /^\d+/.exec(by.slice(i + 1))?.[0];
			if (!digits) return null;
			// as many digits as name a group there is; at least the first
			let n = digits.length;
			while (n > 1 && Number(digits.slice(0, n)) > groups) n--;
			if (text) out.push(text);
			text = '';
			const group = Number(digits.slice(0, n));
			if (group <= groups) out.push(group);
			i += n;
		} else text += c;
	}
	if (text) out.push(text);
	return out;
}

/** Each match replaced; null when the replacement is not written as XPath has it. @throws {LimitError} */
export function replaced(re: RE2JS, text: string, by: string): string | null {
	const parts = replacementParts(by, re.groupCount());
	if (!parts) return null;
	const m = re.matcher(text);
	let out = '';
	let from = 0;
	while (m.find()) {
		out += text.slice(from, m.start());
		for (const p of parts) out += typeof p === 'string' ? p : (m.group(p) ?? '');
		from = m.end();
		if (out.length > MAX_TEXT) throw new LimitError(`A text may have ${MAX_TEXT} characters.`);
	}
	return heldText(out + text.slice(from));
}

export const TEXTS_CHAPTER = chapter((def) => {
	def(
		'string length(string: text): num',
		'How many characters the text has.',
		'string length("tulip") = 5',
		([s]) => int(points(s as string).length)
	);
	def(
		'substring(string: text, start position: num, [length: num]): text',
		'Part of a text; the first position is 1, negative ones count from the end.',
		'substring("glasshouse", 6) = "house"',
		([s, a, l]) => {
			const p = points(asText(s) ?? '');
			const start = whole(a);
			const len = l === undefined || l === null ? p.length : whole(l);
			if (asText(s) === null || start === null || start === 0 || len === null || len < 0)
				return null;
			const from = start > 0 ? start - 1 : Math.max(0, p.length + start);
			return p.slice(from, from + len).join('');
		},
		{ nulls: true }
	);
	def('upper case(string: text): text', 'In capitals.', 'upper case("ab") = "AB"', ([s]) =>
		(s as string).toUpperCase()
	);
	def('lower case(string: text): text', 'In small letters.', 'lower case("AB") = "ab"', ([s]) =>
		(s as string).toLowerCase()
	);
	def(
		'substring before(string: text, match: text): text',
		'What stands before the first match; empty when there is none.',
		'substring before("given family", " ") = "given"',
		([s, m]) => {
			const i = (s as string).indexOf(m as string);
			return i < 0 ? '' : (s as string).slice(0, i);
		}
	);
	def(
		'substring after(string: text, match: text): text',
		'What stands behind the first match; empty when there is none.',
		'substring after("given family", " ") = "family"',
		([s, m]) => {
			const i = (s as string).indexOf(m as string);
			return i < 0 ? '' : (s as string).slice(i + (m as string).length);
		}
	);
	def(
		'contains(string: text, match: text): bool',
		'Whether the text has the match in it.',
		'contains("glass", "as") = true',
		([s, m]) => (s as string).includes(m as string)
	);
	def(
		'starts with(string: text, match: text): bool',
		'Whether the text begins so.',
		'starts with("NL-3", "NL") = true',
		([s, m]) => (s as string).startsWith(m as string)
	);
	def(
		'ends with(string: text, match: text): bool',
		'Whether the text ends so.',
		'ends with("a.eu", ".eu") = true',
		([s, m]) => (s as string).endsWith(m as string)
	);

	def(
		'matches(input: text, pattern: text, [flags: text]): bool',
		'Whether the pattern is found in the text.',
		'matches("NL-3012", "[A-Z]{2}-\\\\d+") = true',
		([s, p, f], env) => {
			const re = pattern(p, f ?? null, s, env);
			return re && typeof s === 'string' ? re.matcher(s).find() : null;
		},
		{ nulls: true }
	);
	def(
		'replace(input: text, pattern: text, replacement: text, [flags: text]): text',
		'Each match of the pattern replaced.',
		'replace("a  b", " +", " ") = "a b"',
		([s, p, r, f], env) => {
			const re = pattern(p, f ?? null, s, env);
			return re && typeof s === 'string' && typeof r === 'string' ? replaced(re, s, r) : null;
		},
		{ nulls: true }
	);
	def(
		'split(string: text, delimiter: text): texts',
		'The parts between matches of the pattern.',
		'split("a;b", ";") = ["a", "b"]',
		([s, p], env) => {
			const re = pattern(p, null, s, env);
			return re && heldList(re.split(s as string, MAX_LIST + 1));
		}
	);
	def(
		'string join(list: texts, [delimiter: text]): text',
		'The texts put together; blanks are left out.',
		'string join(["a", "b"], ", ") = "a, b"',
		([l, d]) => {
			if (!isList(l)) return null;
			const items = l.filter((x) => x !== null);
			if (!items.every((x): x is string => typeof x === 'string')) return null;
			const between = asText(d) ?? '';
			const length = items.reduce((n, x) => n + x.length + between.length, 0);
			if (length - between.length > MAX_TEXT)
				throw new LimitError(`A text may have ${MAX_TEXT} characters.`);
			return items.join(between);
		},
		{ nulls: true }
	);
	def(
		'trim(string: text): text',
		'Without spaces at either end.',
		'trim(" a ") = "a"',
		([s]) => (s as string).trim(),
		{ ours: true }
	);
	def(
		'squeeze(string: text): text',
		'Without spaces at either end, and inner runs of spaces made one.',
		'squeeze(" a  b ") = "a b"',
		([s]) => squeeze(s as string),
		{ ours: true }
	);
	def(
		'words(string: text): texts',
		'The words of a text: what stands between spaces and has a letter or a digit, without signs at its ends.',
		'words("Roses & Co., North Quay") = ["Roses", "Co", "North", "Quay"]',
		([s]) => wordsIn(s as string),
		{ ours: true }
	);
	def(
		'proper case(string: text): text',
		'Each word with a capital first and small letters after.',
		'proper case("anna DE vries") = "Anna De Vries"',
		([s]) => properCase(s as string),
		{ ours: true }
	);
});
