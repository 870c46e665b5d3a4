/**
 * What holds for every record: guards that never or always hold, claims that are always outranked or
 * give nothing in any case. Proven by trying one value of each stretch that the tests can tell
 * apart; the number of combinations tried is the certificate.
 */
import type { Env } from '../feel/env';
import { EVALUATION_STEPS, LimitError } from '../feel/budget';
import type { Expr } from '../document/tree';
import type { Rule } from '../document/rules';
import type { Claim } from '../plan/plan';
import type { Value } from '../value/value';
import type { Axis, Spot } from '../spots/cells';
import { exprOf } from './formulas';
import { axesOf, combinations } from '../spots/cells';
import { candidatesFor } from './candidates';
import { reading, writerOf } from '../kinds';
import type { Deciding, Witness } from '../kinds/spec';
import type { Probe } from './probe';

/** What tells a rule's guard apart; null when it cannot be analysed. No guard has none. */
export function guardAxes(probe: Probe, rule: Rule): Expr[] | null {
	if (!rule.guard) return [];
	const e = exprOf(probe, rule.type, rule.guard);
	return e && [e];
}

/** What tells whether a claim's body has a result; null when that is not known. */
export function bodyParts(probe: Probe, rule: Rule, output: number): Deciding | null {
	const { schema } = probe;
	const read = reading(schema, (f) => exprOf(probe, rule.type, f ?? null));
	return writerOf(rule.body)?.decides(rule.body, output, { schema, rule, ...read }) ?? null;
}

/** What a claim does at one record. */
export interface Answer {
	guard: boolean;
	/** Whether the claim decides: it has a result, or stops the walk without one. */
	decides: boolean;
	got: boolean;
}

/** What a claim does at one combination. Null when it could not be run. */
export function ask(c: Claim, env: Env): Answer | null {
	try {
		env.steps = EVALUATION_STEPS;
		if (c.guard && c.guard(env) !== true) return { guard: false, decides: false, got: false };
		const { got } = c.run(env);
		return { guard: true, decides: got || c.output.none !== 'next', got };
	} catch (e) {
		if (e instanceof LimitError) return null;
		throw e;
	}
}

/** Whether a claim depends on what happens, beside what a record holds. */
export const isEvent = (c: Claim) => c.eventful || c.each >= 0 || c.rule.entering;

/** Whether a condition holds at every combination, at none, or depends; null when that is not known. */
export function truthOf(
	probe: Probe,
	type: string,
	condition: Expr | null,
	run: (env: Env) => Value
): { truth: 'never' | 'always' | 'depends'; tried: number; axes: Axis[] } | null {
	const axes = condition && axesOf(probe.schema, [condition]);
	if (!axes) return null;
	let [yes, no, tried] = [0, 0, 0];
	for (const values of combinations(axes)) {
		tried++;
		if (run(probe.env(type, probe.witness(type, axes, values))) === true) yes++;
		else no++;
		if (yes && no) return { truth: 'depends', tried, axes };
	}
	return { truth: yes ? 'always' : 'never', tried, axes };
}

/**
 * Whether a condition was seen to hold and seen not to, on some records and changes of them: then it
 * depends, whatever it computes.
 */
export function seenBothWays(
	probe: Probe,
	rule: Rule,
	type: string,
	condition: Expr,
	run: (env: Env) => Value
): boolean {
	const tried = candidatesFor(probe, type, condition);
	let [yes, no] = [false, false];
	const ask = (w: Witness) => {
		try {
			if (run(probe.env(type, w)) === true) yes = true;
			else no = true;
		} catch (e) {
			if (!(e instanceof LimitError)) throw e;
		}
		return yes && no;
	};
	if (tried.some(ask)) return true;
	// one that takes new records only meets nothing that was before
	if (!rule.moments.includes('changed')) return false;
	// what asks for a change: from one of the records to another
	return tried.some((a) => tried.some((b) => ask({ ...a, was: b.values })));
}

/** Whether a claim gives nothing at any combination; null when that is not known. */
export function givesNothing(probe: Probe, c: Claim): { tried: number } | null {
	const { rule } = c;
	const i = rule.outputs.indexOf(c.output);
	const known = writerOf(rule.body)?.givesNothing(rule.body, i, probe.schema) ?? null;
	if (known !== 'try') return known === null ? null : { tried: known };
	const parts = bodyParts(probe, rule, i);
	const axes = parts && axesOf(probe.schema, [], parts.values, parts.read);
	if (!axes) return null;
	let tried = 0;
	for (const values of combinations(axes)) {
		tried++;
		const env = probe.env(rule.type, probe.witness(rule.type, axes, values));
		try {
			if (c.run(env).got) return null;
		} catch (e) {
			if (!(e instanceof LimitError)) throw e;
			return null;
		}
	}
	return { tried };
}

/**
 * The claims above one in its claim order that decide wherever it applies, so that it never does;
 * null when there are none or that is not known.
 */
export function outrankedBy(
	probe: Probe,
	claims: readonly Claim[],
	place: number
): { by: Claim[]; tried: number } | null {
	const c = claims[place];
	// what adds to a set has no place in the claim order
	if (!c || isEvent(c)) return null;
	// a claim above counts only where it applies on every road and at every moment that this one does
	const above = claims.slice(0, place).filter((a) => covers(a, c) && !isEvent(a));
	if (!above.length) return null;
	const truths: Expr[] = [];
	const values: Expr[] = [];
	const read: { spot: Spot; constants: Value[] }[] = [];
	const own = guardAxes(probe, c.rule);
	if (!own) return null;
	truths.push(...own);
	const known = above.filter((a) => {
		const guard = guardAxes(probe, a.rule);
		if (!guard || !axesOf(probe.schema, guard)) return false;
		// one that stops the walk in any case decides whatever it gives
		const parts =
			a.output.none === 'next' ? bodyParts(probe, a.rule, a.rule.outputs.indexOf(a.output)) : null;
		if (a.output.none === 'next' && (!parts || !axesOf(probe.schema, [], parts.values, parts.read)))
			return false;
		truths.push(...guard);
		values.push(...(parts?.values ?? []));
		read.push(...(parts?.read ?? []));
		return true;
	});
	if (!known.length) return null;
	const axes = axesOf(probe.schema, truths, values, read);
	if (!axes) return null;
	const by = new Set<Claim>();
	let tried = 0;
	let applies = 0;
	for (const combination of combinations(axes)) {
		tried++;
		const env = probe.env(c.rule.type, probe.witness(c.rule.type, axes, combination));
		if (c.guard && c.guard(env) !== true) continue;
		applies++;
		const winner = known.find((a) => ask(a, env)?.decides);
		if (!winner) return null;
		by.add(winner);
	}
	return applies ? { by: [...by], tried } : null;
}

/** Whether a claim applies on every road and at every moment at which another does. */
function covers(a: Claim, c: Claim): boolean {
	if (a.rule.submittedOnly || (a.output.hold === 'once' && c.output.hold !== 'once')) return false;
	const moments = c.output.hold === 'once' ? (['created'] as const) : c.rule.moments;
	if (!moments.every((m) => a.rule.moments.includes(m))) return false;
	if (!a.rule.entryPoints) return true;
	return !!c.rule.entryPoints?.every((e) => a.rule.entryPoints!.includes(e));
}

/** The fields by which a certificate was tried, in words. */
export function saySpots(axes: readonly Axis[]): string {
	const names = axes.map((a) => a.spot.field.label);
	return names.length > 1
		? `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`
		: (names[0] ?? 'nothing');
}
