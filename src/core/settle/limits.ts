/** What a field may be: read-only, one of the options that are left, and what only rules may set. */
import type { Claim, PlanNode, Validator } from '../plan/plan';
import type { Value } from '../value/value';
import { isBlank, isList } from '../value/value';
import { applies, inEffect, told, wouldBe } from './conditions';
import { report } from './evidence';
import type { Pass } from './pass';
import type { Working } from './working';
import { write } from './working';

/** Whether every option of a value is among those left. */
export const allowedIn = (v: Value, ids: readonly string[]) =>
	(isList(v) ? v : [v]).every((x) => ids.includes(x as string));

/** The options left in a field by every limit in effect; null where none is. */
export function optionsLeft(
	pass: Pass,
	rec: Working,
	node: PlanNode,
	effect = inEffect
): { ids: readonly string[]; by: Validator } | null {
	let ids = null as readonly string[] | null;
	let by = null as Validator | null;
	for (const v of node.limits) {
		if (v.kind !== 'limited' || effect(pass, rec, v) !== true) continue;
		const some = v.allowed!(pass.env);
		if (some === null) continue;
		ids = ids?.filter((x) => some.includes(x)) ?? some;
		by = v;
	}
	return ids && by && { ids, by };
}

/** Sets aside what may not be set, before any claim of the field runs. */
export function limit(pass: Pass, rec: Working, node: PlanNode) {
	const i = node.index;
	for (const v of node.limits) {
		const fit = inEffect(pass, rec, v);
		const left = fit === true && rec.outcomes ? v.allowed?.(pass.env) : null;
		report(pass, rec, v, fit === true ? 'in effect' : fit, {
			...told(rec, v, fit),
			...(left ? { left } : {})
		});
		if (v.kind === 'read-only' && fit === true && rec.given[i] && rec.changed[i])
			refuse(rec, node, v, 'read-only');
	}
	if (!rec.given[i] || !rec.changed[i]) return;
	const left = optionsLeft(pass, rec, node);
	// a limit says which options there are to choose from; choosing none is for *required* to refuse
	const value = rec.settled[i];
	if (left && !isBlank(value) && !allowedIn(value, left.ids))
		refuse(rec, node, left.by, 'not allowed');
}

/** A value that may not be set: the stored one stands. */
function refuse(rec: Working, node: PlanNode, v: Validator, why: 'read-only' | 'not allowed') {
	const i = node.index;
	rec.out.setAside.push({
		field: v.field.id,
		sent: rec.settled[i],
		stands: rec.was[i],
		claim: v.id,
		why
	});
	rec.settled[i] = rec.was[i];
	rec.changed[i] = 0;
}

/** Clears a value that a new limit left behind, or replaces it by the one option that is left. */
export function leftBehind(pass: Pass, rec: Working, node: PlanNode) {
	const i = node.index;
	const left = optionsLeft(pass, rec, node);
	if (!left) return;
	const value = rec.settled[i];
	const only = left.ids.length === 1 ? left.ids[0] : null;
	if (isBlank(value)) {
		// one allowed option fills itself when the limit comes, unless the field was cleared by hand
		const comes = rec.submitted.created || left.by.triggers.some((t) => rec.changed[t]);
		if (only !== null && comes && !rec.given[i] && node.field.type === 'choice')
			write(rec, node, only, left.by);
		return;
	}
	if (allowedIn(value, left.ids)) return;
	const kept = isList(value) ? value.filter((x) => left.ids.includes(x as string)) : [];
	write(
		rec,
		node,
		kept.length ? kept : only === null ? null : isList(value) ? [only] : only,
		left.by
	);
}

/** Which fields only rules may set: the claim that gives the value is Locked or closed to people. */
export function states(pass: Pass, rec: Working) {
	pass.env.rec = rec;
	const readOnly = new Map<string, string>();
	rec.out.readOnly = readOnly;
	const limited = new Map<string, readonly string[]>();
	rec.out.limited = limited;
	for (const n of rec.plan.nodes) {
		const node = rec.rules.nodes[n];
		if (node.limits.length) {
			const left = optionsLeft(pass, rec, node, wouldBe);
			if (left) limited.set(node.field.id, left.ids);
			for (const v of node.limits)
				if (v.kind === 'read-only' && wouldBe(pass, rec, v) === true)
					readOnly.set(node.field.id, v.id);
		}
		if (!node.restricts) continue;
		const holder = holderOf(pass, rec, node);
		if (holder) readOnly.set(node.field.id, holder.id);
	}
}

/** The claim that now keeps people from setting a field: Locked or closed, and no other comes before it. */
function holderOf(pass: Pass, rec: Working, node: PlanNode): Claim | null {
	let empty: Claim | null = null;
	for (const c of node.claims) {
		pass.env.begin(rec);
		let got = true;
		try {
			if (applies(pass, rec, c) !== true) continue;
			got = c.run(pass.env).got;
		} catch {
			// what failed or waits holds its field as it is, unless a Locked claim above has emptied it
			got = empty === null;
		}
		if (!got && c.output.hold === 'locked') empty ??= c;
		if (!got && (c.output.none === 'next' || empty)) continue;
		return c.output.hold === 'locked' || c.output.closed ? c : null;
	}
	return empty;
}
