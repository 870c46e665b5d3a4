/** JSON from outside, bounded in size and depth. */
import { isText } from '../core';
import { BadInput } from './check';

/** Reads JSON of a request, bounded in size and depth. @throws {BadInput} */
export async function readJson(request: Request, most = 2_000_000): Promise<unknown> {
	return parseJson(await request.text(), 'The body', most);
}

/**
 * JSON from outside, bounded in size and depth.
 * @param what it is, for the message
 * @throws {BadInput}
 */
export function parseJson(text: string, what: string, most = 2_000_000): unknown {
	if (text.length > most)
		throw new BadInput(`${what} may have ${most} characters; this one has ${text.length}.`);
	let depth = 0;
	let inText = false;
	for (let i = 0; i < text.length; i++) {
		const c = text[i];
		if (inText) {
			if (c === '\\') i++;
			else if (c === '"') inText = false;
		} else if (c === '"') inText = true;
		else if (c === '{' || c === '[') {
			if (++depth > 800) throw new BadInput(`${what} is nested more than 800 deep.`);
		} else if (c === '}' || c === ']') depth--;
	}
	let json: unknown;
	try {
		json = JSON.parse(text);
	} catch (e) {
		throw new BadInput(`${what} is no JSON: ${(e as Error).message}`);
	}
	if (/__proto__|\\u/.test(text) && namesPrototype(json))
		throw new BadInput(`${what} has a key “__proto__”; nothing may be called so.`);
	const odd = /\\u(0000|d[89a-f])|\p{Surrogate}/iu.test(text) ? unreadableIn(json, '') : null;
	if (odd !== null)
		throw new BadInput(
			`${what} holds a sign that no text can have (NUL, or half of a pair)${odd && ` at ${odd}`}.`
		);
	return json;
}

/** Where the first text stands that cannot be held, as `records[2].values.name`; null when there is none. */
function unreadableIn(json: unknown, at: string): string | null {
	if (typeof json === 'string') return isText(json) ? null : at;
	if (typeof json !== 'object' || json === null) return null;
	for (const [key, value] of Object.entries(json)) {
		const place = Array.isArray(json) ? `${at}[${key}]` : at ? `${at}.${key}` : key;
		if (!isText(key)) return at;
		const odd = unreadableIn(value, place);
		if (odd !== null) return odd;
	}
	return null;
}

/** Whether any object within has a key that would set its prototype wherever it is copied. */
function namesPrototype(json: unknown): boolean {
	if (typeof json !== 'object' || json === null) return false;
	return Object.hasOwn(json, '__proto__') || Object.values(json).some(namesPrototype);
}
