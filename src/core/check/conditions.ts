/** Conditions that never or always hold, checks that say nothing or refuse each other, watches, retired options. */
import { LimitError } from '../feel/budget';
import type { Run } from '../feel/env';
import type { Expr } from '../document/tree';
import { walk } from '../document/walk';
import type { Context } from './context';
import { carried, ofRule } from './context';
import type { JsonValue } from '../fields/codec';
import type { Rule } from '../document/rules';
import type { Validator } from '../plan/plan';
import { axesOf, combinations } from '../spots/cells';
import { isBlank } from '../value/value';
import { candidatesFor } from './candidates';
import { exprOf, readsBeyond } from './formulas';
import { saySpots, seenBothWays, truthOf } from './guards';
import { judgeOf, senderOf, writerOf } from '../kinds';
import type { FindingIs } from '../kinds/catalogue';
import type { Witness } from '../kinds/spec';
import type { Finding } from './types';

/**
 * Whether a condition never or always holds, with the proof; null where it depends, or where that is
 * not known, which is noted.
 * @param unknown for the note
 */
function settledTruth(
	c: Context,
	rule: Rule,
	type: string,
	condition: Expr | null,
	run: Run,
	unknown: string
): { never: boolean; certificate: string } | null {
	const known = truthOf(c.probe, type, condition, run);
	if (!known) {
		if (!condition || !seenBothWays(c.probe, rule, type, condition, run))
			c.notAnalysed(rule, unknown);
		return null;
	}
	if (known.truth === 'depends') return null;
	const certificate = known.axes.length
		? `tried at all ${known.tried} combinations of ${saySpots(known.axes)} that it can tell apart`
		: 'it reads no field';
	return { never: known.truth === 'never', certificate };
}

/** Whether the guard of a rule never or always holds. */
export function guardFindings(c: Context, rule: Rule): Finding[] {
	const of = c.compiled(rule);
	if (!rule.guard || !of?.guard) return [];
	const type = c.guardType(rule);
	const truth = settledTruth(
		c,
		rule,
		type,
		exprOf(c, type, rule.guard),
		of.guard,
		'Its condition does more than compare fields with constants, and no record was found at which it holds and one at which it does not.'
	);
	if (!truth) return [];
	const { never, certificate } = truth;
	const shared = (is: FindingIs) => ({ ...ofRule(rule, is, 'guard'), certificate });
	if (never)
		return [
			{
				...shared('never applies'),
				message: 'Its condition can never hold, so it never does anything.'
			}
		];
	// without it, the rule would apply at every change: that is another rule
	if (rule.entering)
		return [
			{
				...shared('enters at once'),
				message: 'Its condition always holds, so it comes to hold on new records only.'
			}
		];
	return [
		{
			...shared('always applies'),
			message: 'Its condition always holds, so it says nothing.',
			repair: { do: 'always', rule: rule.id, label: 'Take the condition away' }
		}
	];
}

/** Whether what a check asks for always or never holds. */
export function checkFindings(c: Context, rule: Rule): Finding[] {
	const of = c.compiled(rule);
	const asks = judgeOf(rule.body)?.asks(rule.body);
	if (!asks || !of || !('holds' in of) || !of.holds) return [];
	const truth = settledTruth(
		c,
		rule,
		rule.type,
		exprOf(c, rule.type, asks),
		of.holds,
		'What it asks for does more than compare fields with constants, and no record was found that meets it and one that does not.'
	);
	if (!truth) return [];
	const { never, certificate } = truth;
	return [
		{
			...ofRule(rule, never ? 'never met' : 'always met', 'formula 0'),
			// one that only warns refuses nobody
			...(of.blocking ? {} : { severity: 'advisory' as const }),
			message: never
				? 'What it asks for can never hold.'
				: 'What it asks for always holds, so it never says anything.',
			certificate
		}
	];
}

/** Messages that go to nobody: those asked for do not exist, or none of them has an address. */
export function recipientFindings(c: Context, rule: Rule): Finding[] {
	const of = c.plan.messages.find((m) => m.rule.id === rule.id);
	const goes = senderOf(rule.body)?.goesTo(rule.body);
	if (!of || !goes) return [];
	const { filter, to } = goes;
	const type = goes.type ?? rule.type;
	const shared = (place: 'filter' | 'recipient') => ofRule(rule, 'goes to nobody', place, place);
	if (filter && of.filter) {
		const truth = settledTruth(
			c,
			rule,
			type,
			exprOf(c, type, filter),
			of.filter,
			'Whom it goes to does more than compare fields with constants, and no record was found that meets it and one that does not.'
		);
		if (truth?.never)
			return [
				{
					...shared('filter'),
					message: 'No record can meet what its recipients are asked for, so it goes to nobody.',
					certificate: truth.certificate
				}
			];
	}
	const address = exprOf(c, type, to);
	if (!address) return [];
	if (readsBeyond(address, c.schema, ['related'])) {
		c.notAnalysed(
			rule,
			'Whether its recipient ever has an address is not tried: it reads who makes the change, a certain record or several.'
		);
		return [];
	}
	const tried = candidatesFor(c.probe, type, address);
	const has = (w: Witness) => {
		try {
			return !isBlank(of.to(c.probe.env(type, w)));
		} catch (e) {
			if (!(e instanceof LimitError)) throw e;
			return false;
		}
	};
	if (tried.some(has)) return [];
	return [
		{
			...shared('recipient'),
			severity: 'advisory',
			message: 'No record gives it an address, so it goes to nobody.',
			certificate: `tried with ${tried.length} record${tried.length === 1 ? '' : 's'}`
		}
	];
}

/**
 * Blocking checks before this one of which one always refuses what the other lets through, although
 * each can be met. Told at the later of the two.
 */
export function clashes(c: Context, rule: Rule): Finding[] {
	const checks = [...c.plan.validators.values()].filter((v) => v.kind === 'check' && v.blocking);
	const tree = (v: Validator) =>
		exprOf(c, v.rule.type, judgeOf(v.rule.body)?.asks(v.rule.body) ?? null);
	return checks.flatMap((b, i) => {
		if (b.rule.id !== rule.id) return [];
		return checks.slice(0, i).flatMap((a): Finding[] => {
			if (a.rule.type !== b.rule.type || !shareAField(a, b)) return [];
			const trees = [tree(a), tree(b)];
			for (const v of [a, b]) if (v.rule.guard) trees.push(exprOf(c, v.rule.type, v.rule.guard));
			if (trees.some((t) => !t)) return [];
			const found = clash(c, a, b, trees as Expr[]);
			return found ? [found] : [];
		});
	});
}

const shareAField = (a: Validator, b: Validator) =>
	a.reads.some((x) => b.reads.some((y) => x.type === y.type && x.field === y.field));

function clash(c: Context, a: Validator, b: Validator, trees: Expr[]): Finding | null {
	const axes = axesOf(c.schema, trees);
	if (!axes) return null;
	const { probe } = c;
	const { type } = a.rule;
	let tried = 0;
	let both: Record<string, JsonValue> | null = null;
	const met = [false, false];
	for (const values of combinations(axes)) {
		tried++;
		const w = probe.witness(type, axes, values);
		const env = probe.env(type, w);
		if ([a, b].some((v) => v.guard && v.guard(env) !== true)) continue;
		// a check that comes out unknown does not block; where both can tell, one of them refuses
		const held = [a, b].map((v) => v.holds!(env));
		if (held[0] === null || held[1] === null) continue;
		if (held[0] === true && held[1] === true) return null;
		held.forEach((h, i) => (met[i] ||= h === true));
		both ??= w.values;
	}
	if (!both || !met[0] || !met[1]) return null;
	const w = { values: both, near: [] };
	probe.setOff(b.rule, w);
	const { messages } = probe.run(type, w);
	if (!messages.some((m) => m.blocking && (m.claim === a.id || m.claim === b.id))) return null;
	return {
		...ofRule(b.rule, 'clash', 'formula 0', a.rule.id),
		message: `It and “${a.rule.name}” can never both be met: what one lets through the other refuses.`,
		certificate: `tried at all ${tried} combinations of ${saySpots(axes)} that they can tell apart`,
		...carried(w)
	};
}

/** Watched fields narrowed so that a value can go stale, and such as the rule does not read. */
export function watchFindings(c: Context, rule: Rule): Finding[] {
	const of = c.compiled(rule);
	if (!rule.watch || !of || rule.each || senderOf(rule.body)) return [];
	const own = of.reads.filter((r) => r.type === rule.type && !r.via.length);
	const missing = of.reads.filter((r) => r.type === rule.type && !rule.watch!.includes(r.field));
	const out: Finding[] = [];
	if (missing.length) {
		const names = [...new Set(missing.map((r) => c.schema.field(r.type, r.field)!.label))];
		out.push({
			...ofRule(rule, 'unwatched read', 'watch'),
			message: `It reads ${names.join(', ')} without watching, so its value can go stale.`,
			certificate: 'what it reads, beside what it watches',
			repair: { do: 'watch all', rule: rule.id, label: 'Watch all that it reads' }
		});
	}
	// a rule that reads nothing of the record is a stamp: it watches and does not read
	for (const id of own.length ? rule.watch : []) {
		if (own.some((r) => r.field === id)) continue;
		const label = c.schema.field(rule.type, id)?.label ?? id;
		out.push({
			...ofRule(rule, 'unread watch', 'watch', id),
			message: `It watches ${label} and does not read it, so it runs without a reason.`,
			certificate: 'what it watches, beside what it reads',
			repair: { do: 'watch less', rule: rule.id, field: id, label: `No longer watch ${label}` }
		});
	}
	return out;
}

/** Options that are retired and that the rule still speaks of. */
export function retiredOptions(c: Context, rule: Rule): Finding[] {
	const found = new Map<string, string>();
	walk([rule.guard, rule.body], (e) => {
		if (e.k !== 'option') return;
		const o = c.schema.option(e.list, e.option);
		if (o?.retired) found.set(o.label, c.schema.lists.get(e.list)!.label);
	});
	for (const [i, output] of rule.outputs.entries()) {
		const f = c.schema.field(rule.type, output.field);
		if (!f?.list) continue;
		for (const v of writerOf(rule.body)?.results(rule.body, i) ?? [])
			for (const id of Array.isArray(v) ? v : [v]) {
				const o = typeof id === 'string' ? c.schema.option(f.list, id) : undefined;
				if (o?.retired) found.set(o.label, f.label);
			}
	}
	return [...found].map(([option, list]) => ({
		...ofRule(rule, 'retired option', 'input', option),
		message: `It speaks of “${option}” of ${list}, which is retired and cannot be chosen anew.`,
		certificate: 'the option is marked as retired'
	}));
}
