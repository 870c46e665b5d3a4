/** Records to try a rule with: made from the fields it reads and the constants it speaks of. */
import type { Expr } from '../document/tree';
import { fromJson, toJson } from '../fields/codec';
import type { Field, FieldRef, Schema } from '../document/model';
import { walkInlined } from '../feel/inline';
import type { Rule } from '../document/rules';
import { kindOf } from '../kinds';
import type { Claim, PlanNode } from '../plan/plan';
import { LocalDate, Moment } from '../value/temporal';
import { parseNum } from '../value/num';
import type { Value } from '../value/value';
import { same } from '../value/value';
import type { Spot } from '../spots/cells';
import { constantsIn, spotOf, stretches } from '../spots/cells';
import type { Witness } from '../kinds/spec';
import type { Probe } from './probe';
import { OWN_ID } from './probe';

/** Numbers of related records made up, apart from those that a witness has itself. */
const FIRST_RELATED = 910_000_000_000_000;

/** Most records that one rule is tried with. */
const MOST_TRIED = 80;

/** A field that is read, with the constants beside it. */
export interface ReadBeside {
	spot: Spot;
	constants: Value[];
}

const keyOf = (s: Spot) => [...s.via.map((v) => v.field), s.type, s.field.id].join('.');

/** Every field that documents read, with the constants beside it. */
function spotsOf(docs: readonly unknown[], schema: Schema) {
	const out = new Map<string, ReadBeside>();
	const note = (spot: Spot, constants: Value[] = []) => {
		const key = keyOf(spot);
		const had = out.get(key) ?? { spot, constants: [] };
		had.constants.push(...constants);
		out.set(key, had);
	};
	const spotAt = (e: Expr) => spotOf(e.k === 'field' ? { ...e, image: 'settled' } : e, schema);
	walkInlined(docs, schema, (e) => {
		if (e.k === 'field' || e.k === 'through') {
			const spot = spotAt(e);
			if (spot) {
				note(spot);
				return false;
			}
		}
		const sides = e.k === 'bin' ? [e.a, e.b] : e.k === 'in' || e.k === 'between' ? [e.x] : [];
		for (const side of sides) {
			const spot = spotAt(side);
			if (spot) note(spot, constantsIn(e));
		}
	});
	return { seen: out, note };
}

/** Every field that a rule reads as it stands in its documents, with the constants beside it. */
export function spotsOfRule(rule: Rule, schema: Schema): Map<string, ReadBeside> {
	const kind = kindOf(rule.body);
	const { seen, note } = spotsOf([rule.body], schema);
	// constants that stand outside formulas belong to the first that is read
	const source = kind.source(rule.body);
	const field = source === null ? undefined : schema.field(rule.type, source);
	const constants = kind.constants(rule.body);
	if (field) note({ via: [], type: rule.type, field }, constants);
	else [...seen.values()][0]?.constants.push(...constants);
	for (const { spot, constants: more } of spotsOf([rule.guard], schema).seen.values())
		note(spot, more);
	return seen;
}

const TEXTS = ['Aa', 'Bb Cc', 'a', 'AB-12/3', '0612345678'];

/** A few values of a field: at and around the constants, ordinary ones, and blank. */
function pool(probe: Probe, { spot, constants }: ReadBeside): Value[] {
	const { field } = spot;
	const { schema } = probe;
	const fitting = constants.filter((c) => c !== null && fits(field, c));
	const at = stretches(field, fitting, schema);
	const out: Value[] = [...(at ?? [])];
	switch (field.type) {
		case 'text':
			out.push(...TEXTS, 'ann@fen.example');
			break;
		case 'email':
			out.push('ann@fen.example', 'Bob@Fen.example');
			break;
		case 'phone':
			out.push('+31 20 794 0311', '0612345678');
			break;
		case 'number':
		case 'money':
		case 'percent':
			out.push(...['0', '-1', '7', '12.345', '1000000'].map(parseNum));
			break;
		case 'date':
			out.push(
				...['2026-11-23', '2026-02-28', '2028-02-29', '2027-01-01'].map((d) => LocalDate.parse(d))
			);
			break;
		case 'moment':
			out.push(Moment.parse('2026-11-23T09:00:00Z'));
			break;
		case 'choice':
			out.push(
				...schema.lists
					.get(field.list!)!
					.options.filter((o) => !o.retired)
					.map((o) => o.id)
			);
			break;
		case 'choices': {
			const ids = schema.lists
				.get(field.list!)!
				.options.filter((o) => !o.retired)
				.map((o) => o.id);
			out.push(ids.slice(0, 1), ids.slice(0, 2));
			break;
		}
	}
	// as the field holds them, each once, blank last
	const held = out.flatMap((v) => {
		const r = fromJson(field, toJson(v), schema);
		return r.ok && r.value !== null ? [r.value] : [];
	});
	return [...held.filter((v, i) => held.findIndex((x) => same(x, v)) === i), null];
}

function fits(field: Field, v: Value): boolean {
	if (typeof v === 'string') return ['text', 'email', 'phone', 'choice'].includes(field.type);
	if (v instanceof LocalDate) return field.type === 'date';
	return ['number', 'money', 'percent'].includes(field.type);
}

/**
 * Records for one claim: each value of each field it depends on, in pairs as far as there is room.
 * Beside its own reads they vary what limits its field, and what a Locked claim behind it reads.
 */
export function candidates(probe: Probe, claim: Claim, node: PlanNode | undefined): Witness[] {
	const { rule } = claim;
	const behind = node?.claims.slice(node.claims.indexOf(claim) + 1) ?? [];
	const rules = [
		rule,
		...(node?.limits.map((l) => l.rule) ?? []),
		...behind.filter((c) => c.output.hold === 'locked').map((c) => c.rule)
	];
	return records(
		probe,
		rule.type,
		rules.map((r) => spotsOfRule(r, probe.schema))
	);
}

/** Records for several rules of a type together. */
export function candidatesOfRules(probe: Probe, type: string, rules: readonly Rule[]): Witness[] {
	return records(
		probe,
		type,
		rules.filter((r) => !r.each).map((r) => spotsOfRule(r, probe.schema))
	);
}

/** Records for a formula: each value of each field it reads, in pairs as far as there is room. */
export function candidatesFor(probe: Probe, type: string, e: Expr): Witness[] {
	return records(probe, type, [spotsOf([e], probe.schema).seen]);
}

/** Variants of related records that a witness is tried with. */
const VARIANTS = 12;

/**
 * A witness with two records behind each way back that a claim reads, so that what counts them has
 * something to count; one for each of some mixtures of the values that tell its conditions apart. The
 * witness alone where no way back is read.
 */
export function withRelated(probe: Probe, w: Witness, { rule, reads }: Claim): Witness[] {
	const ways = new Map<string, { type: string; link: string; fields: Map<string, Value[]> }>();
	for (const r of reads) {
		const [first, ...rest] = r.via;
		if (!first?.back || rest.length) continue;
		const key = `${first.type}.${first.field}`;
		const way = ways.get(key) ?? { type: first.type, link: first.field, fields: new Map() };
		ways.set(key, way);
		const field = probe.schema.field(r.type, r.field);
		if (r.type !== first.type || !field || r.field === first.field) continue;
		const spot = { via: [], type: r.type, field };
		const constants = constantsBeside(rule, r, probe.schema);
		const there = pool(probe, { spot, constants }).filter((v) => v !== null);
		if (there.length) way.fields.set(r.field, there);
	}
	if (!ways.size) return [w];
	return Array.from({ length: VARIANTS }, (_, variant) => {
		const near = [...w.near];
		for (const { type, link, fields } of ways.values())
			for (const k of [0, 1]) {
				const values: Witness['values'] = { [link]: OWN_ID };
				// at first all of the first values, which the conditions name; then mixed
				[...fields].forEach(([id, there], j) => {
					values[id] = toJson(there[(variant * (j + 1) + k) % there.length]);
				});
				near.push({ type, id: String(FIRST_RELATED + near.length), values });
			}
		return { ...w, near };
	});
}

/** The constants with which a rule compares a field of other records. */
function constantsBeside(rule: Rule, { type, field }: FieldRef, schema: Schema): Value[] {
	const out: Value[] = [];
	const is = (e: Expr) =>
		(e.k === 'field' || e.k === 'through') && e.type === type && e.field === field;
	walkInlined([rule.guard, rule.body], schema, (e) => {
		const sides = e.k === 'bin' ? [e.a, e.b] : e.k === 'in' || e.k === 'between' ? [e.x] : [];
		if (sides.some(is)) out.push(...constantsIn(e));
	});
	return out;
}

function records(probe: Probe, type: string, all: readonly Map<string, ReadBeside>[]): Witness[] {
	const seen = new Map<string, ReadBeside>();
	for (const found of all)
		for (const [key, s] of found) {
			const had = seen.get(key);
			if (had) had.constants.push(...s.constants);
			else seen.set(key, s);
		}
	const axes = [...seen.values()].map((s) => ({ spot: s.spot, values: pool(probe, s) }));
	const at = axes.map(() => 0);
	const out: Witness[] = [];
	const add = () => {
		if (out.length < MOST_TRIED)
			out.push(
				probe.witness(
					type,
					axes,
					axes.map((a, i) => a.values[at[i]])
				)
			);
	};
	add();
	// one field at a time, against a plain record; then two
	axes.forEach((a, i) => {
		for (let k = 1; k < a.values.length; k++) {
			at[i] = k;
			add();
		}
		at[i] = 0;
	});
	for (let i = 0; i < axes.length; i++)
		for (let j = i + 1; j < axes.length; j++) {
			for (let k = 1; k < axes[i].values.length; k++)
				for (let l = 1; l < axes[j].values.length; l++) {
					at[i] = k;
					at[j] = l;
					add();
				}
			at[i] = at[j] = 0;
		}
	return out;
}
