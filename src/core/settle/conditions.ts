/** Whether a rule applies at a record: what triggers it, its moment, entry point and guard. */
import type { RecordView } from '../feel/env';
import { refKey } from '../document/model';
import type { MomentName } from '../document/rules';
import type { Claim, MessageRule, Validator } from '../plan/plan';
import type { Value } from '../value/value';
import { same } from '../value/value';
import { failure } from './attempt';
import type { Pass } from './pass';
import type { Outcome } from './types';
import type { Working } from './working';
import { failValidator } from './working';

const finite = (x: number) => (x === Infinity ? 0 : x);

/** Whether a claim counts as triggered because somebody asked for it. */
function requested({ change: { onRequest, only } }: Pass, c: Claim | MessageRule): boolean {
	return onRequest === true && (!only || only.has(refKey(c.rule.type, c.field.id)));
}

/** Whether a change at the record, or one that reached it, sets a rule off. */
export function triggered(pass: Pass, rec: Working, c: Claim | MessageRule): boolean {
	if (requested(pass, c)) return true;
	// a new record triggers everything, but for a rule whose author named the fields it watches,
	// and one that is set off at another record
	if (rec.submitted.created && !c.rule.watch && !c.rule.each) return true;
	for (const i of c.triggers) if (rec.changed[i]) return true;
	for (const i of c.triggersSent) if (!same(rec.sent[i], rec.was[i])) return true;
	if (rec.touched) for (const r of c.reached) if (rec.touched.has(r.key)) return true;
	return false;
}

/** The latest touch that triggers a claim. */
export function cause(pass: Pass, rec: Working, c: Claim): number {
	let latest = 0;
	for (const i of c.triggers) if (rec.changed[i]) latest = Math.max(latest, finite(rec.stamps[i]));
	for (const i of c.triggersSent) latest = Math.max(latest, finite(rec.stamps[i]));
	return latest;
}

/** Whether a claim applies now: true, or why not. */
export function applies(pass: Pass, rec: Working, c: Claim): true | Outcome {
	if (c.output.hold === 'once' && !rec.submitted.created) return 'moment left out';
	if (pass.change.onRequest && c.eventful) return 'event left out';
	return fits(pass, rec, c);
}

/** Whether moment, entry point and guard of a rule fit: true, or why not. */
export function fits(pass: Pass, rec: Working, c: Claim | Validator | MessageRule): true | Outcome {
	const { rule } = c;
	if (rule.submittedOnly && rec.out.reached) return 'reached left out';
	const moment: MomentName = rec.submitted.created ? 'created' : pass.moment;
	if (!rule.moments.includes(moment)) return 'moment left out';
	if (rule.entryPoints && !rule.entryPoints.includes(pass.change.entryPoint))
		return 'entry point left out';
	if (!c.guard) return true;
	const at = setOffAt(pass, rec, c);
	if (!at) return 'guard unknown';
	pass.env.rec = at;
	try {
		const g = c.guard(pass.env);
		if (g !== true) return g === false ? 'guard false' : 'guard unknown';
		const created = pass.byKey.get(refKey(at.type, at.id))?.submitted.created;
		if (rule.entering && !created && c.guardBefore!(pass.env) === true)
			return 'did not come to hold';
		return true;
	} finally {
		pass.env.rec = rec;
	}
}

/** The record whose change sets a rule off: this one, or the one its `each` link points to; null without one. */
export function setOffAt(
	pass: Pass,
	rec: Working,
	c: Claim | Validator | MessageRule
): RecordView | null {
	if (!('each' in c) || typeof c.each !== 'number' || c.each < 0) return rec;
	const id: Value = rec.settled[c.each];
	const { target } = pass.schema.type(rec.type).type.fields[c.each];
	return typeof id === 'string' ? pass.view(target!, id) : null;
}

/** The same as {@link fits}, with what a rule cannot do as a reason; that its condition fails is told. */
export function inEffect(pass: Pass, rec: Working, v: Validator): true | Outcome {
	return attempted(pass, rec, v, (message) => failValidator(rec, v, message));
}

/** The same for a change that does not concern the rule: a failure is nobody's business yet. */
export function wouldBe(pass: Pass, rec: Working, v: Validator): true | Outcome {
	return attempted(pass, rec, v, () => undefined);
}

function attempted(
	pass: Pass,
	rec: Working,
	v: Validator,
	tell: (message: string) => void
): true | Outcome {
	pass.env.begin(rec);
	try {
		return fits(pass, rec, v);
	} catch (e) {
		const { pending, message } = failure(e);
		if (!pending) tell(message);
		return pending ? 'pending' : 'failed';
	}
}

/** What went wrong with a rule that failed, for its report. */
export function told(rec: Working, v: Validator, fit: true | Outcome): { message?: string } {
	const known = fit === 'failed' && rec.out.failures.find((f) => f.claim === v.id);
	return known ? { message: known.message } : {};
}
