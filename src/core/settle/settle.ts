/**
 * Settles a change: one pass over the fields that rules write, in the order of the plan, each
 * field written at most once. The same code runs for a keystroke in a form, a row of an import,
 * a call of the API and a trial.
 */
import { nodeKey, type Plan } from '../plan/plan';
import type { Value } from '../value/value';
import { same } from '../value/value';
import { validate } from './checks';
import { reports } from './evidence';
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
	const { due, records } = pass;
	// the rules of a pilot have as many fields as those beside it
	const fields = pass.plan.nodes.length;
	records.forEach((rec, i) => markFirst(pass, rec, i));
	while (due.next()) {
		const { node: n, record: i } = due;
		const rec = records[i];
		const { nodes, messages } = rec.rules;
		if (n >= fields) {
			send(pass, rec, messages[n - fields]);
			continue;
		}
		node(pass, rec, nodes[n]);
		markWatchers(pass, rec, nodes[n].index, i);
		if (pass.runsOn) pass.reach(rec, nodes[n].index);
	}
	for (const rec of records) if (!rec.submitted.removed) close(pass, rec);
	const outcome = pass.outcome();
	pass.over = true;
	return { records: records.map((r) => r.out), ...outcome, steps: pass.env.taken() };
}

/** Which fields of a record to look at before any rule has run. */
function markFirst(pass: Pass, rec: Working, at: number) {
	const { due } = pass;
	const p = rec.plan;
	if (rec.submitted.removed) {
		for (let i = 0; i < rec.changed.length; i++) pass.reach(rec, i);
		return;
	}
	const { onRequest, only } = pass.change;
	if (rec.submitted.created || (onRequest && !only)) {
		for (const n of p.nodes) due.add(n, at);
		if (!onRequest) for (const n of p.messages) due.add(n, at);
	} else {
		for (const n of only ? p.nodes : []) if (only!.has(nodeKey(rec.rules.nodes[n]))) due.add(n, at);
		for (const key of rec.submitted.touched ?? [])
			for (const r of rec.rules.reach.get(key.split(' ', 1)[0]) ?? [])
				if (r.key === key && r.type === rec.type) due.add(r.node, at);
		if (!rec.submitted.inLine) for (const n of p.locked) due.add(n, at);
		for (const i of rec.sentAt) {
			if (p.position[i] >= 0) due.add(p.position[i], at);
			markWatchers(pass, rec, i, at);
		}
	}
	// a field that rules write runs on when it is settled
	if (pass.runsOn && !pass.change.onRequest)
		for (const i of rec.sentAt) if (p.position[i] < 0) pass.reach(rec, i);
}

function markWatchers(pass: Pass, rec: Working, field: number, at: number) {
	if (rec.changed[field]) for (const n of rec.plan.watchers[field]) pass.due.add(n, at);
}

/** What somebody gave of which a claim made its value: cleaned, split, put into another form. */
function typedOf(pass: Pass, rec: Working, i: number): { typed?: Value } {
	const claim = rec.wrote[i] === null ? undefined : rec.rules.claims.get(rec.wrote[i]);
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
	if (rec.outcomes) rec.out.tell = () => reports(pass, rec);
}
