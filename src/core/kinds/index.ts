/** The kinds of rules, each in its file, and what is asked of any of them. */
import type { Schema } from '../document/model';
import type { Body, Rule } from '../document/rules';
import { MESSAGES } from '../document/rules';
import { allowed } from './allowed';
import { bands } from './bands';
import { cases } from './cases';
import { check } from './check';
import { compose } from './compose';
import { formula } from './formula';
import { lookup } from './lookup';
import { match } from './match';
import { message } from './message';
import { options } from './options';
import type {
	BodyRepair,
	Judges,
	Kinds,
	Look,
	Offer,
	Offering,
	Parts,
	Sends,
	Writes
} from './spec';
import { spotOf } from '../spots/cells';
import { Num } from '../value/num';
import { split } from './split';
import { state } from './state';
import { table } from './table';

/** In the order in which they are offered. */
export const KINDS: Kinds = {
	bands,
	options,
	cases,
	table,
	lookup,
	match,
	compose,
	split,
	formula,
	check,
	state,
	allowed,
	message
};

/**
 * The kind of a body. Each kind takes its own body alone, which the types of a table by kind cannot
 * say; this is the one place where that is taken for granted.
 */
export const kindOf = (body: Body) =>
	KINDS[body.kind] as unknown as Writes<Body> | Judges<Body> | Sends<Body>;

/** The kind of a body that writes; null of one that judges or sends. */
export function writerOf(body: Body): Writes<Body> | null {
	const kind = kindOf(body);
	return kind.does === 'writes' ? kind : null;
}

export function judgeOf(body: Body): Judges<Body> | null {
	const kind = kindOf(body);
	return kind.does === 'judges' ? kind : null;
}

export function senderOf(body: Body): Sends<Body> | null {
	const kind = kindOf(body);
	return kind.does === 'sends' ? kind : null;
}

/**
 * Whether a change is refused when the rule fails: a claim leaves its field as it was, and what would
 * refuse a change refuses this one, unless the author chose otherwise.
 */
export const refusesWhenFailing = ({ refuses, body }: Rule): boolean =>
	refuses ?? judgeOf(body)?.blocks(body) ?? false;

/** The field at whose sheet a rule is shown first. */
export const sheetOf = (rule: Rule): string =>
	senderOf(rule.body) ? MESSAGES : (rule.outputs[0]?.field ?? '');

/** What formulas are and read, where their trees can be had. */
export const reading = (schema: Schema, expr: Look['expr']): Pick<Look, 'expr' | 'spot'> => ({
	expr,
	spot: (f) => {
		const e = expr(f);
		return e && spotOf(e, schema);
	}
});

/** The numbers at which what a rule gives changes, and the own field that is compared with them. */
export function limitsOf(rule: Rule, schema: Schema): { field: string; at: string[] } | null {
	const read = reading(schema, (f) => (f && 'expr' in f ? f.expr : null));
	const deciding = writerOf(rule.body)?.decides(rule.body, 0, { schema, rule, ...read });
	for (const { spot: s, constants } of deciding?.read ?? []) {
		const at = constants.filter((v) => v instanceof Num).map(String);
		if (at.length && !s.via.length) return { field: s.field.id, at };
	}
	return null;
}

/** The rules that can be written at a field, what is meant most often first. */
export const offersAt = (at: Offering): Offer<Body>[] =>
	Object.values(KINDS)
		.filter((k) => (k.does === 'sends') === (at.field.id === MESSAGES))
		.flatMap((k) => k.offers(at) as Offer<Body>[])
		.sort((a, b) => b.likely - a.likely);

/** A body with each of its formulas, texts and cells in turn replaced; the same one where nothing was. */
export function mapBody(rule: Rule, on: Partial<Parts>): Body {
	let changed = false;
	const noted = <T>(had: T, now: T): T => {
		if (now !== had) changed = true;
		return now;
	};
	const next = kindOf(rule.body).map(
		rule.body,
		{
			formula: (f, ...at) => (on.formula ? noted(f, on.formula(f, ...at)) : f),
			text: (t, ...at) => (on.text ? noted(t, on.text(t, ...at)) : t),
			cell: (c, ...at) => (on.cell ? noted(c, on.cell(c, ...at)) : c)
		},
		rule
	);
	return changed ? next : rule.body;
}

/** A rule with one of its outputs taken away, with what the body holds for it. */
export function withoutOutput(rule: Rule, at: number): Rule {
	const kind = writerOf(rule.body);
	return {
		...rule,
		outputs: rule.outputs.filter((_, i) => i !== at),
		body: kind ? kind.withoutOutput(rule.body, at) : rule.body
	};
}

/** A body with a finding repaired; the same one where the repair does not fit its kind. */
export function repairBody(rule: Rule, repair: BodyRepair, schema: Schema): Body {
	const does = kindOf(rule.body).repairs[repair.do] as
		((b: Body, r: BodyRepair, on: { schema: Schema; rule: Rule }) => Body) | undefined;
	return does ? does(rule.body, repair, { schema, rule }) : rule.body;
}
