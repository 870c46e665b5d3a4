/** Values by which records are found again: the same text on every road, so that it can be stored and indexed. */
import type { Field } from '../document/model';
import type { MatchHow } from '../document/rules';
import { toJson } from './codec';
import type { Value } from '../value/value';
import { isBlank } from '../value/value';
import { looseKey } from '../text/loose';

/** One field of the records searched, and the key it must have. */
export interface MatchKey {
	field: string;
	how: MatchHow;
	key: string;
}

/** What stands behind the last `@` of an e-mail address, in lower case; null without one. */
export function domainOf(address: string): string | null {
	const at = address.lastIndexOf('@');
	const domain = address
		.slice(at + 1)
		.trim()
		.toLowerCase();
	return at < 0 || domain === '' ? null : domain;
}

/** The key of a value, or null when there is nothing to find it by. */
export function matchKey(how: MatchHow, v: Value): string | null {
	if (isBlank(v)) return null;
	if (how === 'exact') return String(toJson(v));
	if (typeof v !== 'string') return null;
	return how === 'domain' ? domainOf(v) : looseKey(v) || null;
}

/** In which ways a field can be matched. */
export function matchHows(field: Field): readonly MatchHow[] {
	switch (field.type) {
		case 'email':
			return ['loose', 'exact', 'domain'];
		case 'text':
		case 'phone':
			return ['loose', 'exact'];
		case 'choices':
			return [];
		default:
			return ['exact'];
	}
}
