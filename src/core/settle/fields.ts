/** How a field settles: the first claim of its order that applies and has a result decides. */
import { hold, misfit } from '../fields/codec';
import type { BodyResult } from '../kinds/spec';
import type { Claim, PlanNode } from '../plan/plan';
import { Moment } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank, same } from '../value/value';
import { failure } from './attempt';
import { applies, cause, triggered } from './conditions';
import { report } from './evidence';
import { allowedIn, leftBehind, limit, optionsLeft } from './limits';
import type { Pass } from './pass';
import { addTo } from './sets';
import type { ClaimReport } from './types';
import type { Working } from './working';
import { WITHOUT, fail, write } from './working';

/** Settles one field of a record. */
export function node(pass: Pass, rec: Working, node: PlanNode) {
	pass.env.rec = rec;
	if (node.currency >= 0) roundAmount(pass, rec, node);
	if (node.limits.length) limit(pass, rec, node);
	if (node.claims.length) settleField(pass, rec, node);
	if (node.adders.length) addTo(pass, rec, node);
	if (node.limits.length) leftBehind(pass, rec, node);
}

/** The currency that another field of the record tells, by its option's code or label. */
function currencyOf(pass: Pass, rec: Working, node: PlanNode): string | undefined {
	if (node.currency < 0) return undefined;
	const v = rec.settled[node.currency];
	const list = pass.schema.type(rec.type).type.fields[node.currency].list;
	const o = typeof v === 'string' && list ? pass.schema.option(list, v) : undefined;
	return o?.code ?? o?.label;
}

/** An amount that was entered is rounded by the currency that is settled by now. */
function roundAmount(pass: Pass, rec: Working, node: PlanNode) {
	const i = node.index;
	if (!rec.given[i]) return;
	rec.settled[i] = hold(node.field, rec.settled[i], currencyOf(pass, rec, node));
	rec.changed[i] = same(rec.settled[i], rec.was[i]) ? 0 : 1;
}

/** Walks the claim order: the first claim that applies and has a result decides. */
function settleField(pass: Pass, rec: Working, node: PlanNode) {
	const { env } = pass;
	let empty: Emptied | null = null;
	for (let k = 0; k < node.claims.length; k++) {
		const c = node.claims[k];
		env.begin(rec);
		let result: BodyResult;
		try {
			const fit = applies(pass, rec, c);
			if (fit !== true) {
				report(pass, rec, c, fit);
				continue;
			}
			result = c.run(env);
		} catch (e) {
			const { pending, message } = failure(e);
			report(pass, rec, c, pending ? 'pending' : 'failed', { message });
			if (!pending) {
				fail(rec, c, message);
				if (empty) clear(pass, rec, node, empty);
				else restore(pass, rec, node, c);
			}
			return outrank(pass, rec, node, k);
		}
		if (!result.got) {
			const { row, found } = result;
			const said = result.then ?? c.output.none;
			// a Locked field cannot be left as it is
			const none = said === 'leave' && c.output.hold === 'locked' ? 'next' : said;
			// one that nothing set off did not run, whatever it would have come to
			const off = c.output.hold === 'locked' || triggered(pass, rec, c);
			if (none === 'next') {
				report(pass, rec, c, off ? WITHOUT[result.why] : 'not triggered', { row, found });
				if (c.output.hold === 'locked') empty ??= { claim: c, result };
				continue;
			}
			if (none === 'leave') {
				report(pass, rec, c, off ? 'left' : 'not triggered', { row, found });
				if (empty) clear(pass, rec, node, empty);
				return outrank(pass, rec, node, k);
			}
		}
		claim(pass, rec, node, c, result);
		return outrank(pass, rec, node, k);
	}
	if (empty) clear(pass, rec, node, empty);
}

/** A Locked claim that applied and had no result. */
interface Emptied {
	claim: Claim;
	result: BodyResult;
}

/** A Locked field always equals its claim: where that has no result, and none below has one, it is blank. */
function clear(pass: Pass, rec: Working, node: PlanNode, { claim: c, result }: Emptied) {
	claimed(pass, rec, node, c, result, null);
}

/** The claims behind the one that decided. */
function outrank(pass: Pass, rec: Working, node: PlanNode, winner: number) {
	if (!rec.outcomes) return;
	for (let k = winner + 1; k < node.claims.length; k++)
		report(pass, rec, node.claims[k], 'outranked', { by: node.claims[winner].id });
}

/** A failed Locked or closed claim leaves the stored value; what was sent could not be set by hand. */
function restore(pass: Pass, rec: Working, node: PlanNode, c: Claim) {
	if (c.output.hold !== 'locked' && !c.output.closed) return;
	setAside(rec, node, c, rec.was[node.index]);
	write(rec, node, rec.was[node.index], c);
}

/** A value that was asked for and does not stand, with the claim that it gives way to. */
function setAside(rec: Working, node: PlanNode, c: Claim, stands: Value) {
	const { id } = node.field;
	if (!rec.given[node.index] || same(rec.sent[node.index], stands)) return;
	// a value that was there before was not asked for, only sent along
	if (same(rec.sent[node.index], rec.was[node.index])) return;
	const why = c.output.hold === 'locked' ? 'locked' : 'closed';
	rec.out.setAside.push({ field: id, sent: rec.sent[node.index], stands, claim: c.id, why });
}

/** The first claim with a result: its hold decides whether it is written. */
function claim(pass: Pass, rec: Working, node: PlanNode, c: Claim, result: BodyResult) {
	const i = node.index;
	const held = result.got ? hold(node.field, result.value, currencyOf(pass, rec, node)) : null;
	const value = held instanceof Moment ? held.in(pass.schema.model.zone, pass.options.zones) : held;
	const more: Partial<ClaimReport> = { value, row: result.row, found: result.found };
	const left = node.limits.length ? optionsLeft(pass, rec, node) : null;
	const outside = left && !isBlank(value) && !allowedIn(value, left.ids);
	const wrong = outside
		? `${node.field.label} may not be this now: “${left.by.rule.name}” leaves other options.`
		: misfit(node.field, value, rec.was[i], pass.schema);
	if (wrong) {
		fail(rec, c, wrong);
		report(pass, rec, c, 'failed', { ...more, message: wrong });
		return restore(pass, rec, node, c);
	}
	const sent = rec.given[i] === 1;
	switch (c.output.hold) {
		case 'locked':
			return claimed(pass, rec, node, c, result, value);
		case 'follow': {
			const setOff = triggered(pass, rec, c);
			const kept =
				sent && !c.output.closed && !c.readsOwnSent && rec.stamps[i] > cause(pass, rec, c);
			if (setOff && !kept) return claimed(pass, rec, node, c, result, value);
			if (c.output.closed && sent) {
				setAside(rec, node, c, rec.was[i]);
				write(rec, node, rec.was[i], c);
			}
			const asked = rec.submitted.keep === 'touched' ? {} : { asked: pass.change.entryPoint };
			return report(pass, rec, c, setOff ? 'kept' : 'not triggered', { ...more, ...asked });
		}
		case 'fill':
			if (!isBlank(rec.settled[i])) return report(pass, rec, c, 'not blank', more);
			if (pass.change.onRequest && !pass.change.fillBlanks)
				return report(pass, rec, c, 'event left out', more);
			if (!triggered(pass, rec, c)) return report(pass, rec, c, 'not triggered', more);
			if (clearedByHand(pass, rec, node, c)) return report(pass, rec, c, 'cleared by hand', more);
			return claimed(pass, rec, node, c, result, value);
		case 'once':
			if (!isBlank(rec.settled[i])) return report(pass, rec, c, 'given at creation', more);
			return claimed(pass, rec, node, c, result, value);
	}
}

/** Whether somebody cleared a field in this change, and touched nothing that fills it afterwards. */
function clearedByHand(pass: Pass, rec: Working, node: PlanNode, c: Claim): boolean {
	const i = node.index;
	if (!rec.given[i] || !isBlank(rec.sent[i]) || isBlank(rec.was[i])) return false;
	const touched = rec.submitted.keep === 'touched';
	return !touched || rec.stamps[i] > cause(pass, rec, c);
}

/** Writes a claim's value and reports it. */
function claimed(
	pass: Pass,
	rec: Working,
	node: PlanNode,
	c: Claim,
	result: BodyResult,
	value: Value
) {
	const i = node.index;
	if (c.output.closed || c.output.hold === 'locked') setAside(rec, node, c, value);
	rec.stamps[i] = cause(pass, rec, c);
	write(rec, node, value, c);
	const outcome = !result.got ? 'cleared' : same(value, rec.was[i]) ? 'same value' : 'wrote';
	report(pass, rec, c, outcome, { value, row: result.row, found: result.found });
}
