/** Records to try a rule with: made from the fields it reads and the constants it speaks of. */
import type { Expr } from '../feel/tree';
import { fromJson, toJson } from '../model/codec';
import type { Field, Schema } from '../model/model';
import type { Rule } from '../model/rules';
import type { Claim, PlanNode } from '../plan/plan';
import { LocalDate, Moment } from '../value/temporal';
import { parseNum } from '../value/num';
import type { Value } from '../value/value';
import { same } from '../value/value';
import type { Spot } from './cells';
import { spotOf, stretches } from './cells';
import type { Probe, Witness } from './probe';

/** Most records that one rule is tried with. */
const MOST_TRIED = 80;

interface Seen {
	spot: Spot;
	constants: Value[];
}

const keyOf = (s: Spot) => [...s.via.map((v) => v.field), s.type, s.field.id].join('.');

/** Every field that a rule reads as it stands in its documents, with the constants beside it. */
function spotsOf(docs: readonly unknown[], rule: Rule, schema: Schema): Map<string, Seen> {
	const out = new Map<string, Seen>();
	const note = (spot: Spot, constants: Value[] = []) => {
		const key = keyOf(spot);
		const had = out.get(key) ?? { spot, constants: [] };
		had.constants.push(...constants);
		out.set(key, had);
	};
	const spotAt = (e: Expr) => spotOf(e.k === 'field' ? { ...e, image: 'settled' } : e, schema);
	const literals = (x: unknown, into: Value[]): Value[] => {
		if (typeof x !== 'object' || x === null) return into;
		const e = x as Expr;
		if (e.k === 'num') into.push(parseNum(e.v));
		else if (e.k === 'text') into.push(e.v);
		else if (e.k === 'option') into.push(e.option);
		else if (e.k === 'at') into.push(LocalDate.parse(e.v));
		else for (const y of Object.values(x)) literals(y, into);
		return into;
	};
	const visit = (x: unknown) => {
		if (typeof x !== 'object' || x === null) return;
		const e = x as Expr;
		if (e.k === 'field' || e.k === 'through') {
			const spot = spotAt(e);
			if (spot) return note(spot);
		}
		if (e.k === 'bin' || e.k === 'in' || e.k === 'between') {
			const sides = e.k === 'bin' ? [e.a, e.b] : [e.x];
			for (const side of sides) {
				const spot = spotAt(side);
				if (spot) note(spot, literals(e, []));
			}
		}
		for (const y of Object.values(x)) visit(y);
	};
	docs.forEach(visit);
	const { body } = rule;
	const input = 'input' in body && typeof body.input === 'string' ? body.input : null;
	const field = input === null ? undefined : schema.field(rule.type, input);
	if (field)
		note({ via: [], type: rule.type, field }, Object.keys('rows' in body ? body.rows : {}));
	if (body.kind === 'bands') {
		const [only] = [...out.values()];
		const limits = body.limits.map((l) => parseNum(l.at) ?? LocalDate.parse(l.at));
		if (only) only.constants.push(...limits);
	}
	return out;
}

const TEXTS = ['Aa', 'Bb Cc', 'a', 'AB-12/3', '0612345678'];

/** A few values of a field: at and around the constants, ordinary ones, and blank. */
function pool(probe: Probe, { spot, constants }: Seen): Value[] {
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
		rules.map((r) => spotsOf([r.guard, r.body], r, probe.schema))
	);
}

/** Records for a formula: each value of each field it reads, in pairs as far as there is room. */
export function candidatesFor(probe: Probe, rule: Rule, type: string, e: Expr): Witness[] {
	return records(probe, type, [spotsOf([e], { ...rule, body: NO_BODY }, probe.schema)]);
}
const NO_BODY: Rule['body'] = { kind: 'formula', formulas: [] };

function records(probe: Probe, type: string, all: readonly Map<string, Seen>[]): Witness[] {
	const seen = new Map<string, Seen>();
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
