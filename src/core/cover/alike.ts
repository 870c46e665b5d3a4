/**
 * Alterations that are no mistakes: rule sets that come to the same on every record. Proven by one value of each
 * stretch that either of the two can tell apart, as findings are; what cannot be parted so is not proven.
 */
import { betweenClaims, constants } from '../check/between';
import { ask, bodyParts, guardAxes, isEvent } from '../check/guards';
import { exprOf } from '../check/formulas';
import { Probe, TooMuch } from '../check/probe';
import { canonicalJson } from '../document/canonical';
import type { Rule } from '../document/rules';
import type { Expr } from '../document/tree';
import type { Env } from '../feel/env';
import { LimitError } from '../feel/budget';
import type { Claim, MessageRule, Plan, Validator } from '../plan/plan';
import { axesOf, combinations, type Spot } from '../spots/cells';
import type { ZoneClock } from '../value/temporal';
import type { Value } from '../value/value';
import { same } from '../value/value';
import type { Alteration } from './alter';
import { compiledOf } from './points';

/**
 * Whether an altered rule set comes to the same as the one that it was made of, on every record and change. False
 * where that is not so or not known.
 * @param plan the rules as they are
 * @param other the altered ones
 */
export function provenAlike(
	plan: Plan,
	other: Plan,
	rule: Rule,
	x: Alteration,
	zones: ZoneClock
): boolean {
	if (!compiledOf(plan, rule).length || !alikeSetOff(plan, other, rule)) return false;
	try {
		return x.slip === 'claim order exchanged'
			? orderIsNothing(plan, other, rule, zones)
			: x.slip === 'switched off'
				? neverDoes(new Probe(plan, zones), plan, rule)
				: x.altered !== null && doesAlike(new Probe(plan, zones), plan, other, rule, x.altered);
	} catch (e) {
		if (e instanceof TooMuch || e instanceof LimitError) return false;
		throw e;
	}
}

/** Whether whatever stands on the fields of a rule, and its messages, are set off by the same changes on either side. */
function alikeSetOff(plan: Plan, other: Plan, rule: Rule): boolean {
	const fields = new Set(rule.outputs.map((o) => o.field));
	const told = (p: Plan) => {
		const all: (Claim | Validator | MessageRule)[] = [
			...p.nodes
				.filter((n) => n.type === rule.type && fields.has(n.field.id))
				.flatMap((n) => [...n.claims, ...n.adders, ...n.limits]),
			...[...p.validators.values(), ...p.messages].filter((v) => v.rule.id === rule.id)
		];
		return new Map(
			all.map((c) => {
				const reached = 'reached' in c ? c.reached.map((r) => `${r.type} ${r.key}`) : [];
				const own = [c.triggers, c.triggersSent].map((t) => [...t].sort((a, b) => a - b));
				return [c.id, canonicalJson([own, [...new Set(reached)].sort()])];
			})
		);
	};
	const now = told(other);
	// what is switched off sets nothing off, and is looked at by itself
	return [...told(plan)].every(([id, said]) => !now.has(id) || now.get(id) === said);
}

/** Whether two claims whose order was exchanged never meet, or then give the same in the same way. */
function orderIsNothing(plan: Plan, other: Plan, rule: Rule, zones: ZoneClock): boolean {
	return rule.outputs.every(({ field }) => {
		const order = (p: Plan) =>
			p.nodes.find((n) => n.type === rule.type && n.field.id === field)?.claims ?? [];
		const [was, now] = [order(plan), order(other)];
		const moved = was.filter((c, i) => now[i]?.id !== c.id);
		if (!moved.length) return true;
		if (moved.length !== 2 || moved[0].rule === moved[1].rule) return false;
		const [a, b] = moved;
		const [x] = betweenClaims(plan, rule.type, field, zones).filter(
			(p) => p.first === a.rule.id && p.second === b.rule.id
		);
		if (!x) return false;
		if (x.is === 'never' || x.is === 'apart') return true;
		const how = ({ hold, closed, none }: Claim['output']) => canonicalJson({ hold, closed, none });
		return x.is === 'same' && how(a.output) === how(b.output);
	});
}

/** Whether a rule does nothing on any record. */
function neverDoes(probe: Probe, plan: Plan, rule: Rule): boolean {
	const guard = guardAxes(probe, rule);
	if (!guard || rule.entering || rule.each) return false;
	return compiledOf(plan, rule).every((c) => {
		// that it is there keeps people out, or takes out again what it once added
		if ('output' in c && (c.output.hold === 'locked' || c.output.closed || c.output.adds))
			return false;
		const axes = axesOf(probe.schema, guard);
		return everywhere(probe, rule.type, axes, (env) => !!c.guard && c.guard(env) !== true);
	});
}

/** Whether each output of a rule does the same as that of the altered one. */
function doesAlike(probe: Probe, plan: Plan, other: Plan, rule: Rule, altered: Rule): boolean {
	const apart = (r: Rule) => canonicalJson({ ...r, guard: null, body: null, watch: null });
	// what sets it off was compared as it was compiled
	if (apart(rule) !== apart(altered) || rule.entering || rule.each) return false;
	const sameBody = canonicalJson(rule.body) === canonicalJson(altered.body);
	const [had, now] = [compiledOf(plan, rule), compiledOf(other, altered)];
	if (!had.length || had.length !== now.length) return false;
	const guards = [guardAxes(probe, rule), guardAxes(probe, altered)];
	if (!guards[0] || !guards[1]) return false;
	const truths: Expr[] = [...guards[0], ...guards[1]];
	return had.every((a, i) => {
		const b = now[i];
		if (a.id !== b.id) return false;
		const applies = (c: typeof a, env: Env) => !c.guard || c.guard(env) === true;
		if (sameBody) {
			const axes = axesOf(probe.schema, truths);
			return everywhere(probe, rule.type, axes, (env) => applies(a, env) === applies(b, env));
		}
		if ('output' in a && 'output' in b) return claimsAlike(probe, truths, [rule, altered], [a, b]);
		if ('askedParts' in a && 'askedParts' in b)
			return checksAlike(probe, truths, [rule, altered], [a, b]);
		return false;
	});
}

function claimsAlike(
	probe: Probe,
	truths: readonly Expr[],
	rules: [Rule, Rule],
	claims: [Claim, Claim]
): boolean {
	if (claims.some((c) => isEvent(c) || !constants(c))) return false;
	const values: Expr[] = [];
	const read: { spot: Spot; constants: Value[] }[] = [];
	for (const [i, c] of claims.entries()) {
		const parts = bodyParts(probe, rules[i], c.rule.outputs.indexOf(c.output));
		if (!parts) return false;
		values.push(...parts.values);
		read.push(...parts.read);
	}
	const axes = axesOf(probe.schema, truths, values, read);
	return everywhere(probe, rules[0].type, axes, (env) => {
		const [a, b] = claims.map((c) => {
			const said = ask(c, env);
			if (!said) return null;
			const run = said.guard ? c.run(env) : null;
			return { ...said, value: run?.got ? run.value : null, then: run && !run.got && run.then };
		});
		return (
			!!a &&
			!!b &&
			a.decides === b.decides &&
			a.got === b.got &&
			a.then === b.then &&
			same(a.value, b.value)
		);
	});
}

/** Whether two checks that differ in nothing but what must hold let through and refuse the same. */
function checksAlike(
	probe: Probe,
	truths: readonly Expr[],
	rules: [Rule, Rule],
	checks: [Validator, Validator]
): boolean {
	const bodies = rules.map((r) => r.body);
	const [said, other] = bodies.map((b) => canonicalJson({ ...b, holds: null }));
	const asked = bodies.map((b) =>
		b.kind === 'check' ? exprOf(probe, rules[0].type, b.holds) : null
	);
	if (said !== other || !asked[0] || !asked[1]) return false;
	const axes = axesOf(probe.schema, [...truths, asked[0], asked[1]]);
	return everywhere(probe, rules[0].type, axes, (env) => {
		const [a, b] = checks.map((v) => {
			if (v.guard && v.guard(env) !== true) return true;
			const holds = v.holds!(env);
			// what cannot be told is let through, and said so
			return typeof holds === 'boolean' ? holds : null;
		});
		return a === b;
	});
}

/** Whether something is so at every combination of the values that tell it apart; not where that is not known. */
function everywhere(
	probe: Probe,
	type: string,
	axes: ReturnType<typeof axesOf>,
	so: (env: Env) => boolean
): boolean {
	if (!axes) return false;
	for (const values of combinations(axes))
		if (!so(probe.env(type, probe.witness(type, axes, values)))) return false;
	return true;
}
