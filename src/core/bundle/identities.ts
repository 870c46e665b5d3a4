/**
 * Documents of one workspace in the identities of another. A rule names fields, options and tables by identity, so what
 * it means there is decided by what each identity is taken for, and by nothing else.
 */
import { guardType, inTrees } from '../check/formulas';
import type { JsonValue } from '../document/json';
import type { Definition, ReferenceTable, Schema } from '../document/model';
import { refKey } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { bare, type Expr } from '../document/tree';
import { compileDefinition } from '../feel/compile';
import { mapped } from '../feel/inline';
import { kindOf } from '../kinds';
import type { Carrying } from '../kinds/spec';
import type { KeptFind } from '../trials/finds';
import type { Expectation, Trial, TrialStep } from '../trials/trials';

/** What each identity is in another workspace. What is not among them keeps its identity. */
export interface Identities {
	types: ReadonlyMap<string, string>;
	/** By `type.field`. */
	fields: ReadonlyMap<string, string>;
	lists: ReadonlyMap<string, string>;
	/** By `list.option`. */
	options: ReadonlyMap<string, string>;
	rules: ReadonlyMap<string, string>;
	definitions: ReadonlyMap<string, string>;
	tables: ReadonlyMap<string, string>;
	/** By `table.column`. */
	columns: ReadonlyMap<string, string>;
	/** By `type.id`; null, or not among them, where nobody knows it there. */
	records: ReadonlyMap<string, string | null>;
}

type Dict = Record<string, JsonValue>;

/** Numbers of records that are made up lie past this, where no real one comes. */
const MADE_UP = 900_000_000_500_000;

/** Carries documents over. */
export class Carrier implements Carrying {
	readonly #rules: ReadonlyMap<string, Rule>;

	/** @param rules those that trials speak of */
	constructor(
		readonly from: Schema,
		private readonly to: Identities,
		rules: readonly Rule[]
	) {
		this.#rules = new Map(rules.map((r) => [r.id, r]));
	}

	type = (id: string) => this.to.types.get(id) ?? id;
	field = (type: string, id: string) => this.to.fields.get(refKey(type, id)) ?? id;
	list = (id: string) => this.to.lists.get(id) ?? id;
	option = (list: string, id: string) => this.to.options.get(refKey(list, id)) ?? id;
	table = (id: string) => this.to.tables.get(id) ?? id;
	column = (table: string, id: string) => this.to.columns.get(refKey(table, id)) ?? id;
	rule = (id: string) => this.to.rules.get(id) ?? id;
	record = (type: string, id: string) => this.to.records.get(refKey(type, id)) ?? null;
	/** `rule:output`. */
	claim = (id: string) => {
		const at = id.indexOf(':');
		return at < 0 ? id : this.rule(id.slice(0, at)) + id.slice(at);
	};

	value: Carrying['value'] = (of, v) => this.#valued(of, v, this.record);

	#valued(
		of: Parameters<Carrying['value']>[0],
		v: JsonValue,
		record: (type: string, id: string) => string | null
	): JsonValue {
		if (of?.list) {
			const { list } = of;
			if (Array.isArray(v))
				return v.map((x) => (typeof x === 'string' ? this.option(list, x) : x)) as JsonValue;
			return typeof v === 'string' ? this.option(list, v) : v;
		}
		return of?.type === 'link' && of.target && typeof v === 'string' ? record(of.target, v) : v;
	}

	/** A record type, list or both, as fields, columns and parameters name what they hold. */
	#holds<T extends { list?: string; target?: string }>(x: T): T {
		return {
			...x,
			...(x.list === undefined ? {} : { list: this.list(x.list) }),
			...(x.target === undefined ? {} : { target: this.type(x.target) })
		};
	}

	/** Trees within a document. A record that is not known there is a place still to be said. */
	trees<T>(doc: T): T {
		const replace = (e: Expr): Expr | null => {
			switch (e.k) {
				case 'option':
					return { ...e, list: this.list(e.list), option: this.option(e.list, e.option) };
				case 'field':
					return { ...e, type: this.type(e.type), field: this.field(e.type, e.field) };
				case 'through':
				case 'related':
					return {
						...e,
						of: mapped(e.of, replace),
						type: this.type(e.type),
						field: this.field(e.type, e.field)
					} as Expr;
				case 'record': {
					const id = this.record(e.type, e.id);
					return id === null ? { k: 'hole' } : { ...e, type: this.type(e.type), id };
				}
				case 'use':
					return {
						...e,
						definition: this.to.definitions.get(e.definition) ?? e.definition,
						args: mapped(e.args, replace)
					};
				default:
					return null;
			}
		};
		return mapped(doc, replace);
	}

	#rule(r: Rule): Rule {
		const watched = guardType(r, this.from);
		return {
			...r,
			id: this.rule(r.id),
			type: this.type(r.type),
			watch: r.watch && r.watch.map((f) => this.field(watched, f)),
			guard: this.trees(r.guard),
			outputs: r.outputs.map((o) => ({ ...o, field: this.field(r.type, o.field) })),
			body: this.trees(kindOf(r.body).carried(r.body, this, r)),
			...(r.each === undefined ? {} : { each: this.field(r.type, r.each) })
		};
	}

	#definition(d: Definition): Definition {
		return {
			...d,
			id: this.to.definitions.get(d.id) ?? d.id,
			type: d.type === null ? null : this.type(d.type),
			params: d.params.map((p) => this.#holds(p)),
			result: d.result && this.#holds(d.result),
			body: this.trees(inTree(d, this.from))
		};
	}

	#table(t: ReferenceTable): ReferenceTable {
		const column = (id: string) => this.column(t.id, id);
		return {
			...t,
			id: this.table(t.id),
			columns: t.columns.map((c) => this.#holds({ ...c, id: column(c.id) })),
			keys: t.keys.map((k) =>
				k.match === 'range'
					? { ...k, from: column(k.from), to: column(k.to) }
					: { ...k, column: column(k.column) }
			),
			rows: t.rows.map((row) => row.map((v, i) => this.value(t.columns[i], v)))
		};
	}

	/** A rule set. Formulas kept as text are read first, where they can be: their words are those of this workspace. */
	set(stored: RuleSet): RuleSet {
		const set = inTrees(stored, this.from);
		const order: RuleSet['order'] = {};
		for (const [key, claims] of Object.entries(set.order)) {
			const [type, field] = key.split('.');
			order[refKey(this.type(type), this.field(type, field ?? ''))] = claims.map(this.claim);
		}
		return {
			rules: set.rules.map((r) => this.#rule(r)),
			order,
			...(set.definitions ? { definitions: set.definitions.map((d) => this.#definition(d)) } : {}),
			...(set.tables ? { tables: set.tables.map((t) => this.#table(t)) } : {})
		};
	}

	/**
	 * A trial. Its records are made up: one that rules name becomes the one that it is there, and each other keeps its
	 * number unless that is another record's there.
	 */
	trial(t: Trial): Trial {
		const record = this.#numbers(t);
		const field = (type: string, f: string) => this.from.field(type, f);
		const value = (type: string, f: string, v: JsonValue) =>
			this.#valued(field(type, f), v, record);
		const values = (type: string, all: Dict): Dict =>
			Object.fromEntries(
				Object.entries(all).map(([f, v]) => [this.field(type, f), value(type, f, v)])
			);
		const sent = (all: TrialStep['sent']): TrialStep['sent'] =>
			all.map(([f, v]) => [this.field(t.type, f), value(t.type, f, v)]);
		const expected = (x: Expectation): Expectation => {
			if ('rule' in x) return { ...x, rule: this.rule(x.rule) };
			if (!('field' in x) || x.field === undefined) return x;
			const type = 'at' in x && x.at ? x.at.type : t.type;
			const is = { ...x, field: this.field(type, x.field) };
			if ('value' in is)
				return {
					...is,
					value: value(type, x.field, is.value),
					...(is.at ? { at: { type: this.type(is.at.type), id: record(type, is.at.id) } } : {})
				};
			if (!('option' in is)) return is;
			const list = field(type, x.field)?.list;
			return list ? { ...is, option: this.option(list, is.option) } : is;
		};
		const { personType } = this.from.model;
		const step = <S extends TrialStep>(s: S): S => ({
			...s,
			sent: sent(s.sent),
			...(s.person && personType ? { person: record(personType, s.person) } : {}),
			expect: s.expect.map(expected)
		});
		return {
			...step(t),
			type: this.type(t.type),
			was: t.was && values(t.type, t.was),
			...(t.record === undefined ? {} : { record: record(t.type, t.record) }),
			...(t.added ? { added: this.#added(t.added) } : {}),
			...(t.near
				? {
						near: t.near.map((r) => ({
							type: this.type(r.type),
							id: record(r.type, r.id),
							values: values(r.type, r.values)
						}))
					}
				: {}),
			...(t.then ? { then: t.then.map(step) } : {}),
			...(t.rows
				? { rows: t.rows.map((r) => ({ sent: sent(r.sent), expect: r.expect.map(expected) })) }
				: {}),
			...(t.finds ? { finds: t.finds.map((f) => this.#find(f, record)) } : {})
		};
	}

	/** What rules had added, by claim. */
	#added(added: Record<string, string[]>): Record<string, string[]> {
		return Object.fromEntries(
			Object.entries(added).map(([claim, options]) => {
				const list = this.#listOf(claim);
				return [this.claim(claim), options.map((o) => (list ? this.option(list, o) : o))];
			})
		);
	}

	/** The list of the field that a claim writes. */
	#listOf(claim: string): string | undefined {
		const [rule, output] = claim.split(':');
		const r = this.#rules.get(rule);
		const o = r?.outputs.find((x) => x.id === output);
		return r && o ? this.from.field(r.type, o.field)?.list : undefined;
	}

	#find(f: KeptFind, record: (type: string, id: string) => string): KeptFind {
		const table = this.from.tables.get(f.table);
		const column = (id: string) => table?.columns.find((c) => c.id === id);
		return {
			table: this.table(f.table),
			keys: f.keys.map((v, i) => {
				const key = table?.keys[i];
				return this.#valued(
					key && column(key.match === 'range' ? key.from : key.column),
					v,
					record
				);
			}),
			rows: f.rows.map((cells) =>
				Object.fromEntries(
					Object.entries(cells).map(([id, v]) => [
						this.column(f.table, id),
						this.#valued(column(id), v, record)
					])
				)
			)
		};
	}

	/** The numbers of the records of a trial: no two of one type fall together. */
	#numbers(t: Trial): (type: string, id: string) => string {
		const known = new Map<string, string>();
		const taken = new Set<string>();
		for (const [key, id] of this.to.records) {
			if (id === null) continue;
			known.set(key, id);
			taken.add(refKey(key.slice(0, key.indexOf('.')), id));
		}
		// those that it names itself keep theirs where they can, whichever is asked for first
		let next = 1;
		const free = (type: string, id: string) => {
			let n = id;
			while (taken.has(refKey(type, n))) n = String(MADE_UP + next++);
			return n;
		};
		for (const r of [...(t.near ?? []), ...(t.record ? [{ type: t.type, id: t.record }] : [])]) {
			const key = refKey(r.type, r.id);
			if (known.has(key)) continue;
			const id = free(r.type, r.id);
			known.set(key, id);
			taken.add(refKey(r.type, id));
		}
		return (type, id) => {
			const key = refKey(type, id);
			const had = known.get(key);
			if (had !== undefined) return had;
			const made = free(type, id);
			known.set(key, made);
			taken.add(refKey(type, made));
			return made;
		};
	}
}

/** A definition's formula as a tree, where it is kept as text and can be read. */
function inTree(d: Definition, from: Schema): Definition['body'] {
	if ('expr' in d.body) return d.body;
	const { expr, faults } = compileDefinition(d, from);
	return faults.length ? d.body : { expr: bare(expr) };
}
