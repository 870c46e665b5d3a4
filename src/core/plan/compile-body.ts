/** Compiles what a rule gives: one closure for each output, with what it reads. */
import type { Compiled, Env, Read } from '../feel/compile';
import { compileExpression } from '../feel/compile';
import { compileTemplate } from '../feel/template';
import type { Expr, Fault } from '../feel/tree';
import type { Ty } from '../feel/types';
import { ANY, TEXT, fits, sayType, typeOfField } from '../feel/types';
import type { JsonValue } from '../model/codec';
import { fromJson } from '../model/codec';
import type { Field, Schema } from '../model/model';
import type { Blank, Body, Formula, LookupBody, MatchBody, MatchHow, Rule } from '../model/rules';
import type { CompiledDecision } from '../tables/decision';
import { compileDecision } from '../tables/decision';
import type { TableIndex } from '../tables/reference';
import { indexTable } from '../tables/reference';
import { joinPieces } from '../text/compose';
import type { MatchKey } from '../text/match';
import { matchHows, matchKey } from '../text/match';
import { splitText } from '../text/split';
import type { Num } from '../value/num';
import type { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank, isList, order } from '../value/value';
import { bandOf } from './bands';
import { readFormula } from './read-formula';
import type { BodyResult, Claim, Place, TableTrace } from './types';

/** What one output of a body runs and reads. */
export interface CompiledBody extends Pick<Compiled, 'reads' | 'events' | 'outside'> {
	run: Claim['run'];
	/** How the rows of a decision table fared. */
	trace?: (env: Env) => TableTrace;
}

export class BodyCompiler {
	private decision: CompiledDecision | null = null;
	private fields: readonly (Field | undefined)[] = [];

	/** @param before reads settled values as they were before the change */
	constructor(
		private readonly schema: Schema,
		private readonly rule: Rule,
		private readonly problem: (place: Place, message: string, span?: Fault) => void,
		private readonly before = false
	) {}

	/** Compiles what the outputs share. */
	prepare(fields: readonly (Field | undefined)[]) {
		const { body, type } = this.rule;
		this.fields = fields;
		if (body.kind !== 'table' || fields.some((f) => !f)) return;
		const scope = { schema: this.schema, type, before: this.before };
		this.decision = compileDecision(body, fields as Field[], scope);
		for (const f of this.decision.faults)
			this.problem(
				f.at.what === 'table'
					? 'input'
					: f.at.what === 'input'
						? `input ${f.at.input}`
						: `${f.at.what} ${f.at.row} ${f.at.column}`,
				f.message,
				f
			);
	}

	private formula(f: Formula, place: Place, expected?: Ty): Compiled | null {
		const { schema, before, rule } = this;
		const r = readFormula(f, { schema, type: rule.type, expected, before });
		for (const fault of r.faults) this.problem(place, fault.message, fault);
		return r.faults.length ? null : r.compiled;
	}

	private compose(body: Body & { kind: 'compose' }, i: number, field: Field): CompiledBody | null {
		const template = body.texts[i];
		if (!template?.length) {
			this.problem(`text ${i}`, `Write the text that ${field.label} becomes.`);
			return null;
		}
		if (!fits(TEXT, typeOfField(field))) {
			this.problem('outputs', `A composed text cannot stand in ${field.label}.`);
			return null;
		}
		const { schema, before, rule } = this;
		const c = compileTemplate(template, { schema, type: rule.type, before });
		for (const f of c.faults) this.problem(`text ${i}`, f.message, f);
		const { blanks } = body;
		const run: Claim['run'] = (env) => {
			let pieces = c.pieces(env);
			const missing = pieces.some((p) => 'value' in p && isBlank(p.value));
			if (missing && blanks === 'no result') return { got: false, why: 'null' };
			if (typeof blanks === 'object')
				pieces = pieces.map((p) =>
					'value' in p && isBlank(p.value) ? { value: blanks.write } : p
				);
			else pieces = pieces.map((p) => ('value' in p && isBlank(p.value) ? { value: null } : p));
			const value = joinPieces(pieces);
			return value === null ? { got: false, why: 'null' } : { got: true, value };
		};
		return { ...c, run };
	}

	private split(body: Body & { kind: 'split' }, i: number, field: Field): CompiledBody | null {
		const input = this.formula(body.input, 'input', TEXT);
		if (!input) return null;
		if (!fits(TEXT, typeOfField(field))) {
			this.problem('outputs', `A part of a text cannot stand in ${field.label}.`);
			return null;
		}
		const count = this.fields.length;
		if (body.at !== 'each' && count !== 2)
			this.problem('outputs', 'Parting a text at one place gives two fields; there must be two.');
		if (body.alone < 0 || body.alone >= count)
			this.problem('outputs', 'Say which field a text of one part goes to.');
		const run: Claim['run'] = (env) => {
			const v = input.run(env);
			if (isBlank(v) || typeof v !== 'string') return { got: false, why: 'blank' };
			const value = splitText(v, body, count)[i];
			return value === null ? { got: false, why: 'null' } : { got: true, value };
		};
		return { ...input, run };
	}

	private decide(i: number): CompiledBody | null {
		const table = this.decision;
		if (!table || table.faults.length) return null;
		const run: Claim['run'] = (env) => {
			const h = table.run(i, env);
			const row = h.rows.length > 1 ? h.rows.map((r) => r + 1).join(', ') : h.rows[0];
			return h.got ? { got: true, value: h.value, row } : { got: false, why: h.why, row };
		};
		return { ...table, run, trace: (env) => table.trace(env) };
	}

	private lookUp(body: LookupBody, i: number, field: Field): CompiledBody | null {
		const table = this.schema.tables.get(body.table);
		if (!table) {
			this.problem('input', 'Choose the table to look up in.');
			return null;
		}
		const index = indexTable(table, this.schema);
		if (index.faults.length) {
			this.problem('input', `The table ${table.label} has a fault: ${index.faults[0].message}`);
			return null;
		}
		const column = table.columns.findIndex((c) => c.id === body.columns[i]);
		if (column < 0) {
			this.problem(`column ${i}`, `Choose the column of ${table.label} for ${field.label}.`);
			return null;
		}
		const have = typeOfField(table.columns[column]);
		const want = typeOfField(field);
		if (!fits(have, want) && !(want.t === 'list' && fits(have, want.of))) {
			const [a, b] = [sayType(have, this.schema), sayType(want, this.schema)];
			this.problem(
				`column ${i}`,
				`${table.columns[column].label} is ${a}; ${field.label} is ${b}.`
			);
			return null;
		}
		return this.lookUpRun(body, index, column, want);
	}

	private lookUpRun(
		body: LookupBody,
		index: TableIndex,
		column: number,
		want: Ty
	): CompiledBody | null {
		const keys = index.inputs.map((ty, k) =>
			this.formula(body.keys[k] ?? { text: '' }, `key ${k}`, ty)
		);
		if (keys.some((k) => !k)) return null;
		const all = keys as Compiled[];
		const run: Claim['run'] = (env) => {
			const values = all.map((k) => k.run(env));
			if (values.some(isBlank)) return { got: false, why: 'blank' };
			const rows = index.find(values);
			if (!rows.length) return { got: false, why: 'no row' };
			if (rows.length > 1 && body.several === 'no result')
				return {
					got: false,
					why: 'several',
					row: rows
						.map((r) => r + 1)
						.slice(0, 10)
						.join(', ')
				};
			const value = index.value(rows[0], column);
			if (value === null) return { got: false, why: 'null', row: rows[0] };
			return {
				got: true,
				value: want.t === 'list' && !isList(value) ? [value] : value,
				row: rows[0]
			};
		};
		return {
			run,
			reads: all.flatMap((k) => k.reads),
			events: all.flatMap((k) => k.events),
			outside: new Set(all.flatMap((k) => [...k.outside]))
		};
	}

	/** Finds the record of a type whose fields meet the values. */
	private match(body: MatchBody, field: Field): CompiledBody | null {
		const { schema } = this;
		const target = schema.types.get(body.type);
		if (!target) {
			this.problem('input', 'Choose the record type to search.');
			return null;
		}
		if (field.type !== 'link' || field.target !== body.type) {
			this.problem(
				'outputs',
				`A match among ${target.type.plural.toLowerCase()} gives a link to one; ${field.label} is ${sayType(typeOfField(field), schema)}.`
			);
			return null;
		}
		if (!body.on.length) {
			this.problem('input', 'Say which field is to have which value.');
			return null;
		}
		const keys = body.on.map(({ field: id, how, value }, k) => {
			const f = schema.field(body.type, id);
			if (!f || !matchHows(f).includes(how)) {
				this.problem(`column ${k}`, 'Choose the field that must have this value, and how.');
				return null;
			}
			const c = this.formula(value, `key ${k}`, how === 'exact' ? typeOfField(f) : TEXT);
			return c && { c, field: id, how };
		});
		if (keys.some((k) => !k)) return null;
		const all = keys as { c: Compiled; field: string; how: MatchHow }[];
		const run: Claim['run'] = (env) => {
			const wanted: MatchKey[] = [];
			for (const { c, field: id, how } of all) {
				const key = matchKey(how, c.run(env));
				if (key === null) return { got: false, why: 'blank' };
				wanted.push({ field: id, how, key });
			}
			const found = env.matching(body.type, wanted);
			if (!found.length) return { got: false, why: 'no row' };
			if (found.length > 1 && body.several !== 'first') {
				const then = body.several === 'no result' ? {} : { then: body.several };
				return { got: false, why: 'several', found: found.slice(0, 20), ...then };
			}
			return { got: true, value: found[0], found: found.slice(0, 20) };
		};
		// which records match cannot be followed backwards, but what they are matched by is settled first
		const searched = all.map((k): Read => ({
			type: body.type,
			field: k.field,
			image: 'settled',
			via: [],
			many: true,
			loose: true
		}));
		return {
			run,
			reads: [...all.flatMap((k) => k.c.reads), ...searched],
			events: all.flatMap((k) => k.c.events),
			outside: new Set(all.flatMap((k) => [...k.c.outside]))
		};
	}

	private constant(json: JsonValue, field: Field, place: Place): Value {
		const r = fromJson(field, json, this.schema);
		if (r.ok) return r.value;
		this.problem(place, r.message);
		return null;
	}

	private blank(blank: Blank, i: number, field: Field): BodyResult {
		if (blank && 'give' in blank) {
			const value = this.constant(blank.give[i] ?? null, field, 'blank');
			return value === null
				? { got: false, why: 'blank', row: 'blank' }
				: { got: true, value, row: 'blank' };
		}
		return { got: false, why: 'blank', row: 'blank' };
	}

	/** The part of the body that writes one output (zero-based). Null when there is nothing to go on with. */
	output(i: number, field: Field): CompiledBody | null {
		const { body } = this.rule;
		switch (body.kind) {
			case 'formula': {
				const c = this.formula(
					body.formulas[i] ?? { text: '' },
					`formula ${i}`,
					typeOfField(field)
				);
				if (!c) return null;
				const run: Claim['run'] = (env) => {
					const value = c.run(env);
					return value === null ? { got: false, why: 'null' } : { got: true, value };
				};
				return { ...c, run };
			}
			case 'bands':
				return this.bands(body, i, field);
			case 'options':
				return this.options(body, i, field);
			case 'compose':
				return this.compose(body, i, field);
			case 'split':
				return this.split(body, i, field);
			case 'table':
				return this.decide(i);
			case 'lookup':
				return this.lookUp(body, i, field);
			case 'match':
				return this.match(body, field);
			case 'message':
				this.problem('outputs', 'A rule that sends messages writes no field.');
				return null;
			case 'check':
			case 'state':
			case 'allowed':
				this.problem('outputs', 'Only a Validate rule can check or limit a field.');
				return null;
		}
	}

	private bands(body: Body & { kind: 'bands' }, i: number, field: Field) {
		const input = this.formula(body.input, 'input');
		if (!input) return null;
		const { ty } = input;
		if (ty.t !== 'number' && ty.t !== 'date' && ty.t !== 'any') {
			this.problem('input', 'Bands part numbers, amounts or dates.');
			return null;
		}
		const limitField: Field = {
			id: 'limit',
			label: 'The limit',
			group: '',
			type: ty.t === 'date' ? 'date' : 'number'
		};
		const limits = body.limits.map((l, k) => ({
			at: this.constant(l.at, limitField, `result ${k}`),
			above: l.belongs === 'above'
		}));
		for (let k = 1; k < limits.length; k++) {
			const o = order(limits[k - 1].at, limits[k].at);
			if (o === null || o > 0 || (o === 0 && !(limits[k - 1].above && !limits[k].above)))
				this.problem(
					`result ${k}`,
					`The limits must rise: ${body.limits[k].at} stands behind ${body.limits[k - 1].at}.`
				);
		}
		if (body.results.length !== limits.length + 1) {
			this.problem('input', 'There must be one band more than there are limits.');
			return null;
		}
		const results = body.results.map((r, k): BodyResult => {
			if (!r) return { got: false, why: 'no row', row: k };
			const value = this.constant(r[i] ?? null, field, `result ${k}`);
			return value === null ? { got: false, why: 'null', row: k } : { got: true, value, row: k };
		});
		const blank = this.blank(body.blank, i, field);
		const run: Claim['run'] = (env) => {
			const v = input.run(env);
			if (v === null) return blank;
			return results[bandOf(v as Num | LocalDate, limits)];
		};
		return { ...input, run };
	}

	private options(body: Body & { kind: 'options' }, i: number, field: Field) {
		const source = this.schema.field(this.rule.type, body.input);
		if (!source) {
			this.problem('input', 'The field this rule maps from is not chosen or no longer there.');
			return null;
		}
		if (source.type !== 'choice' && source.type !== 'yesno') {
			this.problem('input', `${source.label} is neither a choice nor yes/no.`);
			return null;
		}
		const rows = new Map<string, BodyResult>();
		for (const [key, r] of Object.entries(body.rows)) {
			if (source.type === 'choice' && !this.schema.option(source.list!, key)) {
				this.problem('input', `${source.label} has no option “${key}”.`);
				continue;
			}
			const value = this.constant(r[i] ?? null, field, `result ${0}`);
			rows.set(
				key,
				value === null ? { got: false, why: 'null', row: key } : { got: true, value, row: key }
			);
		}
		const blank = this.blank(body.blank, i, field);
		const expr: Expr = { k: 'field', image: 'settled', type: this.rule.type, field: source.id };
		const { schema, before } = this;
		const c = compileExpression(expr, { schema, type: this.rule.type, expected: ANY, before });
		const run: Claim['run'] = (env) => {
			const v = c.run(env);
			if (v === null) return blank;
			return rows.get(String(v)) ?? { got: false, why: 'no row', row: String(v) };
		};
		return { ...c, run };
	}
}
