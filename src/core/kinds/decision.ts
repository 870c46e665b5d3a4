/**
 * What kinds of rules are written as in the DMN standard: decision tables, or one expression (OMG, Decision
 * Model and Notation 1.3, formal/21-02-01, chapters 7 and 8).
 */
import { constantTree } from '../conditions/constants';
import type { JsonValue } from '../document/json';
import type { Field, Schema } from '../document/model';
import type { Blank, Cell, Formula, HitPolicy, Rule } from '../document/rules';
import type { Expr } from '../document/tree';
import { printExpression, printTests } from '../feel/print';
import { readFormula } from '../feel/read-formula';

/** A decision table in texts of FEEL. */
export interface DecisionTableForm {
	inputs: { text: string; type: string }[];
	hit: HitPolicy;
	outputs: { field: string; label: string; type: string }[];
	rows: { when: string[]; then: string[]; note?: string }[];
}

export type DecisionForm = { table: DecisionTableForm } | { text: string; type: string };

/** The FEEL type of a field, by its name in DMN. */
export function typeName(f: Pick<Field, 'type'> | undefined): string {
	switch (f?.type) {
		case 'number':
		case 'money':
		case 'percent':
			return 'number';
		case 'yesno':
			return 'boolean';
		case 'date':
			return 'date';
		case 'moment':
			return 'dateTime';
		case 'text':
		case 'email':
		case 'phone':
		case 'choice':
		case 'link':
			return 'string';
		default:
			return 'Any';
	}
}

/** What a kind is as a decision, and what of its body DMN has no place for; null where it has no form. */
export type AsDecision = { form: DecisionForm; lost: string[] } | null;

/** Writes the parts of one rule in FEEL. */
export class DecisionWords {
	readonly outputs: DecisionTableForm['outputs'];
	private readonly fields: (Field | undefined)[];

	constructor(
		readonly rule: Rule,
		readonly schema: Schema
	) {
		this.fields = rule.outputs.map((o) => schema.field(rule.type, o.field));
		this.outputs = rule.outputs.map((o, i) => ({
			field: o.field,
			label: this.fields[i]?.label ?? o.field,
			type: typeName(this.fields[i])
		}));
	}

	expr(e: Expr): string {
		return printExpression(e, this.schema).text;
	}

	/** The tree of a formula; null where it cannot be read. */
	tree(f: Formula): Expr | null {
		if ('expr' in f) return f.expr;
		return readFormula(f, { schema: this.schema, type: this.rule.type }).compiled?.expr ?? null;
	}

	gives(f: Formula | null): string {
		if (!f) return 'null';
		return 'expr' in f ? this.expr(f.expr) : f.text;
	}

	cell(c: Cell): string {
		return 'text' in c ? c.text : printTests(c.tests, this.schema).text || '-';
	}

	constant(v: JsonValue | undefined, field: Field | undefined): string {
		return v === undefined || v === null || !field ? 'null' : this.expr(constantTree(field, v));
	}

	results(vs: readonly JsonValue[] | null): string[] {
		return this.fields.map((f, i) => this.constant(vs?.[i], f));
	}

	/** The type of what a formula reads as it is. */
	typeOf(f: Formula): string {
		const e = this.tree(f);
		const read = e && (e.k === 'field' || e.k === 'through') ? e : null;
		return typeName(read ? this.schema.field(read.type, read.field) : undefined);
	}
}

/** The row of a table that blank input has, where it gives something. */
export const blankRow = (w: DecisionWords, blank: Blank | undefined) =>
	blank && 'give' in blank ? [{ when: ['null'], then: w.results(blank.give) }] : [];
