/** What a field can be, in words, and what has to be said of each. */
import type { Field, FieldType, Model } from '$core';

/** In the order in which they are asked for. */
export const KINDS: readonly { value: FieldType; label: string }[] = [
	{ value: 'text', label: 'text' },
	{ value: 'number', label: 'number' },
	{ value: 'money', label: 'amount' },
	{ value: 'percent', label: 'percentage' },
	{ value: 'date', label: 'date' },
	{ value: 'moment', label: 'date and time' },
	{ value: 'yesno', label: 'yes or no' },
	{ value: 'choice', label: 'choice' },
	{ value: 'choices', label: 'multi-choice' },
	{ value: 'link', label: 'link' },
	{ value: 'email', label: 'e-mail address' },
	{ value: 'phone', label: 'telephone number' }
];

/** What is said of a field besides its name and heading. */
export type Nature = Pick<Field, 'type'> &
	Partial<
		Pick<Field, 'list' | 'target' | 'inverse' | 'currency' | 'currencyField' | 'unit' | 'places'>
	>;

/** A field of a type, with what it cannot be without. */
export function natureOf(type: FieldType, model: Model): Nature {
	if (type === 'choice' || type === 'choices') return { type, list: model.lists[0]?.id };
	if (type === 'link') return { type, target: model.types[0]?.id };
	if (type === 'money') return { type, currency: 'EUR' };
	return { type };
}
