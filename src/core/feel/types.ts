/** What is known of a value when a formula is compiled. */
import type { Field, Schema } from '../document/model';

export type Ty =
	| { t: 'any' | 'null' | 'boolean' | 'number' | 'text' | 'date' | 'time' | 'moment' }
	| { t: 'daytime' | 'yearmonth' | 'function' }
	| { t: 'choice'; list: string }
	| { t: 'record'; type: string }
	| { t: 'list' | 'range'; of: Ty }
	| { t: 'context'; keys: ReadonlyMap<string, Ty> | null };

export const ANY: Ty = { t: 'any' };
export const NULL: Ty = { t: 'null' };
export const BOOLEAN: Ty = { t: 'boolean' };
export const NUMBER: Ty = { t: 'number' };
export const TEXT: Ty = { t: 'text' };
export const DATE: Ty = { t: 'date' };
export const TIME: Ty = { t: 'time' };
export const MOMENT: Ty = { t: 'moment' };
export const DAYTIME: Ty = { t: 'daytime' };
export const YEARMONTH: Ty = { t: 'yearmonth' };
export const FUNCTION: Ty = { t: 'function' };
export const listOf = (of: Ty): Ty => ({ t: 'list', of });
export const rangeOf = (of: Ty): Ty => ({ t: 'range', of });

/** The type of a field's value in a formula. */
export function typeOfField(f: Pick<Field, 'type' | 'list' | 'target'>): Ty {
	switch (f.type) {
		case 'text':
		case 'email':
		case 'phone':
			return TEXT;
		case 'number':
		case 'money':
		case 'percent':
			return NUMBER;
		case 'yesno':
			return BOOLEAN;
		case 'date':
			return DATE;
		case 'moment':
			return MOMENT;
		case 'choice':
			return { t: 'choice', list: f.list! };
		case 'choices':
			return listOf({ t: 'choice', list: f.list! });
		case 'link':
			return { t: 'record', type: f.target! };
	}
}

/** Whether a value of one type may stand where the other is wanted. Blank and unknown types fit anywhere. */
export function fits(have: Ty, want: Ty): boolean {
	if (have.t === 'any' || want.t === 'any' || have.t === 'null') return true;
	if (have.t !== want.t) return false;
	if (have.t === 'choice') return have.list === (want as typeof have).list;
	if (have.t === 'record') return have.type === (want as typeof have).type;
	if (have.t === 'list' || have.t === 'range') return fits(have.of, (want as typeof have).of);
	return true;
}

/** The type that two branches share, or `any`. */
export function join(a: Ty, b: Ty): Ty {
	if (a.t === 'null') return b;
	if (b.t === 'null') return a;
	return fits(a, b) && fits(b, a) ? a : ANY;
}

/** A type in words, for messages: `a number`, `a choice of Size class`. */
export function sayType(ty: Ty, schema: Schema): string {
	switch (ty.t) {
		case 'any':
			return 'any value';
		case 'null':
			return 'blank';
		case 'boolean':
			return 'yes or no';
		case 'number':
			return 'a number';
		case 'text':
			return 'a text';
		case 'date':
			return 'a date';
		case 'time':
			return 'a time';
		case 'moment':
			return 'a date and time';
		case 'daytime':
			return 'a duration of days or time';
		case 'yearmonth':
			return 'a duration of years and months';
		case 'function':
			return 'a function';
		case 'choice':
			return `a choice of ${schema.lists.get(ty.list)?.label ?? ty.list}`;
		case 'record':
			return `a link to a ${schema.types.get(ty.type)?.type.label.toLowerCase() ?? ty.type}`;
		case 'list':
			return `a list (each ${sayType(ty.of, schema)})`;
		case 'range':
			return 'a range';
		case 'context':
			return 'a context';
	}
}
