/** What a DMN file holds, read into rules and definitions; what cannot be taken in is told with its place. */
import { DmnModdle, type ModdleElement } from 'dmn-moddle';
import type {
	DecisionForm,
	DecisionTableForm,
	Definition,
	Field,
	DecisionRow,
	Formula,
	HitPolicy,
	Rule,
	Schema
} from '../../core';
import {
	HIT_POLICIES,
	MAX_DECISION_INPUTS,
	MAX_DECISION_ROWS,
	decisionOf,
	upgraded
} from '../../core';
import { bare, compileTests, parseTests, readFormula, typeOfField } from '../../core/feel/language';
import { BadInput, checkDefinition, checkRule } from '../index';
import { HIT_NAMES } from './form';
import { EXTENSION, VERSIONS } from './namespaces';

/** Most characters of a file, and how deep its elements may lie in each other. */
export const MAX_DMN = 4_000_000;
const MAX_DEPTH = 60;
/** Most of what the reader of the format found odd that is told. */
const MOST_WARNINGS = 50;

/** Something of the file that was not taken in, or not as it stands. */
export interface Told {
	/** The decision or definition, and the place in it. */
	place: string;
	message: string;
}

export interface TakenIn {
	rules: Rule[];
	definitions: Definition[];
	told: Told[];
}

/**
 * Reads a file of DMN 1.3 to 1.5.
 * @param type the record type whose fields a decision of another program speaks of
 * @throws {BadInput} when it is no such file, too long, too deep or has a document type
 */
export async function fromDmn(xml: string, schema: Schema, type: string): Promise<TakenIn> {
	guard(xml);
	const plain = Object.values(VERSIONS).reduce(
		(x, v) => x.replaceAll(v.model, VERSIONS['1.3'].model),
		xml
	);
	const moddle = new DmnModdle({ rigid: EXTENSION });
	let root: ModdleElement;
	let warnings: { message: string }[];
	try {
		({ rootElement: root, warnings } = await moddle.fromXML(plain, 'dmn:Definitions'));
	} catch (e) {
		throw new BadInput(`This is no DMN 1.3, 1.4 or 1.5 file: ${(e as Error).message}`);
	}
	const told: Told[] = warnings
		.slice(0, MOST_WARNINGS)
		.map((w) => ({ place: 'the file', message: w.message.replace(/\s+/g, ' ').slice(0, 300) }));
	const out: TakenIn = { rules: [], definitions: [], told };
	for (const e of list(root.drgElement)) {
		const name = String(e.name ?? e.id ?? '?').slice(0, 200);
		const tell = (message: string, at = '') =>
			told.push({ place: at ? `${name}, ${at}` : name, message });
		try {
			if (e.$type === 'dmn:Decision') {
				const rule = readDecision(e, name, schema, type, tell);
				if (rule) out.rules.push(rule);
			} else if (e.$type === 'dmn:BusinessKnowledgeModel') {
				const d = readKnowledge(e, name, schema, tell);
				if (d) out.definitions.push(d);
			} else if (e.$type !== 'dmn:InputData')
				tell(`A ${e.$type.replace('dmn:', '')} has no place here and was passed over.`);
		} catch (x) {
			if (!(x instanceof BadInput)) throw x;
			tell(x.message);
		}
	}
	return out;
}

/** Refuses what would take long to read before it is read. @throws {BadInput} */
function guard(xml: string): void {
	if (xml.length > MAX_DMN)
		throw new BadInput(`A file may have ${MAX_DMN} characters; this has ${xml.length}.`);
	if (/<!(DOCTYPE|ENTITY)/i.test(xml))
		throw new BadInput(
			'The file declares a document type or entities; a DMN file has none. Take these lines out.'
		);
	let depth = 0;
	for (const m of xml.matchAll(/<(\/?)[A-Za-z_][^<>]*?(\/?)>/g)) {
		if (m[1]) depth--;
		else if (!m[2] && ++depth > MAX_DEPTH)
			throw new BadInput(`Its elements lie more than ${MAX_DEPTH} deep in each other.`);
	}
}

const list = (x: unknown): ModdleElement[] => (Array.isArray(x) ? (x as ModdleElement[]) : []);
const textOf = (e: unknown): string => {
	const text = (e as { text?: unknown } | undefined)?.text;
	return typeof text === 'string' ? text.trim() : '';
};

type Tell = (message: string, at?: string) => void;

/** What stands in our own element; null where there is none, or it cannot be read. */
function whole<T>(
	e: ModdleElement,
	kind: 'rule' | 'definition',
	check: (v: unknown) => T,
	tell: Tell
): T | null {
	const values = list((e.extensionElements as ModdleElement | undefined)?.values);
	const own = values.find((v) => v.$type === (kind === 'rule' ? 'rigid:Rule' : 'rigid:Definition'));
	if (!own || typeof own.body !== 'string') return null;
	try {
		const json: unknown = JSON.parse(own.body);
		return check(upgraded(kind, json as never, Number(own.format ?? 1)));
	} catch (x) {
		tell(
			`What this program added to it cannot be read (${(x as Error).message}); the rest of it counts.`
		);
		return null;
	}
}

function readDecision(
	e: ModdleElement,
	name: string,
	schema: Schema,
	type: string,
	tell: Tell
): Rule | null {
	const kept = whole(e, 'rule', checkRule, tell);
	const form = readForm(e, tell);
	if (!form) return null;
	if (kept) {
		const had = decisionOf(kept, schema).form;
		if (had && same(had, form)) return kept;
		if (had) tell('It was edited elsewhere: its table counts, the rest is as it was here.');
	}
	const at = kept?.type ?? type;
	const labels =
		'table' in form ? form.table.outputs.map((o) => o.label) : [nameOfVariable(e) ?? name];
	const outputs = labels.map((label, i) => {
		const field = kept?.outputs[i]?.field ?? fieldCalled(schema, at, label);
		if (!field)
			throw new BadInput(
				`${schema.type(at).type.label} has no field called “${label}”, which it decides. Name the output after a field.`
			);
		return (
			kept?.outputs[i] ?? { id: `o${i + 1}`, field, hold: 'follow' as const, none: 'next' as const }
		);
	});
	const body =
		'table' in form
			? tableBody(
					form.table,
					schema,
					at,
					outputs.map((o) => o.field),
					tell
				)
			: {
					kind: 'formula' as const,
					formulas: [formulaOf(form.text, schema, at, outputs[0].field, tell, 'its expression')],
					blank: { none: true as const }
				};
	return {
		id: `dmn_${String(e.id ?? name)
			.replace(/[^a-z0-9_-]+/gi, '_')
			.slice(0, 50)}`,
		type: at,
		kind: body.kind === 'table' ? 'categorize' : 'derive',
		why: typeof e.description === 'string' ? e.description.slice(0, 500) : '',
		moments: ['created', 'changed', 'request'],
		entryPoints: null,
		watch: null,
		entering: false,
		guard: null,
		...kept,
		name,
		outputs,
		body
	};
}

const nameOfVariable = (e: ModdleElement) => {
	const name = (e.variable as ModdleElement | undefined)?.name;
	return typeof name === 'string' ? name : null;
};

const fieldCalled = (schema: Schema, type: string, label: string): string | undefined =>
	schema
		.type(type)
		.type.fields.find((f) => !f.retired && f.label.toLowerCase() === label.trim().toLowerCase())
		?.id;

/** The logic of a decision as texts; null where there is none that is known here, which is told. */
function readForm(e: ModdleElement, tell: Tell): DecisionForm | null {
	const logic = e.decisionLogic as ModdleElement | undefined;
	if (logic?.$type === 'dmn:LiteralExpression')
		return { text: textOf(logic), type: String(logic.typeRef ?? 'Any') };
	if (logic?.$type !== 'dmn:DecisionTable') {
		tell(
			logic
				? `Its logic is a ${logic.$type.replace('dmn:', '')}; tables and expressions are taken in.`
				: 'It has no logic.'
		);
		return null;
	}
	const asked = [String(logic.hitPolicy ?? 'UNIQUE'), logic.aggregation].filter(Boolean).join(' ');
	const hit = HIT_POLICIES.find((h: HitPolicy) => HIT_NAMES[h].join(' ') === asked);
	if (!hit)
		throw new BadInput(
			`Its hit policy is “${asked}”; known are ${Object.values(HIT_NAMES)
				.map((n) => n.join(' '))
				.join(', ')}.`
		);
	const [inputs, outputs, rules] = [list(logic.input), list(logic.output), list(logic.rule)];
	if (inputs.length > MAX_DECISION_INPUTS || rules.length > MAX_DECISION_ROWS)
		throw new BadInput(
			`A table may have ${MAX_DECISION_INPUTS} inputs and ${MAX_DECISION_ROWS} rows; this has ${inputs.length} and ${rules.length}.`
		);
	if (!outputs.length) throw new BadInput('Its table has no output.');
	const table: DecisionTableForm = {
		hit,
		inputs: inputs.map((i) => ({
			text: textOf(i.inputExpression),
			type: String((i.inputExpression as ModdleElement | undefined)?.typeRef ?? 'Any')
		})),
		outputs: outputs.map((o) => ({
			field: '',
			label: String(o.name ?? o.label ?? nameOfVariable(e) ?? e.name ?? ''),
			type: String(o.typeRef ?? 'Any')
		})),
		rows: rules.map((r, n) => {
			const [when, then] = [list(r.inputEntry), list(r.outputEntry)];
			if (when.length !== inputs.length || then.length !== outputs.length)
				throw new BadInput(
					`Row ${n + 1} has ${when.length} tests and ${then.length} results; the table has ${inputs.length} and ${outputs.length}.`
				);
			const note = textOf(list(r.annotationEntry)[0]);
			return {
				when: when.map((x) => textOf(x) || '-'),
				then: then.map((x) => textOf(x) || 'null'),
				...(note ? { note } : {})
			};
		})
	};
	return { table };
}

/** Whether two forms say the same; the fields of outputs are told by their labels. */
function same(a: DecisionForm, b: DecisionForm): boolean {
	if ('table' in a && 'table' in b) {
		const plain = ({ hit, inputs, outputs, rows }: DecisionTableForm) =>
			JSON.stringify([
				hit,
				inputs.map((i) => i.text),
				outputs.map((o) => o.label),
				rows.map((r) => [r.when, r.then, r.note ?? ''])
			]);
		return plain(a.table) === plain(b.table);
	}
	return 'text' in a && 'text' in b && a.text === b.text;
}

function formulaOf(
	text: string,
	schema: Schema,
	type: string,
	field: string | null,
	tell: Tell,
	at: string
): Formula {
	const f = field === null ? undefined : schema.field(type, field);
	const r = readFormula({ text }, { schema, type, ...(f ? { expected: typeOfField(f) } : {}) });
	if (r.compiled && !r.faults.length) return { expr: bare(r.compiled.expr) };
	tell(r.faults[0]?.message ?? 'It cannot be read.', at);
	return { text };
}

function tableBody(
	t: DecisionTableForm,
	schema: Schema,
	type: string,
	fields: string[],
	tell: Tell
): Extract<Rule['body'], { kind: 'table' }> {
	const inputs = t.inputs.map((i, k) =>
		formulaOf(i.text, schema, type, null, tell, `input ${k + 1}`)
	);
	const types = inputs.map((f) => readFormula(f, { schema, type }).compiled?.ty);
	return {
		kind: 'table',
		hit: t.hit,
		inputs,
		rows: t.rows.map((r, n): DecisionRow => ({
			id: `row${n + 1}`,
			when: r.when.map((text, k) => {
				try {
					const input = types[k];
					if (!input) return { text };
					const read = compileTests(parseTests(text, { schema, type }), { schema, type, input });
					if (!read.faults.length) return { tests: bare(read.tests) };
					tell(read.faults[0].message, `row ${n + 1}, test ${k + 1}`);
				} catch (x) {
					tell((x as Error).message, `row ${n + 1}, test ${k + 1}`);
				}
				return { text };
			}),
			then: r.then.map((text, k) =>
				text === 'null'
					? null
					: formulaOf(text, schema, type, fields[k], tell, `row ${n + 1}, result ${k + 1}`)
			),
			...(r.note ? { note: r.note } : {})
		}))
	};
}

const TYPES: Record<string, Pick<Field, 'type'>> = {
	number: { type: 'number' },
	boolean: { type: 'yesno' },
	date: { type: 'date' },
	dateTime: { type: 'moment' },
	string: { type: 'text' }
};

function readKnowledge(
	e: ModdleElement,
	name: string,
	schema: Schema,
	tell: Tell
): Definition | null {
	const kept = whole(e, 'definition', checkDefinition, tell);
	const logic = e.encapsulatedLogic as ModdleElement | undefined;
	const text = textOf(logic?.body);
	if (kept && readFormula(kept.body, { schema, type: kept.type }).text === text) return kept;
	if (!text) {
		tell('It has no expression.');
		return null;
	}
	if (kept) tell('It was edited elsewhere: its expression counts, the rest is as it was here.');
	const params = list(logic?.formalParameter).map((p) => {
		const ty = TYPES[String(p.typeRef ?? '')];
		if (!ty)
			tell(
				`Its parameter ${String(p.name)} is of the type ${String(p.typeRef ?? 'none')}; it is taken for a text.`
			);
		return { name: String(p.name ?? ''), ...(ty ?? TYPES.string) };
	});
	return {
		id: `dmn_${String(e.id ?? name)
			.replace(/[^a-z0-9_-]+/gi, '_')
			.slice(0, 50)}`,
		why: typeof e.description === 'string' ? e.description.slice(0, 500) : '',
		type: null,
		result: null,
		params,
		...kept,
		name,
		body: { text }
	};
}
