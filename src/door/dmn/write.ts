/** Rules and definitions as a DMN file. */
import { DmnModdle, type ModdleElement } from 'dmn-moddle';
import type { DecisionForm, Definition, Rule, RuleSet, Schema } from '../../core';
import { FORMAT, canonicalJson, decisionOf, typeName } from '../../core';
import { HIT_NAMES } from './form';
import { EXTENSION, VERSIONS, type DmnVersion } from './namespaces';
import { readFormula } from '../../core/feel/language';

/** Something that other programs do not find in the file. */
export interface Lost {
	/** The rule or definition. */
	name: string;
	what: string[];
	/** It is not in the file at all. */
	whole: boolean;
}

export interface DmnFile {
	xml: string;
	lost: Lost[];
	/** How many decisions and definitions it holds. */
	holds: number;
}

/** Writes what DMN can say, and tells what it cannot; for this program the rest stands in extension elements. */
export async function toDmn(
	set: RuleSet,
	schema: Schema,
	options: { name: string; version: DmnVersion }
): Promise<DmnFile> {
	const moddle = new DmnModdle({ rigid: EXTENSION });
	const make = (type: string, props: object) => moddle.create(type, props);
	const lost: Lost[] = [];
	const elements: ModdleElement[] = [];
	for (const rule of set.rules) {
		const { form, lost: what } = decisionOf(rule, schema);
		if (what.length) lost.push({ name: rule.name, what, whole: !form });
		if (form) elements.push(decision(make, rule, form));
	}
	for (const d of set.definitions ?? []) elements.push(knowledge(make, d, schema));
	const root = make('dmn:Definitions', {
		id: 'rules',
		name: options.name,
		namespace: 'https://rigid-rule.example/rules',
		exporter: 'Rigid Rule',
		exporterVersion: '1',
		drgElement: elements
	});
	const { xml } = await moddle.toXML(root, { format: true });
	const { model } = VERSIONS[options.version];
	return {
		xml: xml.replaceAll(VERSIONS['1.3'].model, model),
		lost,
		holds: elements.length
	};
}

type Make = (type: string, props: object) => ModdleElement;

const expression = (make: Make, id: string, text: string, typeRef?: string) =>
	make('dmn:LiteralExpression', { id, text, ...(typeRef ? { typeRef } : {}) });

function decision(make: Make, rule: Rule, form: DecisionForm): ModdleElement {
	const id = `decision_${rule.id}`;
	const single = 'table' in form ? form.table.outputs : [];
	return make('dmn:Decision', {
		id,
		name: rule.name,
		...(rule.why ? { description: rule.why } : {}),
		extensionElements: make('dmn:ExtensionElements', {
			values: [make('rigid:Rule', { format: FORMAT, body: canonicalJson(rule) })]
		}),
		variable: make('dmn:InformationItem', {
			id: `variable_${rule.id}`,
			name: single.length === 1 ? single[0].label : rule.name,
			typeRef: 'table' in form ? (single.length === 1 ? single[0].type : 'Any') : form.type
		}),
		decisionLogic:
			'table' in form
				? decisionTable(make, rule, form.table)
				: expression(make, `logic_${rule.id}`, form.text, form.type)
	});
}

function decisionTable(
	make: Make,
	rule: Rule,
	t: Extract<DecisionForm, { table: unknown }>['table']
) {
	const [hitPolicy, aggregation] = HIT_NAMES[t.hit];
	const at = (what: string, ...n: number[]) => [what, rule.id, ...n].join('_');
	return make('dmn:DecisionTable', {
		id: at('table'),
		hitPolicy,
		...(aggregation ? { aggregation } : {}),
		input: t.inputs.map((i, k) =>
			make('dmn:InputClause', {
				id: at('input', k),
				label: i.text,
				inputExpression: expression(make, at('asks', k), i.text, i.type)
			})
		),
		output: t.outputs.map((o, k) =>
			make('dmn:OutputClause', {
				id: at('output', k),
				name: o.label,
				label: o.label,
				typeRef: o.type
			})
		),
		annotation: [make('dmn:RuleAnnotationClause', { name: 'Note' })],
		rule: t.rows.map((r, n) =>
			make('dmn:DecisionRule', {
				id: at('row', n),
				inputEntry: r.when.map((text, k) => make('dmn:UnaryTests', { id: at('when', n, k), text })),
				outputEntry: r.then.map((text, k) => expression(make, at('then', n, k), text)),
				annotationEntry: [make('dmn:RuleAnnotation', { text: r.note ?? '' })]
			})
		)
	});
}

function knowledge(make: Make, d: Definition, schema: Schema): ModdleElement {
	const { text } = readFormula(d.body, { schema, type: d.type });
	return make('dmn:BusinessKnowledgeModel', {
		id: `definition_${d.id}`,
		name: d.name,
		...(d.why ? { description: d.why } : {}),
		extensionElements: make('dmn:ExtensionElements', {
			values: [make('rigid:Definition', { format: FORMAT, body: canonicalJson(d) })]
		}),
		variable: make('dmn:InformationItem', {
			id: `variable_definition_${d.id}`,
			name: d.name,
			typeRef: d.result ? typeName(d.result) : 'Any'
		}),
		encapsulatedLogic: make('dmn:FunctionDefinition', {
			id: `function_${d.id}`,
			formalParameter: d.params.map((p, k) =>
				make('dmn:InformationItem', {
					id: `parameter_${d.id}_${k}`,
					name: p.name,
					typeRef: typeName(p)
				})
			),
			body: expression(make, `logic_definition_${d.id}`, text)
		})
	});
}
