/**
 * Settles a change: one pass over the fields that rules write, in the order of the plan, each
 * field written at most once. The same code runs for a keystroke in a form, a row of an import,
 * a call of the API and a trial.
 */
import type { Claim, MessageRule, Plan, Validator } from '../plan/plan';
import type { Value } from '../value/value';
import { same } from '../value/value';
import { validate } from './checks';
import { node } from './fields';
import { states } from './limits';
import { send } from './messages';
import { Pass } from './pass';
import type { Change, Loader, Settled, SettleOptions } from './types';
import type { Working } from './working';

export type { Outgoing, Sending } from './outgoing';
export { MOST_REACHED } from './pass';
export * from './types';

/** Settles a change on a plan. Never throws for any data; what a rule cannot do is reported in the result. */
export function settle(
	plan: Plan,
	change: Change,
	loader: Loader,
	options: SettleOptions
): Settled {
	return run(new Pass(plan, change, loader, options));
}

function run(pass: Pass): Settled {
	const { nodes } = pass.plan;
	pass.records.forEach((rec, i) => markFirst(pass, rec, pass.dirty[i]));
	for (let n = pass.any.indexOf(1); n >= 0; n = pass.any.indexOf(1, n + 1))
		for (let i = 0; i < pass.records.length; i++)
			if (pass.dirty[i][n] && n < nodes.length) {
				node(pass, pass.records[i], nodes[n]);
				markWatchers(pass, pass.records[i], nodes[n].index, pass.dirty[i]);
				if (pass.plan.reach.size) pass.reach(pass.records[i], nodes[n].index);
			} else if (pass.dirty[i][n])
				send(pass, pass.records[i], pass.plan.messages[n - nodes.length]);
	for (const rec of pass.records) if (!rec.submitted.removed) close(pass, rec);
	return {
		records: pass.records.map((r) => r.out),
		...pass.outcome(),
		steps: pass.env.taken()
	};
}

/** Which fields of a record to look at before any rule has run. */
function markFirst(pass: Pass, rec: Working, dirty: number[]) {
	const p = rec.plan;
	if (rec.submitted.removed) {
		for (let i = 0; i < rec.changed.length; i++) pass.reach(rec, i);
		return;
	}
	if (rec.submitted.created || pass.change.onRequest) {
		for (const n of p.nodes) pass.mark(dirty, n);
		if (!pass.change.onRequest) for (const n of p.messages) pass.mark(dirty, n);
	} else {
		for (const key of rec.submitted.touched ?? [])
			for (const r of pass.plan.reach.get(key.split(' ', 1)[0]) ?? [])
				if (r.key === key && r.type === rec.type) pass.mark(dirty, r.node);
		if (!rec.submitted.inLine) for (const n of p.locked) pass.mark(dirty, n);
		for (let i = 0; i < rec.given.length; i++)
			if (rec.given[i]) {
				if (p.position[i] >= 0) pass.mark(dirty, p.position[i]);
				markWatchers(pass, rec, i, dirty);
			}
	}
	// a field that rules write runs on when it is settled
	if (pass.plan.reach.size && !pass.change.onRequest)
		for (let i = 0; i < rec.given.length; i++) if (p.position[i] < 0) pass.reach(rec, i);
}

function markWatchers(pass: Pass, rec: Working, field: number, dirty: number[]) {
	if (rec.changed[field]) for (const n of rec.plan.watchers[field]) pass.mark(dirty, n);
}

/** What somebody gave of which a claim made its value: cleaned, split, put into another form. */
function typedOf(pass: Pass, rec: Working, i: number): { typed?: Value } {
	const claim = rec.wrote[i] === null ? undefined : pass.plan.claims.get(rec.wrote[i]);
	return claim?.readsOwnSent && rec.given[i] && !same(rec.sent[i], rec.was[i])
		? { typed: rec.sent[i] }
		: {};
}

function close(pass: Pass, rec: Working) {
	const { fields } = pass.schema.type(rec.type).type;
	const { changes } = rec.out;
	for (let i = 0; i < rec.changed.length; i++)
		if (rec.changed[i] && (rec.given[i] || rec.wrote[i] !== null))
			changes.push({
				field: fields[i].id,
				from: rec.was[i],
				to: rec.settled[i],
				claim: rec.wrote[i],
				...typedOf(pass, rec, i)
			});
	validate(pass, rec);
	if (pass.options.states) pass.env.aside(() => states(pass, rec));
	if (!rec.outcomes) return;
	const limits = rec.plan.nodes.flatMap((n) => pass.plan.nodes[n].limits);
	for (const c of [
		...rec.plan.nodes.flatMap((n): (Claim | Validator | MessageRule)[] => [
			...pass.plan.nodes[n].claims,
			...pass.plan.nodes[n].adders
		]),
		...limits,
		...rec.plan.validators,
		...rec.plan.messages.map((n) => pass.plan.messages[n - pass.plan.nodes.length])
	])
		rec.out.reports.push(
			rec.outcomes.get(c.id) ?? {
				claim: c.id,
				rule: c.rule.id,
				field: c.field.id,
				outcome: 'not triggered'
			}
		);
}
