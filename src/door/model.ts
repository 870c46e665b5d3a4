/** The model of a workspace as it comes in with a release: every name it uses must be there. */
import * as yup from 'yup';
import type { Model } from '../core';
import { FIELD_TYPES, isIdentity, isKeptName } from '../core';
import { list, only, text, word } from './parts';

const identity = () =>
	yup
		.string()
		.strict()
		.required()
		.test(
			'identity',
			'${path} must be an identity: lower-case letters, digits and _, at most 40, no name that every object has',
			(v) => v != null && isIdentity(v)
		);
/** An option's identity may begin with a digit, as codes do. */
const option = () =>
	yup
		.string()
		.strict()
		.required()
		.matches(/^[a-z0-9_-]{1,60}$/i, '${path} may hold letters, digits, _ and -')
		.test('kept', '${path} is a name that every object has', (v) => !isKeptName(v));

const field = only({
	id: identity(),
	label: text(120),
	group: text(120),
	type: word(FIELD_TYPES),
	key: yup.boolean(),
	unique: yup.boolean(),
	list: yup.string().strict().max(60),
	target: yup.string().strict().max(60),
	whenDeleted: yup.string().oneOf(['refuse', 'blank']),
	inverse: yup.string().strict().max(120),
	currency: yup
		.string()
		.strict()
		.matches(/^[A-Z]{3}$/, '${path} must be an ISO 4217 code'),
	currencyField: yup.string().strict().max(60),
	unit: yup.string().strict().max(20),
	places: yup.number().strict().integer().min(0).max(20),
	retired: yup.boolean()
});

const model = only({
	types: list(
		only({
			id: identity(),
			label: text(120),
			plural: text(120),
			title: text(60),
			fields: list(field, 500),
			short: list(text(60), 500),
			columns: list(text(60), 500)
		}),
		100
	),
	lists: list(
		only({
			id: identity(),
			label: text(120),
			options: list(
				only({
					id: option(),
					label: text(200),
					code: yup.string().strict().max(60),
					retired: yup.boolean()
				}),
				2000
			)
		}),
		500
	),
	zone: text(60).required(),
	personType: yup.string().strict().max(60)
}).required('${path} is missing');

/** The zone is one that this machine knows. */
function knowsZone(zone: string): boolean {
	try {
		new Intl.DateTimeFormat('en', { timeZone: zone });
		return true;
	} catch {
		return false;
	}
}

const twice = (ids: readonly string[]) => ids.find((id, i) => ids.indexOf(id) !== i);

/** What a model names and does not have, by its place; null when all is there. */
function missing({ types, lists, zone, personType }: Model): string | null {
	const known = new Set(types.map((t) => t.id));
	const two = twice(types.map((t) => t.id)) ?? twice(lists.map((l) => l.id));
	if (two) return `two record types or lists have the identity “${two}”`;
	if (!knowsZone(zone)) return `zone: “${zone}” is no IANA time zone`;
	if (personType !== undefined && !known.has(personType))
		return `personType: there is no record type “${personType}”`;
	for (const [i, l] of lists.entries()) {
		const same = twice(l.options.map((o) => o.id));
		if (same) return `lists[${i}]: two options have the identity “${same}”`;
	}
	for (const [i, t] of types.entries()) {
		const has = new Map(t.fields.map((f) => [f.id, f]));
		const at = `types[${i}]`;
		const same = twice(t.fields.map((f) => f.id));
		if (same) return `${at}: two fields have the identity “${same}”`;
		for (const id of [t.title, ...t.short, ...t.columns])
			if (!has.has(id)) return `${at}: there is no field “${id}”`;
		for (const [k, f] of t.fields.entries()) {
			const where = `${at}.fields[${k}]`;
			const choice = f.type === 'choice' || f.type === 'choices';
			if (choice && !lists.some((l) => l.id === f.list))
				return `${where}.list: there is no list “${f.list ?? ''}”`;
			if (f.type === 'link' && !known.has(f.target ?? ''))
				return `${where}.target: there is no record type “${f.target ?? ''}”`;
			if (f.currencyField !== undefined && has.get(f.currencyField)?.type !== 'choice')
				return `${where}.currencyField: there is no choice “${f.currencyField}”`;
		}
	}
	return null;
}

/** What is wrong in the shape of a model, by its place; null when nothing is. */
export function modelShapeFault(v: unknown): string | null {
	try {
		model.validateSync(v, { strict: true });
	} catch (e) {
		return (e as Error).message;
	}
	return null;
}

/**
 * A model, with all that it names.
 * @returns what is wrong, by its place; null when nothing is
 */
export const modelFault = (v: unknown): string | null => modelShapeFault(v) ?? missing(v as Model);
