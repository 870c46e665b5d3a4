/** What speaks of a part of the model: whoever retires or removes that sees it first. */
import type { Field, FieldRef, RecordType, Schema } from '../document/model';
import { refKey } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { walk } from '../document/walk';
import { compileDefinition } from '../feel/compile';
import { sheetOf } from '../kinds';
import { flowOf, type FlowRule } from '../plan/flow';
import { compilePlan } from '../plan/plan';
import type { Trial } from '../trials/trials';
import { namedIn } from '../trials/words';
import { inTrees } from './formulas';

/** A part of the model. */
export type ModelPart =
	| { is: 'type'; type: string }
	| { is: 'field'; type: string; field: string }
	| { is: 'list'; list: string }
	| { is: 'option'; list: string; option: string };

/** Something that speaks of a part of the model. */
export interface Speaker {
	kind: 'rule' | 'definition' | 'table' | 'trial' | 'form' | 'field' | 'workspace';
	/** Its identity; of a field its key, of a form the record type. */
	id: string;
	name: string;
	/** Where it is found: of a rule its record type and the field at whose sheet it stands. */
	at?: FieldRef;
	/** How it speaks of it, for people: `writes it`. */
	how: string;
}

/** Everything in the draft, its trials and the model that speaks of a part of the model, rules first. */
export function speakersOf(
	schema: Schema,
	stored: RuleSet,
	trials: readonly Trial[],
	part: ModelPart
): Speaker[] {
	const set = inTrees(stored, schema);
	const flow = flowOf(compilePlan(schema, set), set);
	const mine = new Set(
		part.is === 'list' || part.is === 'option' ? keysWith(schema, part.list) : []
	);
	return [
		...flow.flatMap((f) => ruleSpeaks(f, part, mine)),
		...definitionsSpeak(schema, part),
		...tablesSpeak(schema, part),
		...trials.flatMap((t) => trialSpeaks(schema, t, part)),
		...modelSpeaks(schema, part)
	];
}

/** Keys of the fields that have a list. */
const keysWith = (schema: Schema, list: string): string[] =>
	schema.model.types.flatMap((t) =>
		t.fields.filter((f) => f.list === list).map((f) => refKey(t.id, f.id))
	);

const said = (rule: Rule, how: string): Speaker => ({
	kind: 'rule',
	id: rule.id,
	name: rule.name,
	at: { type: rule.type, field: sheetOf(rule) },
	how
});

function ruleSpeaks(f: FlowRule, part: ModelPart, mine: ReadonlySet<string>): Speaker[] {
	const { rule, reads, writes, does } = f;
	const touches = (r: FieldRef) => mine.has(refKey(r.type, r.field));
	switch (part.is) {
		case 'type': {
			if (rule.type === part.type) return [said(rule, 'is a rule of it')];
			return reads.some((r) => r.type === part.type) ? [said(rule, 'reads its records')] : [];
		}
		case 'field': {
			const is = (r: FieldRef) => r.type === part.type && r.field === part.field;
			const doing = does === 'judges' ? 'judges it' : 'writes it';
			const hows = [...(writes.some(is) ? [doing] : []), ...(reads.some(is) ? ['reads it'] : [])];
			return hows.length ? [said(rule, hows.join(' and '))] : [];
		}
		case 'list':
			return [];
		case 'option': {
			const held = () =>
				[...reads, ...writes].some(touches) && holds([rule.guard, rule.body], part.option);
			return namesOption([rule.guard, rule.body], part) || held()
				? [said(rule, 'speaks of it')]
				: [];
		}
	}
}

/** Whether a tree names an option. */
function namesOption(doc: unknown, part: { list: string; option: string }): boolean {
	let found = false;
	walk(doc, (e) => {
		if (e.k === 'option' && e.list === part.list && e.option === part.option) found = true;
		return !found;
	});
	return found;
}

/** Whether a text stands anywhere in a document, as a key or as a value. */
function holds(doc: unknown, text: string): boolean {
	if (doc === text) return true;
	if (typeof doc !== 'object' || doc === null) return false;
	if (Array.isArray(doc)) return doc.some((x) => holds(x, text));
	return Object.entries(doc).some(([k, x]) => k === text || holds(x, text));
}

function definitionsSpeak(schema: Schema, part: ModelPart): Speaker[] {
	return [...schema.definitions.values()].flatMap((d): Speaker[] => {
		const say = (how: string): Speaker[] => [{ kind: 'definition', id: d.id, name: d.name, how }];
		const types = [...d.params, ...(d.result ? [d.result] : [])];
		if (part.is === 'type') {
			if (d.type === part.type) return say('reads its records');
			return types.some((p) => p.target === part.type) ? say('takes or gives one of them') : [];
		}
		if (part.is === 'list')
			return types.some((p) => p.list === part.list) ? say('takes or gives one of them') : [];
		const { expr } = compileDefinition(d, schema);
		if (part.is === 'option') return namesOption(expr, part) ? say('speaks of it') : [];
		let reads = false;
		walk(expr, (e) => {
			if (e.k === 'field' || e.k === 'through' || e.k === 'related')
				if (e.type === part.type && e.field === part.field) reads = true;
			return !reads;
		});
		return reads ? say('reads it') : [];
	});
}

function tablesSpeak(schema: Schema, part: ModelPart): Speaker[] {
	return [...schema.tables.values()].flatMap((t): Speaker[] => {
		const say = (how: string): Speaker[] => [{ kind: 'table', id: t.id, name: t.label, how }];
		if (part.is === 'field') return [];
		const columns = t.columns.flatMap((c, i) =>
			(part.is === 'type' ? c.target === part.type : c.list === part.list) ? [i] : []
		);
		if (!columns.length) return [];
		if (part.is !== 'option') return say('has a column of it');
		const rows = t.rows.filter((r) => columns.some((c) => holds(r[c], part.option))).length;
		return rows ? say(`has it in ${rows} row${rows > 1 ? 's' : ''}`) : [];
	});
}

function trialSpeaks(schema: Schema, t: Trial, part: ModelPart): Speaker[] {
	const speaks = namedIn(t).some(({ type, field, value }) => {
		if (part.is === 'type') return type === part.type;
		if (part.is === 'field') return type === part.type && field === part.field;
		return (
			part.is === 'option' &&
			schema.field(type, field)?.list === part.list &&
			holds(value, part.option)
		);
	});
	const own = part.is === 'type' && t.type === part.type;
	return speaks || own ? [{ kind: 'trial', id: t.id, name: t.name, how: 'tries it' }] : [];
}

function modelSpeaks(schema: Schema, part: ModelPart): Speaker[] {
	const { types, personType } = schema.model;
	const fields = (says: (f: Field, t: RecordType) => string | null): Speaker[] =>
		types.flatMap((t) =>
			t.fields.flatMap((f): Speaker[] => {
				const how = says(f, t);
				const name = `${f.label} of ${t.label}`;
				const at = { type: t.id, field: f.id };
				return how ? [{ kind: 'field', id: refKey(t.id, f.id), name, at, how }] : [];
			})
		);
	if (part.is === 'list') return fields((f) => (f.list === part.list ? 'takes its options' : null));
	if (part.is === 'option') return [];
	if (part.is === 'type') {
		const people: Speaker = {
			kind: 'workspace',
			id: part.type,
			name: 'The people who sign in',
			how: 'are records of it'
		};
		return [
			...fields((f, t) => (f.target === part.type && t.id !== part.type ? 'links to it' : null)),
			...(personType === part.type ? [people] : [])
		];
	}
	const t = schema.types.get(part.type)?.type;
	if (!t) return [];
	const form = (how: string): Speaker => ({ kind: 'form', id: t.id, name: t.label, how });
	return [
		...fields((f, of) =>
			of.id === t.id && f.currencyField === part.field ? 'has its currency from it' : null
		),
		...(t.title === part.field ? [form('takes its name from it')] : []),
		...(t.short.includes(part.field) ? [form('has it on the short form')] : []),
		...(t.columns.includes(part.field) ? [form('has it as a column of its list')] : [])
	];
}
