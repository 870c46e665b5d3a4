/**
 * Edits of the model: record types, fields, option lists and forms, each as a new model, with what is
 * wrong in one at the place where it stands, and what an edit takes away for good.
 */
import type { Field, Model, OptionList, RecordType } from '../document/model';
import { FIELD_TYPES, KEY_TYPES, isIdentity } from '../document/model';
import { nameKey } from '../text/names';
import { isKeptName } from '../value/own';
import type { Path } from './edit';

/** Longest name of a record type, field, heading, list or option; in characters. */
export const MAX_NAME = 80;
const MAX_CODE = 20;
const MOST_TYPES = 100;
const MOST_FIELDS = 500;
const MOST_OPTIONS = 2000;

/** What cannot stay as it is, and what would be right. */
export interface ModelFault {
	/** The way to what is wrong, as in an edit: `types`, a record type, `fields`, a field, `label`. */
	path: Path;
	message: string;
}

/**
 * An identity from a name. It never changes again, whatever the name becomes.
 * @param taken whether something has it already
 */
export function identityFor(name: string, taken: (id: string) => boolean): string {
	const base =
		name
			.toLowerCase()
			.normalize('NFD')
			.replace(/[\u0300-\u036f]/g, '')
			.replace(/%/g, 'percent')
			.replace(/[^a-z0-9]+/g, '_')
			.replace(/^[^a-z]+|_$/g, '')
			.slice(0, 34) || 'item';
	const free = (id: string) => !taken(id) && isIdentity(id);
	if (free(base)) return base;
	for (let i = 2; ; i++) if (free(`${base}_${i}`)) return `${base}_${i}`;
}

/** All that a record type's formulas call by name: its fields, and the other sides of links that point to it. */
function namesAt(model: Model, type: string, except: { type: string; field: string }): Set<string> {
	const own = model.types.find((t) => t.id === type)?.fields ?? [];
	const other = (t: string, f: string) => t !== except.type || f !== except.field;
	return new Set(
		[
			...own.filter((f) => other(type, f.id)).map((f) => f.label),
			...model.types.flatMap((t) =>
				t.fields
					.filter((f) => f.type === 'link' && f.target === type && f.inverse && other(t.id, f.id))
					.map((f) => f.inverse!)
			)
		].map(nameKey)
	);
}

/**
 * A free name for the other side of a link: the plural of its record type, then that with the name of
 * the link, then numbered.
 * @param at the record type that has the link, and the link's own name
 */
export function freeOtherSide(
	model: Model,
	target: string,
	at: { type: string; field: string; label: string }
): string {
	const plural = (model.types.find((t) => t.id === at.type)?.plural ?? 'records').toLowerCase();
	const taken = namesAt(model, target, at);
	const by = `${plural} by ${at.label.trim().toLowerCase()}`.slice(0, MAX_NAME - 3);
	for (const name of [plural, ...(at.label.trim() ? [by] : [])])
		if (!taken.has(nameKey(name))) return name;
	for (let i = 2; ; i++) if (!taken.has(nameKey(`${plural} ${i}`))) return `${plural} ${i}`;
}

// ── Edits ────────────────────────────────────────────────────────────────────────────────────────

const onType = (model: Model, id: string, change: (t: RecordType) => RecordType): Model => ({
	...model,
	types: model.types.map((t) => (t.id === id ? change(t) : t))
});
const onList = (model: Model, id: string, change: (l: OptionList) => OptionList): Model => ({
	...model,
	lists: model.lists.map((l) => (l.id === id ? change(l) : l))
});

/** Puts one of a list at a zero-based place; the others keep their order. */
function moved<T extends { id: string }>(all: readonly T[], id: string, to: number): T[] {
	const one = all.find((x) => x.id === id);
	const rest = all.filter((x) => x.id !== id);
	return one ? rest.toSpliced(Math.max(0, Math.min(to, rest.length)), 0, one) : [...all];
}

/** The model with some attributes of a record type otherwise. */
export const withType = (model: Model, id: string, change: Partial<Omit<RecordType, 'id'>>) =>
	onType(model, id, (t) => ({ ...t, ...change }));

/** The model with one more record type, whose only field is a text that names its records. */
export function withNewType(model: Model, label: string, plural: string): [Model, string] {
	const id = identityFor(label, (x) => model.types.some((t) => t.id === x));
	const name: Field = { id: 'name', label: 'Name', group: 'Identity', type: 'text' };
	const type: RecordType = {
		id,
		label,
		plural,
		title: name.id,
		fields: [name],
		short: [name.id],
		columns: [name.id]
	};
	return [{ ...model, types: [...model.types, type] }, id];
}

/** The model without a record type. */
export const withoutType = (model: Model, id: string): Model => ({
	...model,
	types: model.types.filter((t) => t.id !== id)
});

/** The model with a record type at another zero-based place. */
export const withTypeAt = (model: Model, id: string, to: number): Model => ({
	...model,
	types: moved(model.types, id, to)
});

/** The model with one more field, the last under its heading. */
export function withNewField(
	model: Model,
	type: string,
	field: Omit<Field, 'id'>
): [Model, string] {
	const fields = model.types.find((t) => t.id === type)?.fields ?? [];
	const id = identityFor(field.label, (x) => fields.some((f) => f.id === x));
	const last = fields.findLastIndex((f) => f.group === field.group);
	const place = last < 0 ? fields.length : last + 1;
	const made: Field = { ...field, id };
	return [onType(model, type, (t) => ({ ...t, fields: t.fields.toSpliced(place, 0, made) })), id];
}

/**
 * The model with some attributes of a field otherwise; what is `undefined` is taken out. A field that is
 * retired leaves the short form and the list of its record type.
 */
export function withField(
	model: Model,
	type: string,
	id: string,
	change: Partial<Omit<Field, 'id'>>
): Model {
	return onType(model, type, (t) => {
		const fields = t.fields.map((f) => {
			if (f.id !== id) return f;
			const all = Object.entries({ ...f, ...change }).filter(([, v]) => v !== undefined);
			return Object.fromEntries(all) as unknown as Field;
		});
		return change.retired ? { ...offForms(t, id), fields } : { ...t, fields };
	});
}

const offForms = (t: RecordType, id: string): RecordType => ({
	...t,
	short: t.short.filter((x) => x !== id),
	columns: t.columns.filter((x) => x !== id)
});

/** The model without a field, which leaves the forms as well. */
export const withoutField = (model: Model, type: string, id: string): Model =>
	onType(model, type, (t) => ({
		...offForms(t, id),
		fields: t.fields.filter((f) => f.id !== id)
	}));

/** The model with a field at another zero-based place, under the heading that rules there. */
export function withFieldAt(model: Model, type: string, id: string, to: number): Model {
	return onType(model, type, (t) => {
		const fields = moved(t.fields, id, to);
		const at = fields.findIndex((f) => f.id === id);
		if (at < 0) return t;
		// between two of one heading it comes under that; at a border it keeps its own
		const [before, after] = [fields[at - 1]?.group, fields[at + 1]?.group];
		const own = fields[at].group;
		const group = own === before || own === after ? own : (before ?? after ?? own);
		return {
			...t,
			fields: fields.map((f, i) => (i === at && f.group !== group ? { ...f, group } : f))
		};
	});
}

/** What a field becomes when it is to be of another type: what only the old one has is left behind. */
export function asType(field: Field, to: Pick<Field, 'type'> & Partial<Field>): Field {
	const { id, label, group, key, retired } = field;
	return {
		id,
		label,
		group,
		...(key && KEY_TYPES.includes(to.type) ? { key } : {}),
		...(retired ? { retired } : {}),
		...to
	};
}

/** The model with one more option list, still without options. */
export function withNewList(model: Model, label: string): [Model, string] {
	const id = identityFor(label, (x) => model.lists.some((l) => l.id === x));
	return [{ ...model, lists: [...model.lists, { id, label, options: [] }] }, id];
}

/** The model with an option list under another name. */
export const withList = (model: Model, id: string, label: string): Model =>
	onList(model, id, (l) => ({ ...l, label }));

/** The model without an option list. */
export const withoutList = (model: Model, id: string): Model => ({
	...model,
	lists: model.lists.filter((l) => l.id !== id)
});

/** The model with more options at the end of a list; names that it has already are passed over. */
export const withNewOptions = (model: Model, list: string, labels: readonly string[]): Model =>
	onList(model, list, (l) => {
		const options = [...l.options];
		for (const label of labels) {
			if (options.some((o) => nameKey(o.label) === nameKey(label))) continue;
			options.push({ id: identityFor(label, (x) => options.some((o) => o.id === x)), label });
		}
		return { ...l, options };
	});

/** The model with some attributes of an option otherwise; what is `undefined` is taken out. */
export const withOption = (
	model: Model,
	list: string,
	id: string,
	change: { label?: string; code?: string; retired?: boolean }
): Model =>
	onList(model, list, (l) => ({
		...l,
		options: l.options.map((o) => {
			if (o.id !== id) return o;
			const { code, retired, ...rest } = { ...o, ...change };
			return { ...rest, ...(code ? { code } : {}), ...(retired ? { retired } : {}) };
		})
	}));

/** The model with an option at another zero-based place of its list. */
export const withOptionAt = (model: Model, list: string, id: string, to: number): Model =>
	onList(model, list, (l) => ({ ...l, options: moved(l.options, id, to) }));

/** The model without an option. */
export const withoutOption = (model: Model, list: string, id: string): Model =>
	onList(model, list, (l) => ({ ...l, options: l.options.filter((o) => o.id !== id) }));

// ── What is wrong ────────────────────────────────────────────────────────────────────────────────

const CONTROL = /\p{Cc}/u;

/** Everything in a model that cannot stay as it is. */
export function modelFaults(model: Model): ModelFault[] {
	const out: ModelFault[] = [];
	const say = (path: Path, message: string) => out.push({ path, message });
	const named = (path: Path, label: string, what: string) => {
		if (!label.trim()) say(path, `Give ${what} a name.`);
		else if (label.length > MAX_NAME) say(path, `A name may have ${MAX_NAME} characters.`);
		else if (CONTROL.test(label)) say(path, 'A name is one line of text.');
		else if (label !== label.trim()) say(path, 'A name neither begins nor ends with a space.');
	};
	if (model.types.length > MOST_TYPES)
		say(['types'], `A workspace has at most ${MOST_TYPES} record types.`);
	if (!model.types.length) say(['types'], 'A workspace has at least one record type.');
	const seen = new Set<string>();
	for (const t of model.types) {
		const at = ['types', t.id];
		named([...at, 'label'], t.label, 'the record type');
		named([...at, 'plural'], t.plural, 'its records together');
		for (const [attribute, name] of [
			['label', t.label],
			['plural', t.plural]
		] as const) {
			if (attribute === 'plural' && nameKey(t.plural) === nameKey(t.label)) continue;
			if (seen.has(nameKey(name)))
				say([...at, attribute], `There is already something called “${name}”.`);
			seen.add(nameKey(name));
		}
		typeFaults(model, t, say, named);
	}
	const listNames = new Set<string>();
	for (const l of model.lists) {
		const at = ['lists', l.id];
		named([...at, 'label'], l.label, 'the option list');
		if (listNames.has(nameKey(l.label)))
			say([...at, 'label'], `There is already an option list “${l.label}”.`);
		listNames.add(nameKey(l.label));
		listFaults(l, say, named);
	}
	return out;
}

type Say = (path: Path, message: string) => void;
type Named = (path: Path, label: string, what: string) => void;

function listFaults(l: OptionList, say: Say, named: Named) {
	if (l.options.length > MOST_OPTIONS)
		say(['lists', l.id, 'options'], `A list has at most ${MOST_OPTIONS} options.`);
	const names = new Set<string>();
	const codes = new Set<string>();
	for (const o of l.options) {
		const at = ['lists', l.id, 'options', o.id];
		if (!isIdentity(o.id) && !/^[a-z0-9_-]{1,60}$/i.test(o.id))
			say(at, `“${o.id}” cannot be an identity.`);
		if (isKeptName(o.id)) say(at, `“${o.id}” cannot be an identity.`);
		named([...at, 'label'], o.label, 'the option');
		if (names.has(nameKey(o.label)))
			say([...at, 'label'], `${l.label} already has the option “${o.label}”.`);
		names.add(nameKey(o.label));
		if (o.code === undefined) continue;
		if (o.code.length > MAX_CODE || CONTROL.test(o.code))
			say([...at, 'code'], `A code may have ${MAX_CODE} characters.`);
		if (codes.has(o.code)) say([...at, 'code'], `${l.label} already has the code ${o.code}.`);
		codes.add(o.code);
	}
}

function typeFaults(model: Model, t: RecordType, say: Say, named: Named) {
	const at = ['types', t.id];
	if (t.fields.length > MOST_FIELDS)
		say([...at, 'fields'], `A record type has at most ${MOST_FIELDS} fields.`);
	const title = t.fields.find((f) => f.id === t.title);
	if (!title) say([...at, 'title'], `Say which field names ${t.plural.toLowerCase()}.`);
	else if (title.retired)
		say([...at, 'title'], `${title.label} names the record and cannot be retired.`);
	else if (title.type !== 'text')
		say([...at, 'title'], `What names a record is a text; ${title.label} is none.`);
	for (const form of ['short', 'columns'] as const) {
		const unknown = t[form].find((id) => !t.fields.some((f) => f.id === id));
		if (unknown !== undefined) say([...at, form], `There is no field “${unknown}”.`);
		if (new Set(t[form]).size !== t[form].length) say([...at, form], 'A field stands there once.');
	}
	const names = new Set<string>();
	for (const f of t.fields) {
		const here = [...at, 'fields', f.id];
		named([...here, 'label'], f.label, 'the field');
		named([...here, 'group'], f.group, 'the heading');
		if (names.has(nameKey(f.label)))
			say([...here, 'label'], `${t.label} already has a field “${f.label}”.`);
		names.add(nameKey(f.label));
		fieldFaults(model, t, f, (attribute, message) => say([...here, attribute], message));
	}
}

function fieldFaults(
	model: Model,
	t: RecordType,
	f: Field,
	say: (attribute: keyof Field, message: string) => void
) {
	if (!FIELD_TYPES.includes(f.type)) say('type', 'Choose what it is.');
	const choice = f.type === 'choice' || f.type === 'choices';
	if (choice && !model.lists.some((l) => l.id === f.list))
		say('list', 'Choose the option list of this field.');
	if (f.key && !KEY_TYPES.includes(f.type))
		say('key', 'A key is a text, an address, a telephone number or a number.');
	if (f.unique && !f.key) say('unique', 'Only of a key there is one of each.');
	if (f.unit !== undefined && (f.unit.length > MAX_CODE || CONTROL.test(f.unit)))
		say('unit', `A unit may have ${MAX_CODE} characters.`);
	if (f.places !== undefined && !(Number.isInteger(f.places) && f.places >= 0 && f.places <= 20))
		say('places', 'Decimals are a whole number from 0 to 20.');
	if (f.type === 'money') {
		const teller = f.currencyField && t.fields.find((x) => x.id === f.currencyField);
		if (f.currencyField && (!teller || teller.type !== 'choice'))
			say('currencyField', `The currency of an amount is told by a choice of ${t.label}.`);
		if (!f.currencyField && f.currency !== undefined && !/^[A-Z]{3}$/.test(f.currency))
			say('currency', 'A currency is a code of three letters, such as EUR.');
	}
	if (f.type !== 'link') return;
	const target = model.types.find((x) => x.id === f.target);
	if (!target) return say('target', 'Choose the record type that this field links to.');
	if (!f.inverse) return;
	if (f.inverse.length > MAX_NAME || CONTROL.test(f.inverse))
		say('inverse', `A name may have ${MAX_NAME} characters.`);
	if (namesAt(model, target.id, { type: t.id, field: f.id }).has(nameKey(f.inverse)))
		say('inverse', `${target.label} already has something called “${f.inverse}”.`);
}

/** What is wrong in a model and was not in the one before it. */
export function newModelFaults(before: Model, after: Model): ModelFault[] {
	const key = (f: ModelFault) => `${f.path.join(' ')} ${f.message}`;
	const had = new Set(modelFaults(before).map(key));
	return modelFaults(after).filter((f) => !had.has(key(f)));
}

// ── What cannot be taken back ────────────────────────────────────────────────────────────────────

/** What an edit takes away with the values that records hold. */
export type ModelLoss =
	| { what: 'type'; type: string }
	| { what: 'field'; type: string; field: string }
	/** The field's values become those of another type, or of another list, or link elsewhere. */
	| { what: 'values'; type: string; field: string };

/** Whether two fields hold values of one kind, so that what is stored stays as it is. */
export const holdsTheSame = (a: Field, b: Field): boolean =>
	a.type === b.type && a.list === b.list && a.target === b.target;

/** What an edit takes away that no edit brings back. */
export function lossesBetween(before: Model, after: Model): ModelLoss[] {
	const types = new Map(after.types.map((t) => [t.id, t]));
	return before.types.flatMap((t): ModelLoss[] => {
		const now = types.get(t.id);
		if (!now) return [{ what: 'type', type: t.id }];
		if (now === t) return [];
		const fields = new Map(now.fields.map((f) => [f.id, f]));
		return t.fields.flatMap((f): ModelLoss[] => {
			const is = fields.get(f.id);
			if (!is) return [{ what: 'field', type: t.id, field: f.id }];
			return holdsTheSame(f, is) ? [] : [{ what: 'values', type: t.id, field: f.id }];
		});
	});
}

/** What a path of the model leads to, as people know it: `Headcount of Customer`, `“Poland” of Country`. */
export function modelPartName(model: Model, [part, id, inner, thing]: Path): string {
	if (part === 'lists') {
		const list = model.lists.find((l) => l.id === id);
		const option = inner === 'options' ? list?.options.find((o) => o.id === thing) : undefined;
		return option ? `“${option.label}” of ${list!.label}` : `the list ${list?.label ?? id}`;
	}
	const type = model.types.find((t) => t.id === id);
	const field = inner === 'fields' ? type?.fields.find((f) => f.id === thing) : undefined;
	return field ? `${field.label} of ${type!.label}` : (type?.label ?? `the record type ${id}`);
}
