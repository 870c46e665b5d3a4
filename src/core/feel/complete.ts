/**
 * What an editor offers while a formula is typed: fields by their labels, also across links; options
 * behind a choice; functions with signature, help and example; and what nobody would guess, found by
 * plain words. It reads text that is not finished, so it goes by what stands before the cursor.
 */
import type { Field, Schema } from '../document/model';
import { isKeyword, nameKey, spell } from '../text/names';
import { signature } from './calls';
import { FUNCTIONS, SPECIAL } from './functions';
import { PART_TYPES } from './parts';
import type { Ty } from './types';
import { sayType, typeOfField } from './types';

/** What a text speaks of. */
export interface Surroundings {
	schema: Schema;
	/** Record type whose fields it may read; null for none. */
	type: string | null;
	variables?: readonly { name: string; ty: Ty }[];
	/** Type of what the cell's column tests, where it is a cell. */
	input?: Ty;
}

/** Something that may be put in. */
export interface Completion {
	/** As it is told. */
	label: string;
	/** As it is written. */
	insert: string;
	/** Characters from the end of `insert` at which writing goes on. */
	back?: number;
	what: 'field' | 'related' | 'option' | 'function' | 'definition' | 'word';
	/** Its type or signature. */
	detail: string;
	/** What it is for, with an example. */
	help?: string;
	/** Own field whose value it is, where it is one of the record at hand. */
	field?: string;
}

export interface Completions {
	/** Where what is being typed begins. */
	from: number;
	items: Completion[];
}

/** Words under which people look for what is called otherwise. */
const ALSO: Record<string, string> = {
	'was.': 'before previous old earlier changed from stored',
	'sent.': 'as sent entered typed submitted given',
	changed: 'changes edited different',
	moved: 'changed from goes from to becomes',
	'moved forward': 'advances next stage',
	'moved back': 'returns earlier stage',
	otherwise: 'if blank empty fallback else instead',
	null: 'blank empty nothing missing',
	today: 'date of the change',
	now: 'time moment of the change',
	person: 'who makes the change user',
	'entry point': 'road form import api',
	squeeze: 'trim spaces',
	'upper case': 'capitals',
	'lower case': 'small letters',
	'string length': 'how long characters',
	contains: 'includes has within text',
	'string join': 'join texts together',
	count: 'how many number of',
	sum: 'total add up',
	mean: 'average',
	'list contains': 'includes one of',
	position: 'place in the list order',
	label: 'name of the option text',
	code: 'iso code of the option',
	decimal: 'round places',
	'years and months duration': 'months between',
	if: 'when case condition',
	in: 'one of among between'
};

/** Pieces of the language that are no names. */
const PIECES: Completion[] = [
	{
		label: 'was.',
		insert: 'was.',
		what: 'word',
		detail: 'before the change',
		help: 'Reads a field as it was before the change: was.stage'
	},
	{
		label: 'sent.',
		insert: 'sent.',
		what: 'word',
		detail: 'as it was sent',
		help: 'Reads a field as it was entered or sent, before any rule: sent.name'
	},
	{ label: 'null', insert: 'null', what: 'word', detail: 'blank', help: 'No value: stage = null' },
	{ label: 'true', insert: 'true', what: 'word', detail: 'yes' },
	{ label: 'false', insert: 'false', what: 'word', detail: 'no' },
	{
		label: 'today',
		insert: 'today',
		what: 'word',
		detail: 'a date',
		help: 'The day of the change.'
	},
	{
		label: 'now',
		insert: 'now',
		what: 'word',
		detail: 'a date and time',
		help: 'The moment of the change.'
	},
	{ label: 'person', insert: 'person', what: 'word', detail: 'who makes the change' },
	{ label: 'entry point', insert: 'entry point', what: 'word', detail: 'the road it came by' },
	{
		label: 'if',
		insert: 'if  then  else ',
		back: 12,
		what: 'word',
		detail: 'if … then … else …',
		help: 'One value or another: if flag then 1 else 2'
	},
	{ label: 'and', insert: 'and ', what: 'word', detail: 'both hold' },
	{ label: 'or', insert: 'or ', what: 'word', detail: 'one of both holds' },
	{
		label: 'not',
		insert: 'not()',
		back: 1,
		what: 'word',
		detail: 'not(…)',
		help: 'Turns yes into no.'
	},
	{
		label: 'in',
		insert: 'in ()',
		back: 1,
		what: 'word',
		detail: 'in (…)',
		help: 'One of several, or within a range: headcount in [10..50)'
	},
	{
		label: 'between',
		insert: 'between  and ',
		back: 5,
		what: 'word',
		detail: 'between … and …',
		help: 'Within two limits, both included.'
	}
];

const FUNCTION_ITEMS: Completion[] = [
	...[...FUNCTIONS.values()].map(([d]): Completion => ({
		label: d.name,
		insert: `${d.name}(${d.params.length ? '' : ')'}`,
		what: 'function',
		detail: signature(d),
		help: `${d.help} ${d.example}`
	})),
	...SPECIAL.map((s): Completion => ({
		label: s.name,
		insert: `${s.name}(`,
		what: 'function',
		detail: `${s.name}(${s.params.join(', ')})`,
		help: `${s.help} ${s.example}`
	}))
];

/** What something before the cursor is: a record (or several), or a value. */
type Shape = { record: string } | { ty: Ty };

const fieldShape = (f: Field): Shape =>
	f.type === 'link' ? { record: f.target! } : { ty: typeOfField(f) };

function membersOf(shape: Shape, schema: Schema): Completion[] {
	if (!('record' in shape)) {
		const parts = PART_TYPES.get(shape.ty.t);
		return [...(parts ?? [])].map(([name, ty]) => ({
			label: name,
			insert: name,
			what: 'word',
			detail: sayType(ty, schema)
		}));
	}
	const t = schema.types.get(shape.record);
	if (!t) return [];
	return [
		...t.type.fields
			.filter((f) => !f.retired)
			.map((f): Completion => ({
				label: f.label,
				insert: spell(f.label),
				what: 'field',
				detail: f.unit
					? `${sayType(typeOfField(f), schema)}, ${f.unit}`
					: sayType(typeOfField(f), schema)
			})),
		...t.collections.map((c): Completion => ({
			label: c.label,
			insert: spell(c.label),
			what: 'related',
			detail: `the ${schema.type(c.type).type.plural.toLowerCase()} that point here`
		}))
	];
}

/** The step from a record or value by a name. */
function step(shape: Shape, name: string, schema: Schema): Shape | null {
	const key = nameKey(name);
	if (!('record' in shape)) {
		const ty = PART_TYPES.get(shape.ty.t)?.get(key);
		return ty ? { ty } : null;
	}
	const t = schema.types.get(shape.record);
	const f = t?.type.fields.find((x) => nameKey(x.label) === key);
	if (f) return fieldShape(f);
	const c = t?.collections.find((x) => nameKey(x.label) === key);
	return c ? { record: c.type } : null;
}

/** A name that ends where the cursor is, bare or in quotes, and where it begins. */
function nameBefore(text: string, end: number): { name: string; from: number }[] {
	const out: { name: string; from: number }[] = [];
	if (text[end - 1] === "'") {
		const open = text.lastIndexOf("'", end - 2);
		if (open >= 0) out.push({ name: text.slice(open + 1, end - 1), from: open });
		return out;
	}
	const before = text.slice(0, end);
	// as many words as a label may have, the longest first
	const m = /[\p{L}_][\p{L}\p{M}\p{N}_]*(?:[ \t]+[\p{L}\p{M}\p{N}_]+){0,6}$/u.exec(before);
	if (!m) return out;
	let from = m.index;
	for (const word of m[0].split(/(?<=\s)(?=\S)/)) {
		out.push({ name: before.slice(from), from });
		from += word.length;
	}
	return out;
}

/** What stands before a position, as far as names and dots lead: a record, a value, or nothing known. */
function shapeBefore(text: string, end: number, at: Surroundings): Shape | null {
	const { schema, type } = at;
	const trimmed = text.slice(0, end).trimEnd().length;
	for (const { name, from } of nameBefore(text, trimmed)) {
		const dot = /\.\s*$/.exec(text.slice(0, from));
		if (dot) {
			const owner = shapeBefore(text, dot.index, at);
			const next = owner && step(owner, name, schema);
			if (next) return next;
			continue;
		}
		const key = nameKey(name);
		if (type && (key === 'was' || key === 'sent')) return { record: type };
		if (key === 'person' && schema.model.personType) return { record: schema.model.personType };
		if (key === 'today') return { ty: { t: 'date' } };
		if (key === 'now') return { ty: { t: 'moment' } };
		const v = at.variables?.find((x) => nameKey(x.name) === key);
		if (v) return v.ty.t === 'record' ? { record: v.ty.type } : { ty: v.ty };
		const own = type ? step({ record: type }, name, schema) : null;
		if (own) return own;
	}
	return null;
}

/** The list of options that is meant at a position: behind `Stage =`, `Stage in (`, or within a cell. */
function optionsMeant(text: string, at: number, s: Surroundings): string | null {
	const list = (shape: Shape | null) =>
		shape && 'ty' in shape
			? shape.ty.t === 'choice'
				? shape.ty.list
				: shape.ty.t === 'list' && shape.ty.of.t === 'choice'
					? shape.ty.of.list
					: null
			: null;
	if (s.input) return list({ ty: s.input });
	const before = text.slice(0, at);
	const compared = /(?:!=|=|\bin\s*\(?(?:\s*"[^"]*"\s*,)*)\s*$/.exec(before);
	if (compared) return list(shapeBefore(text, compared.index, s));
	const moved = /\bmoved\s*\(\s*([^(),]+?)\s*(?:,\s*"[^"]*"\s*)?,\s*$/.exec(before);
	if (moved) return list(shapeBefore(moved[1], moved[1].length, s));
	const has = /\blist contains\s*\(\s*([^(),]+?)\s*,\s*$/.exec(before);
	return has ? list(shapeBefore(has[1], has[1].length, s)) : null;
}

const options = (schema: Schema, list: string): Completion[] =>
	(schema.lists.get(list)?.options ?? [])
		.filter((o) => !o.retired)
		.map((o) => ({
			label: o.label,
			insert: JSON.stringify(o.label),
			what: 'option',
			detail: `of ${schema.lists.get(list)!.label}`
		}));

/** The text literal that is open at a position; null when none is. */
function openText(text: string, pos: number): number | null {
	let open: number | null = null;
	for (let i = 0; i < pos; i++) {
		if (text[i] === '\\' && open !== null) i++;
		else if (text[i] === '"') open = open === null ? i : null;
	}
	return open;
}

/** How well something answers what was typed: the lower the better; null for not at all. */
function rank(c: Completion, typed: string): number | null {
	const key = nameKey(typed);
	if (!key) return 0;
	const label = nameKey(c.label);
	if (label.startsWith(key)) return 0;
	if (label.split(/[\s.%-]+/).some((w) => w.startsWith(key))) return 1;
	const also = ALSO[c.label];
	if (also && (also.includes(` ${key}`) || also.startsWith(key))) return 2;
	if (key.length >= 3 && label.includes(key)) return 3;
	const help = c.help?.toLowerCase() ?? '';
	return key.length >= 4 && help.split(/[^\p{L}]+/u).some((w) => w.startsWith(key)) ? 4 : null;
}

const best = (all: readonly Completion[], typed: string): Completion[] =>
	all
		.map((c, i) => ({ c, i, r: rank(c, typed) }))
		.filter((x) => x.r !== null)
		.sort((a, b) => a.r! - b.r! || a.i - b.i)
		.map((x) => x.c);

/** Most that is offered at once. */
const MOST = 60;

/**
 * What may be put in where the cursor stands.
 * @param asked by a key: then all is offered although nothing was typed yet
 */
export function complete(
	text: string,
	pos: number,
	at: Surroundings,
	asked = false
): Completions | null {
	const { schema, type } = at;
	const open = openText(text, pos);
	if (open !== null) {
		const list = optionsMeant(text, open, at);
		if (!list) return null;
		return {
			from: open,
			items: best(options(schema, list), text.slice(open + 1, pos)).slice(0, MOST)
		};
	}
	const partial = /[\p{L}_'][\p{L}\p{M}\p{N}_' ]*$/u.exec(text.slice(0, pos));
	// behind a dot: the members of what stands before it
	const dotted = /\.\s*('?[\p{L}\p{M}\p{N}_ ]*)$/u.exec(text.slice(0, pos));
	if (dotted) {
		const owner = shapeBefore(text, dotted.index, at);
		if (!owner) return null;
		const typed = dotted[1].replace(/^'/, '');
		const from = pos - dotted[1].length;
		return { from, items: best(membersOf(owner, schema), typed).slice(0, MOST) };
	}
	const own = [
		...(type ? membersOf({ record: type }, schema) : []).map((c) =>
			c.what === 'field'
				? { ...c, field: schema.type(type!).type.fields.find((f) => f.label === c.label)?.id }
				: c
		),
		...(at.variables ?? []).map((v): Completion => ({
			label: v.name,
			insert: spell(v.name),
			what: 'field',
			detail: sayType(v.ty, schema)
		})),
		...[...schema.definitions.values()]
			.filter((d) => d.type === null || d.type === type)
			.map((d): Completion => ({
				label: d.name,
				insert: d.params.length ? `${spell(d.name)}(` : spell(d.name),
				what: 'definition',
				detail: d.params.length
					? `${d.name}(${d.params.map((p) => p.name).join(', ')})`
					: 'a definition',
				help: d.why
			})),
		...PIECES,
		...FUNCTION_ITEMS
	];
	const start = partial ? partial.index : pos;
	const list = optionsMeant(text, start, at);
	const here = list ? [...options(schema, list), ...own] : own;
	if (!partial) return asked || list ? { from: pos, items: here.slice(0, MOST) } : null;
	// a label may have several words: the longest that something answers
	for (let from = start; from < pos;) {
		const typed = text.slice(from, pos).replace(/^'/, '');
		const items = typed.trim() ? best(here, typed) : [];
		if (items.length) return { from, items: items.slice(0, MOST) };
		const next = /\s+(?=\S)/.exec(text.slice(from, pos));
		if (!next) break;
		from += next.index + next[0].length;
	}
	return null;
}

/** The function whose brackets the cursor stands in, with what it does; null for none. */
export function helpAt(text: string, pos: number): Completion | null {
	let depth = 0;
	for (let i = pos - 1; i >= 0; i--) {
		const c = text[i];
		if (c === ')' || c === ']' || c === '}') depth++;
		else if (c === '[' || c === '{') depth--;
		else if (c === '(' && depth-- <= 0) {
			depth = 0;
			for (const { name } of nameBefore(text, text.slice(0, i).trimEnd().length)) {
				const f = FUNCTION_ITEMS.find((x) => nameKey(x.label) === nameKey(name));
				if (f) return f;
			}
		}
	}
	return null;
}

/** A stretch of a text, for showing it in colour. */
export interface Token {
	from: number;
	to: number;
	what: 'text' | 'number' | 'name' | 'function' | 'word' | 'comment';
}

const TOKEN =
	/(?<comment>\/\/[^\n]*|\/\*[\s\S]*?(?:\*\/|$))|(?<text>"(?:[^"\\]|\\.)*"?)|(?<quoted>'(?:[^'\\]|\\.)*'?)|(?<number>\d+(?:\.\d+)?)|(?<word>[\p{L}_][\p{L}\p{M}\p{N}_]*)/gu;

/** The stretches of a text that mean something by themselves; white space and signs are left out. */
export function tokens(text: string): Token[] {
	const out: Token[] = [];
	for (const m of text.matchAll(TOKEN)) {
		const [from, to] = [m.index, m.index + m[0].length];
		const g = m.groups!;
		const called = /^\s*\(/.test(text.slice(to, to + 4));
		out.push({
			from,
			to,
			what: g.comment
				? 'comment'
				: g.text
					? 'text'
					: g.number
						? 'number'
						: g.word && isKeyword(g.word)
							? 'word'
							: called && g.word
								? 'function'
								: 'name'
		});
	}
	return out;
}
